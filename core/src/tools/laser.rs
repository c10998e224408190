//! The laser: a dot under what points, which leaves nothing. A mouse has it always, a pen or a finger
//! while it is down.

use crate::aids::pointing::Pointing;
use crate::ink::pen::{Device, Sample};
use crate::ink::{InkPoint, Points};
use crate::tools::desk::{Desk, Effect};
use crate::tools::pointer::{Motion, Pointer};
use crate::tools::tool::{Next, Tool};

/// A laser dot under a pointer that is down.
#[derive(Debug)]
pub struct Lit {
    device: Device,
}

pub fn begin(desk: &mut Desk, at: &Pointer) -> Option<Box<dyn Tool>> {
    point(desk, &[at.sample]);
    Some(Box::new(Lit { device: at.device }))
}

/// The dot goes through these places.
pub fn point(desk: &mut Desk, samples: &[Sample]) {
    let look = desk.settings.aids.laser;
    let place = |s: &Sample| InkPoint::new(s.at, look.size);
    desk.want(Effect::Point(Pointing::Laser {
        colour: look.colour,
        places: Points(samples.iter().map(place).collect()),
    }));
}

impl Tool for Lit {
    fn moved(&mut self, desk: &mut Desk, motion: &Motion) {
        point(desk, motion.samples);
    }

    fn lifted(&mut self, desk: &mut Desk, at: &Pointer) -> Next {
        match self.device {
            Device::Mouse => Next::Ends,
            Device::Pen | Device::Finger => self.cancelled(desk, at.id),
        }
    }

    fn cancelled(&mut self, desk: &mut Desk, _pointer: i32) -> Next {
        self.finished(desk)
    }

    fn finished(&mut self, desk: &mut Desk) -> Next {
        desk.want(Effect::Point(Pointing::NoLaser));
        Next::Ends
    }

    fn by_accident(&self) -> bool {
        true
    }
}
