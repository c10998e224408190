//! A place on what is shown, as it answers a question.

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Held, Point};
use crate::geometry::ids::BackdropId;
use crate::sheets::step::SheetId;

/// Places farther out than this are on no sheet, in units of the sheet.
const FARTHEST: f64 = 1e7;

/// A place on the sheet of a backdrop's page: it stays where it is however the backdrop is scrolled or enlarged.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Spot {
    pub backdrop: BackdropId,
    /// From 0.
    pub page: u32,
    /// In the frame of the sheet.
    pub at: Point<Held>,
}

impl Spot {
    /// A place on a sheet; `None` on the glass, which belongs to no picture.
    pub fn on(sheet: SheetId, at: Point<Held>) -> Option<Self> {
        let (backdrop, page) = match sheet {
            SheetId::Glass => return None,
            SheetId::Backdrop(backdrop) => (backdrop, 0),
            SheetId::Page { backdrop, page } => (backdrop, page),
        };
        Some(Self { backdrop, page, at })
    }

    pub fn sheet(&self) -> SheetId {
        SheetId::of_page(self.backdrop, self.page)
    }

    /// As it goes between page and server, to a hundredth of a unit: backdrop, page, and the place.
    ///
    /// ```
    /// use bozzetto_core::asking::spot::Spot;
    /// let spot = Spot::read("7 2 120.5 -3").unwrap();
    /// assert_eq!((spot.page, spot.at.x), (2, 120.5));
    /// assert_eq!(spot.written(), "7 2 120.50 -3.00");
    /// assert!(Spot::read("7 2 120.5").is_none() && Spot::read("7 2 NaN 1").is_none());
    /// ```
    pub fn written(&self) -> String {
        let Self { backdrop, page, at } = self;
        format!("{} {page} {:.2} {:.2}", backdrop.0, at.x, at.y)
    }

    /// What [`written`](Self::written) gives, or `None` where that is no place.
    pub fn read(written: &str) -> Option<Self> {
        let mut parts = written.split(' ');
        let backdrop = BackdropId(parts.next()?.parse().ok()?);
        let page = parts.next()?.parse().ok()?;
        let mut number = || -> Option<f64> {
            let number: f64 = parts.next()?.parse().ok()?;
            (number.abs() <= FARTHEST).then_some(number)
        };
        let at = Point::new(number()?, number()?);
        parts
            .next()
            .is_none()
            .then_some(Self { backdrop, page, at })
    }
}
