//! Stamps: one tap sets a sign; as long as the finger is down it can still be pushed into place.

use crate::ink::tip::Tip;
use crate::marks::mark::{Body, Mark, Style};
use crate::marks::stamp::{MOST, Sign, Stamp};
use crate::paint::wet::WetShape;
use crate::sheets::sheet::Sheets;
use crate::sheets::step::SheetId;
use crate::stage::pane::InView;
use crate::tools::desk::{Desk, Effect, fading};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// Half the width of a stamp, in glass units.
const HALF: f64 = 30.0;

/// A stamp that is being set.
#[derive(Debug)]
pub struct Set {
    sheet: SheetId,
    mark: Mark,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    let (swatch, sheet, transform) = desk.dipped(desk.in_hand.swatch, at.at())?;
    let sign = numbered(desk, desk.in_hand.sign());
    let style = Style::new(Tip::Round, swatch.colour, swatch.width);
    let body = Body::Stamp(Stamp::new(sign, at.sample.at, HALF));
    let mark = desk.new_mark(sheet, style, body, transform, fading(&swatch));
    let set = Set { sheet, mark };
    set.show(desk);
    Some(Box::new(set))
}

/// The number that the counter sets next: one more than the highest on the sheets in view.
pub fn next_number(sheets: &Sheets, in_view: &[InView]) -> u16 {
    let marks = in_view.iter().flat_map(|v| sheets.sheet(v.sheet).marks());
    let numbers = marks.filter_map(|mark| match &mark.body {
        Body::Stamp(Stamp {
            sign: Sign::Counter(n),
            ..
        }) => Some(*n),
        _ => None,
    });
    numbers.max().map_or(1, |n| (n + 1).min(MOST))
}

fn numbered(desk: &Desk, sign: Sign) -> Sign {
    match sign {
        Sign::Counter(_) => Sign::Counter(next_number(desk.sheets, desk.in_view)),
        other => other,
    }
}

impl Set {
    fn show(&self, desk: &mut Desk) {
        let (sheet, mark) = (self.sheet, self.mark.clone());
        desk.want(Effect::Show(WetShape { sheet, mark }));
    }
}

impl Tool for Set {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        if let (Body::Stamp(stamp), Some(last)) = (&mut self.mark.body, motion.samples.last()) {
            *stamp = Stamp::new(stamp.sign, last.at, HALF);
            self.show(desk);
        }
    }

    fn lifted(&mut self, desk: &mut Desk, _at: &Pointer) -> Next {
        self.finished(desk)
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        desk.want(Effect::Forget(self.mark.id));
        Next::Ends
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        if let Body::Stamp(stamp) = &mut self.mark.body {
            // Somebody else may have set that number meanwhile.
            stamp.sign = numbered(desk, stamp.sign);
        }
        desk.settle(self.sheet, self.mark.clone(), true);
        Next::Ends
    }

    fn by_accident(&self) -> bool {
        true
    }
}
