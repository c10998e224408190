//! The display list as flat arrays, which the canvas printer reads straight out of memory.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::display::{Blend, DisplayList, Item, Placing};
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Rect};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// These stand where a fill has its blend: 0 covers, [`MIXES`] mixes.
const MIXES: u32 = 1;
const PLACED: u32 = 2;
const CLIP: u32 = 3;
const UNCLIP: u32 = 4;

/// How the canvas paints a fill. A layer is mixed with the page in one way, whatever is on it, and
/// `hard-light` is both: half as light as a colour it multiplies by that colour, and half as dark it
/// screens. Source: W3C Compositing and Blending Level 1, *hard-light*.
fn mixing(colour: Rgb, blend: Blend) -> (Rgb, u32) {
    let each = |half: fn(u16) -> u16| {
        let v = |v: u8| half(u16::from(v)) as u8;
        Rgb::new(v(colour.r), v(colour.g), v(colour.b))
    };
    match blend {
        Blend::Over => (colour, 0),
        Blend::Multiply => (each(|v| v / 2), MIXES),
        Blend::Screen => (each(|v| (v + 256) / 2), MIXES),
    }
}

/// Five numbers to an item: colour as `0xRRGGBB`, blend, opacity in thousandths, how many verbs, how
/// many coordinates.
#[derive(Default)]
pub struct List {
    items: Vec<u32>,
    verbs: Vec<u8>,
    coords: Vec<f32>,
}

impl List {
    pub fn set(&mut self, list: &DisplayList) {
        self.items.clear();
        self.verbs.clear();
        self.coords.clear();
        for item in &list.items {
            let (path, colour, blend, opacity) = match item {
                Item::Fill {
                    path,
                    colour,
                    blend,
                    opacity,
                } => (path, colour, blend, opacity),
                Item::Placed { placing, opacity } => {
                    self.place(placing, *opacity);
                    continue;
                }
                Item::Clip(within) => {
                    self.clip(within.as_ref());
                    continue;
                }
                // Pictures of backdrops are elements of the page; see `panes`.
                Item::Picture { .. } => continue,
            };
            let (colour, blend) = mixing(*colour, *blend);
            let rgb = u32::from(colour.r) << 16 | u32::from(colour.g) << 8 | u32::from(colour.b);
            self.items.extend([
                rgb,
                blend,
                (opacity * 1000.0).round() as u32,
                path.verbs.len() as u32,
                path.coords.len() as u32,
            ]);
            self.verbs.extend(path.verbs.iter().map(|v| *v as u8));
            self.coords.extend_from_slice(&path.coords);
        }
    }
}

impl List {
    /// A clip has four coordinates, x0, y0, x1, y1; its end has none.
    fn clip(&mut self, within: Option<&Rect<GlassFrame>>) {
        let (kind, n) = within.map_or((UNCLIP, 0), |_| (CLIP, 4));
        self.items.extend([0, kind, 0, 0, n]);
        if let Some(r) = within {
            self.coords
                .extend([r.x0, r.y0, r.x1, r.y1].map(|v| v as f32));
        }
    }

    /// A placed picture stands in the list as the two halves of its name where a fill has its colour
    /// and its verbs, and ten coordinates: the map from its pixels, and the part that is seen.
    fn place(&mut self, placing: &Placing, opacity: f32) {
        self.items.extend([
            placing.picture as u32,
            PLACED,
            (opacity * 1000.0).round() as u32,
            (placing.picture >> 32) as u32,
            10,
        ]);
        let coords = placing.map.iter().chain(&placing.part);
        self.coords.extend(coords.map(|v| *v as f32));
    }
}

/// Addresses and lengths in the module's memory, good until the next call.
#[wasm_bindgen]
impl Glass {
    pub fn items_at(&self) -> *const u32 {
        self.list.items.as_ptr()
    }

    pub fn items_len(&self) -> usize {
        self.list.items.len()
    }

    pub fn verbs_at(&self) -> *const u8 {
        self.list.verbs.as_ptr()
    }

    pub fn verbs_len(&self) -> usize {
        self.list.verbs.len()
    }

    pub fn coords_at(&self) -> *const f32 {
        self.list.coords.as_ptr()
    }

    pub fn coords_len(&self) -> usize {
        self.list.coords.len()
    }
}
