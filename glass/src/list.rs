//! The display list as flat arrays, which the canvas printer reads straight out of memory.

use bozzetto_core::display::{DisplayList, Item};
use wasm_bindgen::prelude::*;

use crate::Glass;

/// Four numbers to an item: colour as `0xRRGGBB`, blend, how many verbs, how many coordinates.
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
            let Item::Fill {
                path,
                colour,
                blend,
            } = item
            else {
                // Pictures are elements of the page, placed by `backdrop_box`.
                continue;
            };
            let rgb = u32::from(colour.r) << 16 | u32::from(colour.g) << 8 | u32::from(colour.b);
            self.items.extend([
                rgb,
                *blend as u32,
                path.verbs.len() as u32,
                path.coords.len() as u32,
            ]);
            self.verbs.extend(path.verbs.iter().map(|v| *v as u8));
            self.coords.extend_from_slice(&path.coords);
        }
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
