//! What codecs are asked for, by the names that browsers know them by.

use serde::{Deserialize, Serialize};

/// In which family of codecs a film is encoded, the one first that most programs play.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Codec {
    /// H.264: played by nearly everything.
    #[default]
    H264,
    /// VP9: smaller, played by all browsers.
    Vp9,
    /// AV1: the smallest, played by browsers of the last years.
    Av1,
}

/// All of them, in the order in which they are tried.
pub const ALL: [Codec; 3] = [Codec::H264, Codec::Vp9, Codec::Av1];

/// Levels of H.264, as written in a codec's name: the most macroblocks a second, the most of a frame, and the most bits a
/// second (ITU-T H.264, table A-1; the bit rate for the main profile).
const H264: [(u32, u64, u64, f64); 11] = [
    (0x1e, 40_500, 1_620, 10e6),
    (0x1f, 108_000, 3_600, 14e6),
    (0x20, 216_000, 5_120, 20e6),
    (0x28, 245_760, 8_192, 20e6),
    (0x29, 245_760, 8_192, 50e6),
    (0x2a, 522_240, 8_704, 50e6),
    (0x32, 589_824, 22_080, 135e6),
    (0x33, 983_040, 36_864, 240e6),
    (0x34, 2_073_600, 36_864, 240e6),
    (0x3c, 4_177_920, 139_264, 240e6),
    (0x3d, 8_355_840, 139_264, 480e6),
];

/// Levels of VP9: the most samples a second, the most of a picture, the most bits a second (VP9 bitstream specification,
/// annex A).
const VP9: [(u32, u64, u64, f64); 8] = [
    (30, 20_736_000, 552_960, 7.2e6),
    (31, 36_864_000, 983_040, 12e6),
    (40, 83_558_400, 2_228_224, 18e6),
    (41, 160_432_128, 2_228_224, 30e6),
    (50, 311_951_360, 8_912_896, 60e6),
    (51, 588_251_136, 8_912_896, 120e6),
    (52, 1_176_502_272, 8_912_896, 180e6),
    (60, 1_176_502_272, 35_651_584, 180e6),
];

/// Levels of AV1: the most samples shown a second, the most of a picture, the most bits a second (AV1 bitstream
/// specification, annex A.3; bit rates of the main tier).
const AV1: [(u32, u64, u64, f64); 8] = [
    (4, 24_969_600, 665_856, 6e6),
    (5, 39_938_400, 1_065_024, 10e6),
    (8, 77_856_768, 2_359_296, 12e6),
    (9, 155_713_536, 2_359_296, 20e6),
    (12, 273_715_200, 8_912_896, 30e6),
    (13, 547_430_400, 8_912_896, 40e6),
    (14, 1_094_860_800, 8_912_896, 60e6),
    (16, 1_069_547_520, 35_651_584, 60e6),
];

/// The name of a codec at the lowest level that takes such pictures; `None` where no level does. `bits` is the bit rate of the
/// picture.
///
/// ```
/// use bozzetto_core::recording::codecs::{Codec, name};
/// // 1920 x 1080 at 30 frames a second takes level 4.0 (ITU-T H.264, table A-6).
/// assert_eq!(name(Codec::H264, (1920, 1080), 30, 4e6).as_deref(), Some("avc1.4d0028"));
/// ```
pub fn name(codec: Codec, (width, height): (u32, u32), frames: u32, bits: f64) -> Option<String> {
    let (levels, across, down) = match codec {
        // A macroblock is 16 x 16.
        Codec::H264 => (&H264[..], width.div_ceil(16), height.div_ceil(16)),
        Codec::Vp9 => (&VP9[..], width, height),
        Codec::Av1 => (&AV1[..], width, height),
    };
    let size = u64::from(across) * u64::from(down);
    let takes = |(_, a_second, most, rate): &&(u32, u64, u64, f64)| {
        size <= *most && size * u64::from(frames) <= *a_second && bits <= *rate
    };
    let (level, ..) = levels.iter().find(takes)?;
    Some(match codec {
        Codec::H264 => format!("avc1.4d00{level:02x}"),
        Codec::Vp9 => format!("vp09.00.{level}.08"),
        Codec::Av1 => format!("av01.0.{level:02}M.08"),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Examples that the specifications give, or that follow from their tables.
    #[test]
    fn levels_are_those_of_the_specifications() {
        // ITU-T H.264, table A-6: 1280 x 720 at 30 takes 3.1, 3840 x 2160 at 30 takes 5.1.
        assert_eq!(
            name(Codec::H264, (1280, 720), 30, 2e6).as_deref(),
            Some("avc1.4d001f")
        );
        assert_eq!(
            name(Codec::H264, (3840, 2160), 30, 12e6).as_deref(),
            Some("avc1.4d0033")
        );
        // VP9, annex A: 4.0 is for 2048 x 1088 at 30, 5.0 for 4096 x 2176 at 30.
        assert_eq!(
            name(Codec::Vp9, (2048, 1088), 30, 4e6).as_deref(),
            Some("vp09.00.40.08")
        );
        assert_eq!(
            name(Codec::Vp9, (3840, 2160), 30, 8e6).as_deref(),
            Some("vp09.00.50.08")
        );
        // AV1, annex A.3: 4.0 is for 2048 x 1152 at 30.
        assert_eq!(
            name(Codec::Av1, (2048, 1152), 30, 4e6).as_deref(),
            Some("av01.0.08M.08")
        );
        assert_eq!(name(Codec::Av1, (20_000, 20_000), 30, 4e6), None);
    }
}
