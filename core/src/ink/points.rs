//! The points of a stroke, and how they are packed.

use serde::de::{Error, SeqAccess, Visitor};
use serde::ser::SerializeSeq;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::geometry::frames::{Ink, Point, Rect};

/// How many steps a unit has: positions and widths are whole multiples of 1/64 unit.
pub const UNITS: f64 = 64.0;

/// The most points one stroke may have: two and a half minutes without lifting a 120 Hz pen.
pub const MAX_POINTS: usize = 20_000;

/// A point of a stroke and the width of the ink there, each in 1/64 of an [`Ink`] unit.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default)]
pub struct InkPoint {
    pub x: i32,
    pub y: i32,
    pub w: i32,
}

impl InkPoint {
    /// Rounds to the nearest 1/64 unit; a width of less than that becomes 1/64.
    pub fn new(p: Point<Ink>, width: f64) -> Self {
        Self {
            x: steps(p.x),
            y: steps(p.y),
            w: steps(width).max(1),
        }
    }

    /// In units.
    pub fn position(self) -> Point<Ink> {
        Point::new(f64::from(self.x) / UNITS, f64::from(self.y) / UNITS)
    }

    /// Half the width, in units.
    pub fn radius(self) -> f64 {
        f64::from(self.w) / UNITS / 2.0
    }
}

/// The points of a stroke. On the wire each is written as its difference from the one before.
#[derive(Clone, PartialEq, Eq, Debug, Default)]
pub struct Points(pub Vec<InkPoint>);

impl Points {
    /// A rectangle that contains the ink.
    pub fn bounds(&self) -> Rect<Ink> {
        bounds_of(&self.0)
    }
}

/// A length in steps of 1/64 unit, halves upwards: unlike `round`, which WebAssembly has no
/// instruction for.
pub(crate) fn steps(length: f64) -> i32 {
    (length * UNITS + 0.5).floor() as i32
}

/// A rectangle that contains the ink of `points`.
pub fn bounds_of(points: &[InkPoint]) -> Rect<Ink> {
    points.iter().fold(Rect::EMPTY, |r, p| {
        let c = p.position();
        r.union(&Rect::from_corners(c, c).inflate(p.radius()))
    })
}

impl Serialize for Points {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        let mut seq = serializer.serialize_seq(Some(self.0.len()))?;
        let mut last = InkPoint::default();
        for p in &self.0 {
            seq.serialize_element(&(
                p.x.wrapping_sub(last.x),
                p.y.wrapping_sub(last.y),
                p.w.wrapping_sub(last.w),
            ))?;
            last = *p;
        }
        seq.end()
    }
}

impl<'de> Deserialize<'de> for Points {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Deltas;
        impl<'de> Visitor<'de> for Deltas {
            type Value = Points;
            fn expecting(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
                f.write_str("the points of a stroke")
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<Points, A::Error> {
                let mut points = Vec::with_capacity(seq.size_hint().unwrap_or(0).min(MAX_POINTS));
                let mut last = InkPoint::default();
                while let Some((x, y, w)) = seq.next_element::<(i32, i32, i32)>()? {
                    if points.len() == MAX_POINTS {
                        return Err(A::Error::custom("too many points in one stroke"));
                    }
                    last = InkPoint {
                        x: last.x.wrapping_add(x),
                        y: last.y.wrapping_add(y),
                        w: last.w.wrapping_add(w),
                    };
                    points.push(last);
                }
                Ok(Points(points))
            }
        }
        deserializer.deserialize_seq(Deltas)
    }
}
