//! How finely a film is encoded, so that it keeps within what was said beforehand.

use serde::{Deserialize, Serialize};

/// What is mostly on stage.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Default, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Shown {
    /// Writing and still pictures.
    #[default]
    Still,
    /// Films, cameras, simulations.
    Moving,
}

/// What a film has to keep within; nothing of it has to be set.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Bound {
    /// How long it may become, in seconds.
    pub seconds: Option<f64>,
    /// How large it may become, in bytes.
    pub bytes: Option<f64>,
}

/// How a film is encoded. Bit rates are in bits a second.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Encoding {
    /// The height of the picture.
    pub lines: u32,
    /// Pictures a second.
    pub frames: u32,
    pub picture: f64,
    pub sound: f64,
}

/// The least and the most bit rate of the picture: for a phone's line, and for a film.
pub const PICTURE: (f64, f64) = (300e3, 12e6);
/// The bit rates of the sound to choose from: speech that is understood, speech, music (RFC 7587, 3.1.1, has 8 to 12 for
/// narrow and 28 to 40 kbit/s for full band speech, 64 to 128 for music).
pub const SOUND: [f64; 3] = [24e3, 48e3, 96e3];
/// What a container adds to each second, in bits: heads of frames and clusters.
const AROUND: f64 = 4e3;

impl Encoding {
    /// All of it, with what the container adds.
    pub fn rate(&self) -> f64 {
        self.picture + self.sound + AROUND
    }

    /// What usually comes of it.
    pub fn usual_rate(&self, shown: Shown) -> f64 {
        self.picture * usual_share(shown) + self.sound + AROUND
    }
}

/// How much of what the picture may take it usually takes, 0 to 1: an encoder tells again only what has changed. Boards, charts
/// and pages take much alike; what moves takes all of it where everything does, and a sixth where it is drawn: the middle of
/// both, as factors. Measured: `record.budget`.
fn usual_share(shown: Shown) -> f64 {
    match shown {
        Shown::Still => 0.16,
        Shown::Moving => 0.4,
    }
}

/// Bits that a pixel of a frame takes until the picture looks as it should: common practice with the encoders that
/// browsers have, no source. What stands still is told again only where it has changed.
fn bits_a_pixel(shown: Shown) -> f64 {
    match shown {
        Shown::Still => 0.02,
        Shown::Moving => 0.07,
    }
}

/// Heights and pictures a second that are tried, the best first. Writing has to be read before it has to flow; what moves has to
/// flow.
fn tried(shown: Shown) -> [(u32, u32); 6] {
    match shown {
        Shown::Still => [
            (1080, 15),
            (1080, 8),
            (900, 8),
            (720, 8),
            (720, 4),
            (480, 4),
        ],
        Shown::Moving => [
            (1080, 30),
            (900, 30),
            (720, 30),
            (720, 24),
            (480, 24),
            (480, 15),
        ],
    }
}

/// What the picture takes at a height, in bits a second; `aspect` is its width to its height.
fn need(shown: Shown, aspect: f64, (lines, frames): (u32, u32)) -> f64 {
    let pixels = f64::from(lines) * f64::from(lines) * aspect;
    (bits_a_pixel(shown) * pixels * f64::from(frames)).clamp(PICTURE.0, PICTURE.1)
}

/// How a film is encoded that keeps within a bound, and shows as much as fits: `Err` with the least that it would take, in bits
/// a second, where the bound is too narrow for any film.
///
/// ```
/// use bozzetto_core::recording::budget::{Bound, Shown, plan};
/// // An hour that fits into 200 MB.
/// let bound = Bound { seconds: Some(3600.0), bytes: Some(200e6) };
/// let encoding = plan(Shown::Still, &bound, 1.6).unwrap();
/// assert!(encoding.rate() * 3600.0 / 8.0 <= 200e6);
/// ```
pub fn plan(shown: Shown, bound: &Bound, aspect: f64) -> Result<Encoding, f64> {
    let allowed = match (bound.seconds, bound.bytes) {
        (Some(seconds), Some(bytes)) if seconds > 0.0 => bytes * 8.0 / seconds,
        _ => f64::INFINITY,
    };
    let [plain, speech, music] = SOUND;
    let sound = match shown {
        _ if allowed < 600e3 => plain,
        Shown::Still => speech,
        Shown::Moving if allowed < 2e6 => speech,
        Shown::Moving => music,
    };
    let least = PICTURE.0 + plain + AROUND;
    if allowed < least {
        return Err(least);
    }
    let left = allowed - sound - AROUND;
    let all = tried(shown);
    let fits = all
        .into_iter()
        .find(|size| need(shown, aspect, *size) <= left);
    let (lines, frames) = fits.unwrap_or(all[all.len() - 1]);
    let picture = need(shown, aspect, (lines, frames)).min(left);
    Ok(Encoding {
        lines,
        frames,
        picture,
        sound,
    })
}

/// Where films have to fit: a name, and how large they may be there.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[cfg_attr(feature = "scripts", derive(tsify::Tsify), tsify(missing_as_null))]
pub struct Place {
    pub name: String,
    /// The most bytes.
    pub bytes: f64,
}

/// The most places that are kept.
pub const MOST_PLACES: usize = 12;

/// What most presenters meet; they add their own.
pub fn usual_places() -> Vec<Place> {
    let all = [
        ("A mail", 20e6),
        ("A learning platform", 200e6),
        ("A memory stick", 4e9),
    ];
    all.map(|(name, bytes)| Place {
        name: name.to_owned(),
        bytes,
    })
    .to_vec()
}

/// What is set by number instead.
#[derive(Clone, Copy, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Set {
    pub lines: Option<u32>,
    pub frames: Option<u32>,
    /// In bits a second, as that of the sound.
    pub picture: Option<f64>,
    pub sound: Option<f64>,
}

impl Set {
    /// The lines that can be set, for a phone's line and for a film.
    pub const LINES: (u32, u32) = (480, 2160);
    /// The pictures a second.
    pub const FRAMES: (u32, u32) = (4, 60);

    /// An encoding with what is set; each within what encoders take.
    pub fn over(&self, planned: Encoding) -> Encoding {
        let (least, most) = Self::LINES;
        let lines = self
            .lines
            .map_or(planned.lines, |lines| lines.clamp(least, most));
        let (least, most) = Self::FRAMES;
        let frames = self
            .frames
            .map_or(planned.frames, |frames| frames.clamp(least, most));
        let picture = self
            .picture
            .map_or(planned.picture, |bits| bits.clamp(PICTURE.0, PICTURE.1));
        let sound = self
            .sound
            .map_or(planned.sound, |bits| bits.clamp(SOUND[0], 256e3));
        Encoding {
            lines,
            frames,
            picture,
            sound,
        }
    }
}

/// The coarsest film that there is.
pub fn coarsest(shown: Shown) -> Encoding {
    let all = tried(shown);
    let (lines, frames) = all[all.len() - 1];
    Encoding {
        lines,
        frames,
        picture: PICTURE.0,
        sound: SOUND[0],
    }
}

/// What ends a film.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Limit {
    Length,
    Size,
    /// The disk that it is written to.
    Disk,
}

/// What was written up to now.
#[derive(Clone, Copy, PartialEq, Debug, Default)]
pub struct Written {
    pub seconds: f64,
    pub bytes: f64,
}

/// Which limit is hit first, and how many seconds from now, where a film is expected to take so many bits a second. What was
/// really written counts for more the longer it has been written. `room` is how many bytes more can be kept.
pub fn first_limit(
    expected: f64,
    bound: &Bound,
    written: Written,
    room: f64,
) -> Option<(Limit, f64)> {
    /// After so many seconds what was measured counts for as much as what was expected: about when a second key frame is there.
    const TRUSTED: f64 = 4.0;
    let expected = (expected / 8.0).max(1.0);
    let seconds = written.seconds.max(0.0);
    let trust = seconds.powi(2) / (seconds.powi(2) + TRUSTED.powi(2));
    // What is expected is wrong by a factor, not by a sum.
    let measured = (written.bytes / seconds.max(1e-3)).max(1.0);
    let rate = expected.powf(1.0 - trust) * measured.powf(trust);
    let length = bound
        .seconds
        .map(|most| (Limit::Length, most - written.seconds));
    let size = bound
        .bytes
        .map(|most| (Limit::Size, (most - written.bytes) / rate));
    let disk = Some((Limit::Disk, room / rate));
    let all = [length, size, disk].into_iter().flatten();
    all.map(|(limit, left)| (limit, left.max(0.0)))
        .min_by(|a, b| a.1.total_cmp(&b.1))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever the bound: a film that is encoded as planned keeps within it; more room never makes it coarser; where none
        /// fits, a bound as wide as is said does.
        #[test]
        fn a_plan_keeps_within_its_bound(
            moving in any::<bool>(), seconds in 10.0..40_000.0f64, bytes in 1e5..2e10f64, more in 1.0..4.0f64, aspect in 1.0..2.4f64,
        ) {
            let shown = if moving { Shown::Moving } else { Shown::Still };
            let within = |bytes| Bound { seconds: Some(seconds), bytes: Some(bytes) };
            match plan(shown, &within(bytes), aspect) {
                Ok(encoding) => {
                    prop_assert!(encoding.rate() * seconds / 8.0 <= bytes * (1.0 + 1e-9));
                    let wider = plan(shown, &within(bytes * more), aspect).unwrap();
                    prop_assert!(wider.rate() >= encoding.rate() - 1.0 && wider.lines >= encoding.lines);
                }
                Err(least) => prop_assert!(plan(shown, &within(least * seconds / 8.0 * 1.001), aspect).is_ok()),
            }
        }

        /// While it is written as expected, what is said of its end does not change; and it ends there.
        #[test]
        fn the_end_is_where_it_was_said(seconds in 60.0..9e3f64, bytes in 1e7..1e10f64, free in 6e8..1e11f64, at in 0.0..1.0f64) {
            let bound = Bound { seconds: Some(seconds), bytes: Some(bytes) };
            let Ok(encoding) = plan(Shown::Still, &bound, 1.6) else { return Ok(()) };
            let usual = encoding.usual_rate(Shown::Still);
            prop_assert!(usual <= encoding.rate());
            let (limit, end) = first_limit(usual, &bound, Written::default(), free).unwrap();
            let now = at * end;
            let done = usual / 8.0 * now;
            let written = Written { seconds: now, bytes: done };
            let (later, left) = first_limit(usual, &bound, written, free - done).unwrap();
            prop_assert_eq!(later, limit);
            prop_assert!((now + left - end).abs() < 1e-3 * end.max(1.0));
        }
    }
}
