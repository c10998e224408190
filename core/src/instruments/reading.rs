//! Readings: lengths, angles and areas of what was pointed at, each with its uncertainty.
//!
//! Uncertainties are propagated as the *Guide to the expression of uncertainty in measurement* has it (JCGM
//! 100:2008, 5.1.2), from two sources: a place that is pointed at is known to a pixel, whose standard
//! uncertainty is a pixel divided by the square root of twelve (4.3.7); and the scale is known as well as the
//! line was drawn that it is taken from. What is said is twice the standard uncertainty (6.2.1), within which
//! the truth lies in 95 of 100 cases.

use super::scale::Scale;
use super::units::Unit;

/// How often the standard uncertainty is said: the coverage factor.
pub const COVERAGE: f64 = 2.0;

/// The standard uncertainty of a coordinate that is known to a pixel of this size.
pub fn of_a_pixel(pixel: f64) -> f64 {
    pixel / 12f64.sqrt()
}

/// A value with its standard uncertainty.
#[derive(Clone, Copy, PartialEq, Debug)]
pub struct Reading {
    pub value: f64,
    pub off: f64,
}

/// A place on a backdrop, in units of that.
pub type Place = (f64, f64);

fn minus(a: Place, b: Place) -> Place {
    (a.0 - b.0, a.1 - b.1)
}

fn unit(v: Place) -> Place {
    let length = v.0.hypot(v.1);
    match length > 0.0 {
        true => (v.0 / length, v.1 / length),
        false => (0.0, 0.0),
    }
}

fn squared(v: Place) -> f64 {
    v.0 * v.0 + v.1 * v.1
}

impl Reading {
    /// The length of a path through places, each known to `off` in either coordinate.
    pub fn length(path: &[Place], off: f64) -> Self {
        let value = path.windows(2).map(|w| minus(w[1], w[0]));
        let value = value.map(|d| d.0.hypot(d.1)).sum();
        // How much the length changes with a place: along the piece that comes, less along that which goes.
        let each = (0..path.len()).map(|i| {
            let comes = if i > 0 {
                unit(minus(path[i], path[i - 1]))
            } else {
                (0.0, 0.0)
            };
            let goes = path
                .get(i + 1)
                .map_or((0.0, 0.0), |next| unit(minus(*next, path[i])));
            squared(minus(comes, goes))
        });
        Self {
            value,
            off: off * each.sum::<f64>().sqrt(),
        }
    }

    /// The area that places enclose, each known to `off`: Gauss's formula.
    pub fn area(corners: &[Place], off: f64) -> Self {
        let n = corners.len();
        let next = |i: usize| corners[(i + 1) % n];
        let before = |i: usize| corners[(i + n - 1) % n];
        let twice: f64 = (0..n)
            .map(|i| corners[i].0 * next(i).1 - next(i).0 * corners[i].1)
            .sum();
        let each: f64 = (0..n)
            .map(|i| squared(minus(next(i), before(i))) / 4.0)
            .sum();
        Self {
            value: twice.abs() / 2.0,
            off: off * each.sqrt(),
        }
    }

    /// The angle at `at` between two places, in degrees up to 180, each known to `off`.
    pub fn angle(a: Place, at: Place, b: Place, off: f64) -> Self {
        let (to_a, to_b) = (minus(a, at), minus(b, at));
        let value = {
            let cross = to_a.0 * to_b.1 - to_a.1 * to_b.0;
            let dot = to_a.0 * to_b.0 + to_a.1 * to_b.1;
            cross.abs().atan2(dot).to_degrees()
        };
        // A direction changes across its line, by one over its length; the middle changes both.
        let across = |v: Place| {
            let (length, u) = (v.0.hypot(v.1), unit(v));
            (-u.1 / length, u.0 / length)
        };
        let (ca, cb) = (across(to_a), across(to_b));
        let all = squared(ca) + squared(cb) + squared(minus(ca, cb));
        Self {
            value,
            off: (off * all.sqrt()).to_degrees(),
        }
    }

    /// A length in the unit of a scale.
    pub fn scaled(self, scale: &Scale) -> Self {
        self.times(scale.per_unit(), scale.relative())
    }

    /// An area in the square of the unit of a scale.
    pub fn scaled_twice(self, scale: &Scale) -> Self {
        self.times(scale.per_unit().powi(2), 2.0 * scale.relative())
    }

    fn times(self, by: f64, relative: f64) -> Self {
        let value = self.value * by;
        Self {
            value,
            off: (self.off * by).hypot(value * relative),
        }
    }

    /// As it is said: the expanded uncertainty to two figures at the most, and the value to the same place
    /// (JCGM 100:2008, 7.2.6).
    ///
    /// ```
    /// use bozzetto_core::instruments::reading::Reading;
    /// let said = |value, off| Reading { value, off }.said("M");
    /// assert_eq!(said(2.3149, 0.0061), "2.315 ± 0.012 M");
    /// assert_eq!(said(1234.6, 13.0), "1235 ± 26 M");
    /// assert_eq!(said(47.0, 0.0), "47 M");
    /// ```
    pub fn said(self, unit: &str) -> String {
        match self.figures() {
            Some((value, expanded)) => format!("{value} ± {expanded}{}", after(unit)),
            None => format!("{}{}", self.value, after(unit)),
        }
    }

    /// The same without its uncertainty, of which the figures say enough.
    pub fn rounded(self, unit: &str) -> String {
        match self.figures() {
            Some((value, _)) => format!("{value}{}", after(unit)),
            None => format!("{}{}", self.value, after(unit)),
        }
    }

    /// The value and the expanded uncertainty as they are written; `None` for what is exact.
    fn figures(self) -> Option<(String, String)> {
        let expanded = COVERAGE * self.off;
        if !(expanded.is_finite() && expanded > 0.0) {
            return None;
        }
        let place = expanded.log10().floor() as i32 - 1;
        let decimals = (-place).clamp(0, 9) as usize;
        // Beyond the point the number of decimals rounds; before it, whole tens and hundreds do.
        let step = 10f64.powi(place.max(0));
        let written = |v: f64| match place {
            0.. => format!("{}", (v / step).round() * step),
            _ => format!("{v:.decimals$}"),
        };
        Some((written(self.value), written(expanded)))
    }
}

/// A unit as it stands after a number.
fn after(unit: &str) -> String {
    match unit.starts_with('°') || unit.is_empty() {
        true => unit.to_owned(),
        false => format!(" {unit}"),
    }
}

/// The area's unit, as it is written.
pub fn squared_sign(unit: &Unit) -> String {
    format!("{}²", unit.sign())
}
