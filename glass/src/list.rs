//! The display list that was painted last, for the canvas printer.

use bozzetto_core::display::DisplayList;
use wasm_bindgen::prelude::*;

use crate::Glass;

/// Addresses and lengths in the module's memory, good until the next call.
#[wasm_bindgen]
impl Glass {
    pub fn items_at(&self) -> *const u32 {
        self.picture.list.items.as_ptr()
    }

    pub fn items_len(&self) -> usize {
        self.picture.list.items.len()
    }

    pub fn verbs_at(&self) -> *const u8 {
        self.picture.list.verbs.as_ptr()
    }

    pub fn verbs_len(&self) -> usize {
        self.picture.list.verbs.len()
    }

    pub fn coords_at(&self) -> *const f32 {
        self.picture.list.coords.as_ptr()
    }

    pub fn coords_len(&self) -> usize {
        self.picture.list.coords.len()
    }

    /// Takes a packed display list from elsewhere, to be printed: for holding the printers against each
    /// other. `false` when it is none.
    pub fn take_list(&mut self, bytes: &[u8]) -> bool {
        let list = bozzetto_core::wire::decode::<DisplayList>(bytes);
        list.map(|list| self.picture.list.set(&list)).is_some()
    }
}
