//! What a capture contains: the box on the stage, and the pixels it becomes.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Glass, Map, Pixels, Point, Rect, Size};
use crate::geometry::ids::BackdropId;
use crate::stage::backdrop::ViewState;
use crate::stage::grain::Grain;
use crate::stage::pane::{Beside, Pane};

use super::way::Way;

/// Vector backdrops are captured at least as fine as a stage whose longer side has so many pixels.
const VECTOR_SIDE: f64 = 3840.0;

/// The most pixels in a capture, and the longest side: what a server can hold at once and every
/// viewer opens.
pub const MAX_PIXELS: f64 = 64_000_000.0;
/// The longest side, in pixels.
pub const MAX_SIDE: f64 = 16_384.0;

/// How a box becomes pixels.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Plan {
    /// The box, moved to whole pixels.
    pub area: Rect<Glass>,
    /// Pixels to a glass unit.
    pub scale: f64,
    /// In pixels, at most [`MAX_SIDE`]; together at most [`MAX_PIXELS`].
    pub width: u32,
    pub height: u32,
}

impl Plan {
    /// From the glass to the capture's pixels.
    pub fn to_pixels(&self) -> Map<Glass, Pixels> {
        Map::scale_then_move(
            self.scale,
            -self.area.x0 * self.scale,
            -self.area.y0 * self.scale,
        )
    }
}

/// What a presenter's browser asks to be captured.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Request {
    /// The box.
    pub area: Rect<Glass>,
    /// Device pixels to a glass unit on the presenter's screen.
    pub device: f64,
    /// Device pixels to a CSS pixel there.
    pub ratio: f64,
    pub stage: OnStage,
    #[serde(default)]
    pub way: Way,
}

/// What was on stage there, and how it was seen: perhaps not as it is seen by the time that the
/// request is read.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct OnStage {
    /// In the first pane.
    pub current: Option<BackdropId>,
    pub beside: Option<Beside>,
    /// Views of the backdrops on stage.
    pub seen: Vec<(BackdropId, ViewState)>,
}

/// What there is to be seen of a backdrop, as far as a capture's resolution goes.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Detail {
    /// Where it lies.
    pub on_glass: Rect<Glass>,
    pub grain: Grain,
    /// Its own pixels to a glass unit; of no meaning for what is vector.
    pub scale: f64,
    /// The corner of one of its pixels.
    pub corner: Point<Glass>,
}

impl Pane<'_> {
    /// What there is to be seen in the pane; `None` when it is bare. `fine` is how many pixels the
    /// backdrop has to a backdrop unit, when that is not one: what a browser hands over of a moving
    /// one may be finer or coarser.
    pub fn detail(&self, fine: f64) -> Option<Detail> {
        let backdrop = self.backdrop?;
        let view = backdrop.view(&self.room);
        let shown = backdrop
            .seen
            .frozen
            .map_or_else(|| backdrop.shown(&self.room), |f| f.shows);
        Some(Detail {
            on_glass: view.apply_rect(&shown).intersection(&self.room),
            grain: backdrop.kind.grain(),
            scale: fine / view.mean_scale(),
            corner: view.apply(Point::new(shown.x0, shown.y0)),
        })
    }
}

/// Plans the capture of `area`.
///
/// The resolution is the finest that a backdrop has inside the box, and never below `device`, the
/// pixels that the presenter's screen shows to a glass unit. Where a backdrop's own pixels are
/// taken, the box is moved to their edges, so that every pixel of the backdrop is copied as it is;
/// otherwise to the edges of the screen's pixels. Only above [`MAX_PIXELS`] or [`MAX_SIDE`] is it
/// coarser.
///
/// `details` are the backdrops on stage. The result is at least one pixel large.
pub fn plan(area: &Rect<Glass>, stage: Size<Glass>, details: &[Detail], device: f64) -> Plan {
    let area = area.intersection(&Rect::of_size(stage));
    let area = if area.is_empty() {
        Rect::from_corners(Point::new(0.0, 0.0), Point::new(1.0, 1.0))
    } else {
        area
    };
    let device = if device.is_finite() {
        device.clamp(0.1, 8.0)
    } else {
        1.0
    };
    let vector = VECTOR_SIDE / stage.width.max(stage.height);
    let mut wanted = device;
    let mut origin = Point::new(0.0, 0.0);
    for detail in details.iter().filter(|d| d.on_glass.intersects(&area)) {
        match detail.grain {
            Grain::Vector if vector > wanted => {
                (wanted, origin) = (vector, Point::new(0.0, 0.0));
            }
            Grain::Pixels if detail.scale >= wanted => {
                (wanted, origin) = (detail.scale, detail.corner);
            }
            _ => {}
        }
    }
    let most = (MAX_PIXELS / (area.width() * area.height()).max(1e-9))
        .sqrt()
        .min(MAX_SIDE / area.width().max(area.height()).max(1e-9));
    let scale = wanted.min(most);
    // Edges to the nearest edge of a pixel, counted from `origin`.
    let edge = |v: f64, from: f64| ((v - from) * scale).round();
    let (x0, x1) = (edge(area.x0, origin.x), edge(area.x1, origin.x));
    let (y0, y1) = (edge(area.y0, origin.y), edge(area.y1, origin.y));
    let (width, height) = ((x1 - x0).max(1.0), (y1 - y0).max(1.0));
    let back = |v: f64, from: f64| v / scale + from;
    Plan {
        area: Rect::from_corners(
            Point::new(back(x0, origin.x), back(y0, origin.y)),
            Point::new(back(x0 + width, origin.x), back(y0 + height, origin.y)),
        ),
        scale,
        width: width as u32,
        height: height as u32,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::zoom::Zoom;
    use proptest::prelude::*;

    const STAGE: Size<Glass> = Size::new(1920.0, 1080.0);

    fn rect() -> impl Strategy<Value = Rect<Glass>> {
        (
            0.0..1920.0f64,
            0.0..1080.0f64,
            0.0..1920.0f64,
            0.0..1080.0f64,
        )
            .prop_map(|(a, b, c, d)| Rect::from_corners(Point::new(a, b), Point::new(c, d)))
    }

    proptest! {
        /// A capture is never coarser than the screen, its pixels are square and cover the box to
        /// within a pixel, and a finer picture's own pixels are hit exactly.
        #[test]
        fn resolution_is_the_finest_there_is(
            area in rect(), w in 40.0..9000.0f64, h in 40.0..6000.0f64, device in 0.4..3.0f64,
        ) {
            // A box is at least a pixel large.
            prop_assume!(area.width() * device >= 1.0 && area.height() * device >= 1.0);
            let (size, w, h) = (Size::new(w.round(), h.round()), w.round(), h.round());
            let view: crate::geometry::frames::Map<crate::geometry::frames::Held, Glass> = Zoom::WHOLE.map(size, STAGE);
            let on_glass = view.apply_rect(&Rect::of_size(size));
            let detail = Detail { on_glass, grain: Grain::Pixels, scale: 1.0 / view.mean_scale(), corner: view.apply(Point::new(0.0, 0.0)) };
            let p = plan(&area, STAGE, &[detail], device);
            prop_assert!(p.width >= 1 && p.height >= 1);
            prop_assert!(f64::from(p.width) * f64::from(p.height) <= MAX_PIXELS * 1.001);
            prop_assert!((p.area.width() * p.scale - f64::from(p.width)).abs() < 1e-6);
            prop_assert!((p.area.height() * p.scale - f64::from(p.height)).abs() < 1e-6);
            let pixel = 1.0 / p.scale + 1e-9;
            prop_assert!((p.area.x0 - area.x0).abs() <= pixel && (p.area.y1 - area.y1).abs() <= pixel);
            let native = (w / 1920.0).max(h / 1080.0);
            let shown = view.apply_rect(&Rect::of_size(size)).intersects(&area);
            let wanted = if shown { native.max(device) } else { device };
            prop_assert!((p.scale - wanted).abs() < 1e-9 || p.scale < wanted && f64::from(p.width) * f64::from(p.height) > MAX_PIXELS * 0.99);
            if shown && native > device && p.scale == wanted {
                let corner = view.inverse().unwrap().apply(Point::new(p.area.x0, p.area.y0));
                prop_assert!((corner.x - corner.x.round()).abs() < 1e-6);
                prop_assert!((corner.y - corner.y.round()).abs() < 1e-6);
            }
        }
    }
}
