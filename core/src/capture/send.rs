//! What a capture becomes when it is sent somewhere: its size in pixels, its format.

use serde::{Deserialize, Serialize};

use super::plan::{MAX_PIXELS, MAX_SIDE};

/// The kinds of file that a capture is sent as.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Format {
    #[default]
    Png,
    Jpeg,
    Webp,
    Svg,
    Pdf,
}

impl Format {
    /// How the names of its files end.
    pub fn extension(self) -> &'static str {
        match self {
            Format::Png => "png",
            Format::Jpeg => "jpg",
            Format::Webp => "webp",
            Format::Svg => "svg",
            Format::Pdf => "pdf",
        }
    }

    pub fn mime(self) -> &'static str {
        match self {
            Format::Png => "image/png",
            Format::Jpeg => "image/jpeg",
            Format::Webp => "image/webp",
            Format::Svg => "image/svg+xml",
            Format::Pdf => "application/pdf",
        }
    }

    /// Whether it can be made smaller by losing detail.
    pub fn has_quality(self) -> bool {
        matches!(self, Format::Jpeg | Format::Webp)
    }
}

/// How large a capture is sent.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Fit {
    /// As it was taken.
    #[default]
    Original,
    /// So many pixels wide.
    Width(u32),
    /// As large as fits into so many pixels, never enlarged.
    Box(u32, u32),
    /// The same, with the box turned to lie as the picture does: paper.
    Paper(u32, u32),
}

/// The size that a capture is sent in.
#[derive(Clone, Copy, PartialEq, Debug, Serialize)]
pub struct Fitted {
    pub width: u32,
    pub height: u32,
    /// By how much it is enlarged past what was seen, if it is.
    pub enlarged: Option<f64>,
}

/// Why a capture cannot be sent in a size.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
pub enum FitFault {
    #[error("A width and a height are at least one pixel.")]
    Nothing,
    #[error(
        "That is more than 64 million pixels, or more than 16 384 on a side. Choose a smaller width."
    )]
    TooLarge,
}

impl Fit {
    /// The size of a capture of `width` by `height` pixels; it keeps its shape, to within a pixel.
    ///
    /// # Errors
    /// For a size of nothing, and one beyond [`MAX_PIXELS`] or [`MAX_SIDE`].
    pub fn of(self, width: u32, height: u32) -> Result<Fitted, FitFault> {
        let (w, h) = (f64::from(width.max(1)), f64::from(height.max(1)));
        let within = |a: u32, b: u32| (f64::from(a) / w).min(f64::from(b) / h).min(1.0);
        let by = match self {
            Fit::Width(0)
            | Fit::Box(0, _)
            | Fit::Box(_, 0)
            | Fit::Paper(0, _)
            | Fit::Paper(_, 0) => {
                return Err(FitFault::Nothing);
            }
            Fit::Original => 1.0,
            Fit::Width(wide) => f64::from(wide) / w,
            Fit::Box(a, b) => within(a, b),
            Fit::Paper(a, b) if (a > b) == (w > h) => within(a, b),
            Fit::Paper(a, b) => within(b, a),
        };
        let pixels = |v: f64| (v * by).round().max(1.0);
        let (fw, fh) = (pixels(w), pixels(h));
        if fw * fh > MAX_PIXELS || fw.max(fh) > MAX_SIDE {
            return Err(FitFault::TooLarge);
        }
        Ok(Fitted {
            width: fw as u32,
            height: fh as u32,
            enlarged: (by > 1.0).then_some(by),
        })
    }
}

/// The largest value from `low` to `high` whose file is not larger than the limit, if there is one. `size` is asked
/// for a few of them, and grows with the value.
pub fn largest_within(
    low: u8,
    high: u8,
    limit: u64,
    mut size: impl FnMut(u8) -> u64,
) -> Option<u8> {
    let (mut low, mut high) = (u16::from(low), u16::from(high));
    let mut found = None;
    while low <= high {
        let middle = (low + high) / 2;
        if size(middle as u8) <= limit {
            found = Some(middle as u8);
            low = middle + 1;
        } else if middle == 0 {
            break;
        } else {
            high = middle - 1;
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// What is fitted lies in its box and touches it, keeps its shape, and says when it is enlarged.
        #[test]
        fn what_is_fitted_fits(w in 1..8000u32, h in 1..8000u32, a in 1..6000u32, b in 1..6000u32) {
            prop_assume!(f64::from(w) * f64::from(h) <= MAX_PIXELS);
            // There is one scale by which both sides are what they were, to within a pixel.
            let shape = |f: Fitted| {
                let scales = |now: u32, was: u32| {
                    let [now, was] = [now, was].map(f64::from);
                    ((now - 1.0) / was, (now + 1.0) / was)
                };
                let (x, y) = (scales(f.width, w), scales(f.height, h));
                x.0.max(y.0) <= x.1.min(y.1)
            };
            let boxed = Fit::Box(a, b).of(w, h).unwrap();
            prop_assert!(boxed.width <= a && boxed.height <= b && boxed.width <= w && boxed.height <= h);
            prop_assert!(boxed.width == a || boxed.height == b || boxed.width == w);
            prop_assert!(boxed.enlarged.is_none() && shape(boxed));
            let paper = Fit::Paper(a, b).of(w, h).unwrap();
            let turned = Fit::Box(b, a).of(w, h).unwrap();
            prop_assert!(u64::from(paper.width) * u64::from(paper.height)
                >= u64::from(turned.width.min(boxed.width)) * u64::from(turned.height.min(boxed.height)));
            if let Ok(wide) = Fit::Width(a).of(w, h) {
                prop_assert_eq!(wide.width, a);
                prop_assert!(shape(wide));
                prop_assert_eq!(wide.enlarged.is_some(), a > w);
            }
        }

        /// The best quality within a limit is found.
        #[test]
        fn the_best_within_a_limit_is_found(steps in prop::collection::vec(0..50u64, 101), limit in 0..3000u64) {
            let sizes: Vec<u64> = steps.iter().scan(10, |sum, s| { *sum += s; Some(*sum) }).collect();
            let best = (1..=100u8).rev().find(|q| sizes[usize::from(*q)] <= limit);
            prop_assert_eq!(largest_within(1, 100, limit, |q| sizes[usize::from(q)]), best);
        }
    }
}
