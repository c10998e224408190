//! Colours of ink, and the contrast between colours.

use serde::{Deserialize, Serialize};

/// Contrast of a line against what is beneath it. Source: WCAG 2.2, 1.4.11, non-text contrast.
pub const LINE_CONTRAST: f64 = 3.0;

/// A colour in sRGB, 8 bits a channel.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Rgb {
    pub r: u8,
    pub g: u8,
    pub b: u8,
}

impl Rgb {
    pub const fn new(r: u8, g: u8, b: u8) -> Self {
        Self { r, g, b }
    }

    /// From `0xRRGGBB`.
    pub const fn hex(v: u32) -> Self {
        Self::new((v >> 16) as u8, (v >> 8) as u8, v as u8)
    }

    /// As CSS writes it: `#rrggbb`.
    pub fn css(self) -> String {
        format!("#{:02x}{:02x}{:02x}", self.r, self.g, self.b)
    }

    /// From `#rrggbb` or `#rgb`.
    ///
    /// ```
    /// use bozzetto_core::display::colour::Rgb;
    /// assert_eq!(Rgb::from_css("#D55E00"), Some(Rgb::new(213, 94, 0)));
    /// assert_eq!(Rgb::from_css("#08f"), Some(Rgb::new(0, 136, 255)));
    /// assert_eq!(Rgb::from_css("teal"), None);
    /// ```
    pub fn from_css(text: &str) -> Option<Self> {
        let hex = text.strip_prefix('#')?;
        let v = u32::from_str_radix(hex, 16).ok()?;
        match hex.len() {
            6 => Some(Self::hex(v)),
            3 => {
                let [r, g, b] = [v >> 8, v >> 4 & 15, v & 15].map(|v| v as u8 * 17);
                Some(Self::new(r, g, b))
            }
            _ => None,
        }
    }

    /// The palette's name for it, or how CSS writes it.
    pub fn name(self) -> String {
        let known = OKABE_ITO.iter().chain([&("white", WHITE)]);
        let known = known.clone().find(|(_, c)| *c == self);
        known.map_or_else(|| self.css(), |(name, _)| (*name).to_owned())
    }

    /// A quarter of it on white: what shapes are filled with.
    pub fn tint(self) -> Self {
        self.towards_white(0.75)
    }

    /// Mixed with white, which has this share of 0 to 1.
    pub fn towards_white(self, share: f64) -> Self {
        let mix = |v: u8| (255.0 - (255.0 - f64::from(v)) * (1.0 - share)).round() as u8;
        Self::new(mix(self.r), mix(self.g), mix(self.b))
    }

    /// Mixed with black, which has this share of 0 to 1.
    pub fn towards_black(self, share: f64) -> Self {
        let mix = |v: u8| (f64::from(v) * (1.0 - share)).round() as u8;
        Self::new(mix(self.r), mix(self.g), mix(self.b))
    }

    /// Relative luminance, 0 (black) to 1 (white).
    /// Source: WCAG 2.2, *relative luminance*, with the sRGB transfer function of IEC 61966-2-1.
    pub fn luminance(self) -> f64 {
        let linear = |v: u8| {
            let s = f64::from(v) / 255.0;
            if s <= 0.040_45 {
                s / 12.92
            } else {
                ((s + 0.055) / 1.055).powf(2.4)
            }
        };
        0.2126 * linear(self.r) + 0.7152 * linear(self.g) + 0.0722 * linear(self.b)
    }

    /// The colour of a thin rim about this one: white or black, whichever stands out more. Their contrasts
    /// with any colour multiply to 21, so the larger is 4.5 or more: what has such a rim is set off from
    /// anything beneath by the 3 to 1 that [`LINE_CONTRAST`] asks for.
    pub fn rim(self) -> Self {
        match self.contrast(WHITE) > self.contrast(BLACK) {
            true => WHITE,
            false => BLACK,
        }
    }

    /// Contrast ratio with `other`, 1 to 21. Source: WCAG 2.2, *contrast ratio*.
    pub fn contrast(self, other: Self) -> f64 {
        let (a, b) = (self.luminance(), other.luminance());
        (a.max(b) + 0.05) / (a.min(b) + 0.05)
    }
}

pub const BLACK: Rgb = Rgb::hex(0x000000);
pub const WHITE: Rgb = Rgb::hex(0xFFFFFF);

/// The palette that people with any colour vision can tell apart.
/// Source: Okabe and Ito, *Color Universal Design*, 2008.
pub const OKABE_ITO: [(&str, Rgb); 8] = [
    ("black", BLACK),
    ("orange", Rgb::hex(0xE69F00)),
    ("sky blue", Rgb::hex(0x56B4E9)),
    ("bluish green", Rgb::hex(0x009E73)),
    ("yellow", Rgb::hex(0xF0E442)),
    ("blue", Rgb::hex(0x0072B2)),
    ("vermilion", Rgb::hex(0xD55E00)),
    ("reddish purple", Rgb::hex(0xCC79A7)),
];

#[cfg(test)]
mod tests {
    use super::*;

    /// WCAG 2.2 itself names #767676 on white as the lightest grey that passes 4.5:1, and 21:1 as
    /// the contrast of black on white.
    #[test]
    fn contrast_is_wcag_s() {
        assert!((Rgb::hex(0x767676).contrast(WHITE) - 4.54).abs() < 0.005);
        assert!((BLACK.contrast(WHITE) - 21.0).abs() < 1e-9);
        assert!(Rgb::hex(0x777777).contrast(WHITE) < 4.5);
    }
}
