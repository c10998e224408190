//! What lies beneath the marks, as it is painted.

use crate::board;
use crate::colour::{Rgb, WHITE};
use crate::display::{Blend, DisplayList, Item, Path};
use crate::frames::{Glass, Held, Map, Rect, Size, fit};
use crate::wire::{BackdropKind, BackdropView};

/// The colour around a backdrop that does not fill the picture area.
pub const MOUNT: Rgb = Rgb::hex(0x14181D);

impl BackdropView {
    /// In backdrop units.
    pub fn size(&self) -> Size<Held> {
        Size::new(self.width, self.height)
    }

    /// How it is seen: whole, in the middle of the picture area.
    pub fn view(&self, area: Size<Glass>) -> Map<Held, Glass> {
        fit(self.size(), area)
    }
}

/// The picture area with a backdrop, or bare. Pictures lie on white, as on paper, since many that
/// have no background of their own are drawn in black.
pub fn paint(backdrop: Option<&BackdropView>, area: Size<Glass>, list: &mut DisplayList) {
    let mut mount = Path::default();
    mount.rect(&Rect::of_size(area));
    list.fill(mount, MOUNT, Blend::Over);
    let Some(backdrop) = backdrop else {
        return;
    };
    let view = backdrop.view(area);
    match backdrop.kind {
        BackdropKind::Picture { .. } => {
            let to = view.apply_rect(&Rect::of_size(backdrop.size()));
            let mut paper = Path::default();
            paper.rect(&to);
            list.fill(paper, WHITE, Blend::Over);
            list.items.push(Item::Picture { to });
        }
        BackdropKind::Board { ruling } => board::paint(ruling, backdrop.size(), &view, list),
    }
}
