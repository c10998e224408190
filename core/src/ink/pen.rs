//! A pen on its way: takes samples, gives the points of the stroke.

use serde::{Deserialize, Serialize};

use super::filter::OneEuro;
use super::points::{InkPoint, MAX_POINTS, Points};
use crate::geometry::frames::{Ink, Point};

/// What a sample came from.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Device {
    Mouse,
    Pen,
    Finger,
}

/// What the width of the ink follows.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub enum WidthRule {
    /// Always the swatch's width.
    Even,
    /// The pressure of a pen, the speed of a mouse or finger.
    Lively,
}

/// One report of a pointing device.
#[derive(Clone, Copy, Debug)]
pub struct Sample {
    /// In glass units: the stroke's own frame is the glass as it is now.
    pub at: Point<Ink>,
    /// 0 to 1; only a pen's is used.
    pub pressure: f64,
    /// Milliseconds, from any origin.
    pub t: f64,
}

/// Points closer together than this (in units) are dropped: they carry no shape.
const MIN_STEP: f64 = 0.6;
/// The speed, in units per second, at which lively ink is at its thinnest.
const QUICK: f64 = 3200.0;

/// Builds one stroke from samples.
#[derive(Clone, Debug)]
pub struct Pen {
    device: Device,
    rule: WidthRule,
    width: f64,
    filter: OneEuro,
    factor: Option<f64>,
    last_raw: Option<Sample>,
    points: Vec<InkPoint>,
}

impl Pen {
    /// `width` is the swatch's, in units.
    pub fn new(device: Device, rule: WidthRule, width: f64) -> Self {
        Self {
            device,
            rule,
            width,
            filter: OneEuro::default(),
            factor: None,
            last_raw: None,
            points: Vec::new(),
        }
    }

    /// Takes a sample. Samples that are not finite are ignored, and so is everything past
    /// [`MAX_POINTS`].
    pub fn push(&mut self, sample: Sample) {
        if !sample.at.is_finite() || !sample.t.is_finite() || self.points.len() >= MAX_POINTS - 1 {
            return;
        }
        let at = self.filter.filter(sample.at, sample.t);
        let width = self.width_for(sample.pressure);
        self.last_raw = Some(sample);
        let step = self
            .points
            .last()
            .map_or(f64::INFINITY, |p| p.position().distance(at));
        if step >= MIN_STEP {
            self.points.push(InkPoint::new(at, width));
        } else if let [only] = self.points.as_mut_slice() {
            // A dot takes the greatest width that it was pressed with.
            only.w = only.w.max(InkPoint::new(at, width).w);
        }
    }

    /// Where the ink would go if the hand did what the browser predicts. Changes nothing.
    pub fn predict(&self, samples: &[Sample]) -> Vec<InkPoint> {
        let mut ahead = self.clone();
        let settled = ahead.points.len();
        samples.iter().for_each(|s| ahead.push(*s));
        ahead.points.split_off(settled.min(ahead.points.len()))
    }

    /// The points so far.
    pub fn points(&self) -> &[InkPoint] {
        &self.points
    }

    /// Lifts the pen. The stroke ends where the hand was, not where the filter had got to.
    pub fn lift(mut self) -> Points {
        if let (Some(raw), Some(last)) = (self.last_raw, self.points.last().copied())
            && last.position().distance(raw.at) >= MIN_STEP
        {
            self.points
                .push(InkPoint::new(raw.at, f64::from(last.w) / super::UNITS));
        }
        Points(self.points)
    }

    fn width_for(&mut self, pressure: f64) -> f64 {
        let target = match (self.rule, self.device) {
            (WidthRule::Even, _) => 1.0,
            // A light touch still leaves a readable line; a firm one is a third wider than the swatch.
            (WidthRule::Lively, Device::Pen) => 0.35 + pressure.clamp(0.0, 1.0).sqrt() * 0.95,
            (WidthRule::Lively, _) => 1.1 - 0.45 * (self.filter.speed() / QUICK).min(1.0),
        };
        let factor = self.factor.map_or(target, |f| f + 0.35 * (target - f));
        self.factor = Some(factor);
        self.width * factor
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn draw(samples: impl IntoIterator<Item = (f64, f64)>) -> Points {
        let mut pen = Pen::new(Device::Mouse, WidthRule::Even, 4.0);
        for (i, (x, y)) in samples.into_iter().enumerate() {
            pen.push(Sample {
                at: Point::new(x, y),
                pressure: 0.5,
                t: i as f64 * 8.0,
            });
        }
        pen.lift()
    }

    /// A hand at rest that trembles by ±1.5 units draws with a fraction of the tremble; the same
    /// filter follows a quick straight pull to within three units at 120 Hz.
    #[test]
    fn steadies_a_slow_hand_and_follows_a_quick_one() {
        let jitter = |i: usize| if i.is_multiple_of(2) { 1.5 } else { -1.5 };
        let slow = draw((0..120).map(|i| (i as f64 * 0.8, 100.0 + jitter(i))));
        let tremble = slow.0[10..slow.0.len() - 1]
            .iter()
            .map(|p| (p.position().y - 100.0).abs())
            .fold(0.0, f64::max);
        assert!(tremble < 0.6, "tremble of {tremble}");

        let mut pen = Pen::new(Device::Pen, WidthRule::Even, 4.0);
        for i in 0..60 {
            pen.push(Sample {
                at: Point::new(f64::from(i) * 16.0, 0.0),
                pressure: 0.5,
                t: f64::from(i) * 8.0,
            });
        }
        let lag = 59.0 * 16.0 - pen.points().last().unwrap().position().x;
        assert!(
            (0.0..8.0).contains(&lag),
            "lag of {lag} units at 2000 units/s"
        );
    }

    #[test]
    fn a_stroke_ends_where_the_hand_was_and_a_tap_is_a_dot() {
        let stroke = draw([(0.0, 0.0), (40.0, 0.0), (90.0, 10.0)]);
        assert_eq!(stroke.0.last().unwrap().position(), Point::new(90.0, 10.0));
        assert_eq!(draw([(5.0, 5.0)]).0.len(), 1);
    }

    #[test]
    fn pressing_harder_never_thins_the_ink() {
        let width = |pressure| {
            let mut pen = Pen::new(Device::Pen, WidthRule::Lively, 10.0);
            pen.push(Sample {
                at: Point::new(0.0, 0.0),
                pressure,
                t: 0.0,
            });
            pen.points()[0].w
        };
        let widths: Vec<_> = (0..=10).map(|p| width(f64::from(p) / 10.0)).collect();
        assert!(widths.is_sorted() && widths[0] < widths[10]);
    }
}
