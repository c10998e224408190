//! The display list as flat arrays, which the browser's canvas printer reads straight out of a module's memory.

use super::colour::Rgb;
use super::{Blend, DisplayList, Group, Item, Path, Placing};

/// These stand where a fill has its blend: 0 covers, [`MIXES`] mixes.
const MIXES: u32 = 1;
const PLACED: u32 = 2;
const GROUP: u32 = 3;
const END: u32 = 4;

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
#[derive(Default, Debug)]
pub struct Flat {
    pub items: Vec<u32>,
    pub verbs: Vec<u8>,
    pub coords: Vec<f32>,
}

impl Flat {
    /// Takes a list in the place of the one before.
    pub fn set(&mut self, list: &DisplayList) {
        self.items.clear();
        self.verbs.clear();
        self.coords.clear();
        self.add(&list.items);
    }

    fn add(&mut self, items: &[Item]) {
        for item in items {
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
                Item::Group(group) => {
                    self.begin(group);
                    self.add(&group.items);
                    self.items.extend([0, END, 0, 0, 0]);
                    continue;
                }
                // Pictures of backdrops are elements of the page; see `panes`.
                Item::Picture { .. } => continue,
            };
            let (colour, blend) = mixing(*colour, *blend);
            let rgb = u32::from(colour.r) << 16 | u32::from(colour.g) << 8 | u32::from(colour.b);
            self.item([rgb, blend], *opacity, path, &[]);
        }
    }
}

impl Flat {
    /// A group begins with its blend where a fill has its colour, and seven coordinates before those of
    /// the path that it is cut by: its map, and how softly it ends.
    fn begin(&mut self, group: &Group) {
        let [a, b, c, d, e, f] = group.map.coefficients().map(|v| v as f32);
        let first = [a, b, c, d, e, f, group.softness];
        let whole = Path::default();
        let clip = group.clip.as_ref().unwrap_or(&whole);
        self.item([group.blend as u32, GROUP], group.opacity, clip, &first);
    }

    fn item(&mut self, [what, kind]: [u32; 2], opacity: f32, path: &Path, first: &[f32]) {
        self.items.extend([
            what,
            kind,
            (opacity * 1000.0).round() as u32,
            path.verbs.len() as u32,
            (first.len() + path.coords.len()) as u32,
        ]);
        self.verbs.extend(path.verbs.iter().map(|v| *v as u8));
        self.coords.extend_from_slice(first);
        self.coords.extend_from_slice(&path.coords);
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
