//! Takes the tremble out of a hand without holding the pen back.
//!
//! The 1€ filter: a first-order low-pass filter whose cut-off rises with speed, so that a slow hand
//! is steadied and a quick one is followed. Source: Casiez, Roussel and Vogel, *1€ Filter: A Simple
//! Speed-based Low-pass Filter for Noisy Input in Interactive Systems*, CHI 2012.

use crate::geometry::frames::{Ink, Point};

/// Cut-off for a hand at rest, in hertz.
const MIN_CUTOFF: f64 = 6.0;
/// How much the cut-off rises, in hertz for each unit per second.
const BETA: f64 = 0.03;
/// Cut-off of the speed estimate, in hertz.
const SPEED_CUTOFF: f64 = 8.0;

/// A 1€ filter over points of the plane; one cut-off for both axes, so that it favours no direction.
#[derive(Clone, Debug, Default)]
pub struct OneEuro {
    last: Option<State>,
}

#[derive(Clone, Copy, Debug)]
struct State {
    t: f64,
    raw: Point<Ink>,
    out: Point<Ink>,
    speed: f64,
}

impl OneEuro {
    /// The filtered position for a sample at `t` milliseconds. Times that do not advance count as
    /// one millisecond apart.
    pub fn filter(&mut self, raw: Point<Ink>, t: f64) -> Point<Ink> {
        let Some(last) = self.last else {
            self.last = Some(State {
                t,
                raw,
                out: raw,
                speed: 0.0,
            });
            return raw;
        };
        let dt = ((t - last.t) / 1000.0).clamp(0.001, 0.1);
        let speed = mix(
            last.speed,
            raw.distance(last.raw) / dt,
            alpha(SPEED_CUTOFF, dt),
        );
        let a = alpha(MIN_CUTOFF + BETA * speed, dt);
        let out = Point::new(mix(last.out.x, raw.x, a), mix(last.out.y, raw.y, a));
        self.last = Some(State { t, raw, out, speed });
        out
    }

    /// The estimated speed, in units per second.
    pub fn speed(&self) -> f64 {
        self.last.map_or(0.0, |s| s.speed)
    }
}

/// Smoothing factor of a low-pass filter with this cut-off (hertz) for a step of `dt` seconds.
fn alpha(cutoff: f64, dt: f64) -> f64 {
    let tau = 1.0 / (std::f64::consts::TAU * cutoff);
    1.0 / (1.0 + tau / dt)
}

fn mix(from: f64, to: f64, a: f64) -> f64 {
    from + a * (to - from)
}
