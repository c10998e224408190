//! The halves of a board for two: 0 the left, 1 the right.

use bozzetto_core::lesson::change::Intent;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use wasm_bindgen::prelude::*;

use crate::Glass;

#[wasm_bindgen]
impl Glass {
    /// Clears one half of a board for two: 0 the left, 1 the right.
    pub fn wipe_half(&mut self, id: &str, half: u32) -> bool {
        let Some(sheet) = self.half(id, half) else {
            return false;
        };
        if self.replica.sheets().sheet(sheet).is_empty() {
            return false;
        }
        let op = Op::Wipe;
        self.act(Intent::Do(vec![Step { sheet, op }]))
    }

    pub fn undo_half(&mut self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.act(Intent::UndoOn(sheet)))
    }

    pub fn redo_half(&mut self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.act(Intent::RedoOn(sheet)))
    }

    pub fn can_undo_half(&self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.replica.can_undo_on(sheet))
    }

    pub fn can_redo_half(&self, id: &str, half: u32) -> bool {
        let sheet = self.half(id, half);
        sheet.is_some_and(|sheet| self.replica.can_redo_on(sheet))
    }
}

impl Glass {
    fn half(&self, id: &str, half: u32) -> Option<SheetId> {
        self.backdrop(id)?.sheets().nth(half as usize)
    }
}
