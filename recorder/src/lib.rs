//! Recording, for the page that does it: how finely, when it ends, when a picture is taken and where things lie in it, and the
//! pieces that go to the server. And a lesson that is shown again: see [`replay`].

pub mod replay;

use bozzetto_core::recording::budget::{self, Bound, Encoding, Limit, Set, Shown, Written};
use bozzetto_core::recording::codecs::{self, Codec};
use bozzetto_core::recording::frame::{self, Inset, Pace};
use bozzetto_core::recording::level::{self, Listening};
use bozzetto_core::recording::pieces::{self, Coded, Head, Packet, Track};
use bozzetto_core::recording::pressed::{self, Press};
use bozzetto_core::recording::timeline::Timeline;
use kurbo::{Rect, Size};
use serde::{Deserialize, Serialize};
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

/// A piece has so much of a film, in microseconds: what is lost when a browser ends.
const PIECE: u64 = 2_000_000;

/// What a file takes for itself, and for each packet in it, in bytes: as much as `film` reserves in an MP4 file.
const A_FILE: u64 = 4096;
const A_PACKET: u32 = 20;

/// So far apart are two packets of a track at the least, in microseconds: WebM counts in milliseconds.
const APART: u64 = 1000;

/// What is chosen for a film.
#[derive(Deserialize, Tsify)]
#[serde(rename_all = "camelCase")]
pub struct Wish {
    /// What is mostly shown: `still` or `moving`.
    #[tsify(type = "'still' | 'moving'")]
    shown: Shown,
    /// How long it may become, in seconds.
    seconds: Option<f64>,
    /// How large it may become, in bytes.
    bytes: Option<f64>,
    /// Width to height.
    aspect: f64,
    /// What is set by number instead.
    lines: Option<u32>,
    frames: Option<u32>,
    picture: Option<f64>,
    sound: Option<f64>,
    /// There is no sound.
    silent: bool,
    /// How many bytes more the server can keep.
    room: f64,
}

/// How a film is encoded, and where it ends.
#[derive(Serialize, Tsify)]
#[serde(rename_all = "camelCase")]
pub struct Planned {
    pub width: u32,
    pub height: u32,
    pub frames: u32,
    /// In bits a second, as that of the sound.
    pub picture: f64,
    pub sound: f64,
    /// The names of codecs that take it, by what they are called here.
    #[tsify(type = "{ codec: 'h264' | 'vp9' | 'av1', name: string }[]")]
    pub codecs: Vec<Named>,
    /// The bound is too narrow: it takes so many bytes at least.
    pub least: Option<f64>,
    /// What ends it at the earliest, and what usually does.
    pub ends: Option<Ends>,
    pub usually: Option<Ends>,
}

#[derive(Serialize)]
pub struct Named {
    codec: Codec,
    name: String,
}

/// What ends a film, and in how many seconds.
#[derive(Serialize, Tsify)]
pub struct Ends {
    #[tsify(type = "'length' | 'size' | 'disk'")]
    pub by: Limit,
    pub seconds: f64,
}

fn bound(wish: &Wish) -> Bound {
    // A limit of nothing is none.
    let some = |limit: Option<f64>| limit.filter(|most| *most > 0.0);
    Bound {
        seconds: some(wish.seconds),
        bytes: some(wish.bytes),
    }
}

fn ends(rate: f64, bound: &Bound, written: Written, room: f64) -> Option<Ends> {
    let (by, seconds) = budget::first_limit(rate, bound, written, room)?;
    Some(Ends { by, seconds })
}

/// How a film is encoded that is wished for like this, as JSON: see [`Wish`].
#[wasm_bindgen]
pub fn plan(wish: &str) -> Result<Ts<Planned>, JsError> {
    let wish: Wish = serde_json::from_str(wish)?;
    let (encoding, least) = chosen(&wish);
    let (width, height) = frame::size(encoding.lines, wish.aspect);
    let name = |codec| {
        let name = codecs::name(codec, (width, height), encoding.frames, encoding.picture)?;
        Some(Named { codec, name })
    };
    let end = |rate| ends(rate, &bound(&wish), Written::default(), wish.room);
    let planned = Planned {
        width,
        height,
        frames: encoding.frames,
        picture: encoding.picture,
        sound: encoding.sound,
        codecs: codecs::ALL.into_iter().filter_map(name).collect(),
        least,
        ends: end(encoding.rate()),
        usually: end(encoding.usual_rate(wish.shown)),
    };
    Ok(planned.into_ts()?)
}

/// The encoding, and how many bytes it takes at least where the bound is too narrow.
fn chosen(wish: &Wish) -> (Encoding, Option<f64>) {
    let bound = bound(wish);
    let set = Set {
        lines: wish.lines,
        frames: wish.frames,
        picture: wish.picture,
        sound: wish.sound,
    };
    let planned = budget::plan(wish.shown, &bound, wish.aspect);
    let least = planned
        .as_ref()
        .err()
        .map(|rate| rate / 8.0 * bound.seconds.unwrap_or(0.0));
    let mut encoding = set.over(planned.unwrap_or_else(|_| budget::coarsest(wish.shown)));
    if wish.silent {
        encoding.sound = 0.0;
    }
    (encoding, least)
}

/// Where the level of samples stands on a meter, from 0 to 1.
#[wasm_bindgen]
pub fn on_meter(samples: &[f32]) -> f64 {
    level::on_meter(level::level(samples))
}

/// A film while it is made.
#[wasm_bindgen]
pub struct Recorder {
    /// What it usually takes, in bits a second.
    usual: f64,
    bound: Bound,
    head: Head,
    data: Vec<u8>,
    /// When the last packet of the picture is, and of the sound.
    last: [Option<u64>; 2],
    /// How large a file of it would be, in bytes.
    size: u64,
    /// Nothing more fits into its bound.
    full: bool,
    pace: Pace,
    listening: Listening,
    timeline: Timeline,
}

#[wasm_bindgen]
impl Recorder {
    /// As wished, as JSON; what is kept of it already has so many pieces, microseconds and bytes.
    #[wasm_bindgen(constructor)]
    pub fn new(wish: &str, pieces: u32, lasts: f64, bytes: f64) -> Result<Recorder, JsError> {
        let wish: Wish = serde_json::from_str(wish)?;
        let (encoding, _) = chosen(&wish);
        let head = Head {
            number: pieces,
            from: lasts as u64,
            to: lasts as u64,
            ..Head::default()
        };
        Ok(Self {
            usual: encoding.usual_rate(wish.shown),
            bound: bound(&wish),
            head,
            data: Vec::new(),
            last: [(pieces > 0).then_some(lasts as u64); 2],
            size: A_FILE + bytes as u64,
            full: false,
            pace: Pace::new(encoding.frames.into()),
            listening: Listening::default(),
            timeline: Timeline::new(lasts, !wish.silent),
        })
    }

    /// Samples up to this time of the sound have come at `now`; all in milliseconds.
    pub fn sounded(&mut self, sound: f64, now: f64) {
        self.timeline.heard(sound, now);
    }

    /// The film goes on, or stands still.
    pub fn go_on(&mut self, now: f64) {
        self.timeline.go_on(now);
    }

    pub fn halt(&mut self, now: f64) {
        self.timeline.halt(now);
    }

    pub fn is_going(&self) -> bool {
        self.timeline.is_going()
    }

    /// The film's time at `now`, in microseconds.
    pub fn at(&self, now: f64) -> f64 {
        self.timeline.at(now)
    }

    /// The film's time of a sample, in microseconds; less than nothing for one that is not of the film.
    pub fn of_sound(&self, sound: f64) -> f64 {
        self.timeline.of_sound(sound).unwrap_or(-1.0)
    }

    /// Whether a picture is taken now, in milliseconds of any clock.
    pub fn turn(&mut self, now: f64, changed: bool) -> bool {
        self.pace.turn(now, changed)
    }

    /// How the sound, or the picture, is encoded from here on: the two numbers are the width and height of the picture, or the
    /// samples a second and channels of the sound.
    pub fn coded(&mut self, sound: bool, codec: String, a: u32, b: u32, description: Vec<u8>) {
        let coded = Coded {
            track: track(sound),
            codec,
            size: (a, b),
            description,
        };
        if !self.head.coded.contains(&coded) {
            self.head.coded.push(coded);
        }
    }

    /// A packet, at a time of the film in microseconds.
    pub fn packet(&mut self, sound: bool, at: f64, key: bool, data: &[u8]) {
        let track = track(sound);
        let at = at.max(0.0) as u64;
        // No two of a track are at the same time, also not in a file that counts more coarsely.
        let last = &mut self.last[usize::from(sound)];
        let at = last.map_or(at, |last| at.max(last + APART));
        *last = Some(at);
        self.size += u64::from(A_PACKET) + data.len() as u64;
        self.full |= self.bound.bytes.is_some_and(|most| self.size as f64 > most);
        if self.full || at >= self.most() {
            return;
        }
        self.head.packets.push(Packet {
            track,
            at,
            key,
            size: data.len() as u32,
        });
        self.head.to = self.head.to.max(at + 1);
        self.data.extend(data);
    }

    /// Whether there is enough for a piece.
    pub fn is_due(&self) -> bool {
        self.head.to - self.head.from >= PIECE
    }

    /// What has come since the last piece, as one; nothing if nothing has. The lesson's time was `taken`, in milliseconds since
    /// 1970, where it begins; it ends at `to`, in microseconds of the film, or with its last packet.
    pub fn piece(&mut self, taken: f64, to: f64) -> Option<Vec<u8>> {
        if self.head.packets.is_empty() {
            return None;
        }
        self.head.taken = taken.max(0.0) as u64;
        self.head.to = self.head.to.max((to.max(0.0) as u64).min(self.most()));
        let next = Head {
            number: self.head.number + 1,
            from: self.head.to,
            to: self.head.to,
            ..Head::default()
        };
        let head = std::mem::replace(&mut self.head, next);
        Some(pieces::sealed(&head, &std::mem::take(&mut self.data)))
    }

    /// Where the next piece begins, in microseconds of the film.
    pub fn from(&self) -> f64 {
        self.head.from as f64
    }

    /// What ends it, and when, where the server can keep so many bytes more; it has come to `at`, in microseconds of the film.
    pub fn ends(&self, at: f64, room: f64) -> Result<Option<Ts<Ends>>, JsError> {
        let written = Written {
            seconds: at / 1e6,
            bytes: self.size as f64,
        };
        let mut ends = ends(self.usual, &self.bound, written, room);
        if self.full {
            ends = Some(Ends {
                by: Limit::Size,
                seconds: 0.0,
            });
        }
        Ok(ends.map(|ends| ends.into_ts()).transpose()?)
    }

    /// Samples of the microphone, now in milliseconds; gives where their level stands on a meter, from 0 to 1.
    pub fn hears(&mut self, samples: &[f32], now: f64) -> f64 {
        let level = level::level(samples);
        self.listening.hears(level, now);
        level::on_meter(level)
    }

    /// Whether nothing has been heard for so long that somebody should know.
    pub fn is_silent(&self, now: f64) -> bool {
        self.listening.is_silent(now)
    }
}

impl Recorder {
    /// How long the film may become, in microseconds: however busy the machine is, it is no longer.
    fn most(&self) -> u64 {
        self.bound
            .seconds
            .map_or(u64::MAX, |seconds| (seconds * 1e6) as u64)
    }
}

fn track(sound: bool) -> Track {
    match sound {
        true => Track::Sound,
        false => Track::Picture,
    }
}

/// Keys that are pressed, for a film: see core's `recording::pressed`. Times are in milliseconds of any clock.
#[wasm_bindgen]
#[derive(Default)]
pub struct Pressed(pressed::Pressed);

#[wasm_bindgen]
impl Pressed {
    #[wasm_bindgen(constructor)]
    pub fn new() -> Self {
        Self::default()
    }

    /// A key went down, as browsers name it, with these held; `writes` where it goes into a text.
    #[allow(clippy::too_many_arguments)]
    pub fn press(
        &mut self,
        key: &str,
        ctrl: bool,
        alt: bool,
        shift: bool,
        meta: bool,
        writes: bool,
        now: f64,
    ) {
        let press = Press {
            key,
            ctrl,
            alt,
            shift,
            meta,
            writes,
        };
        self.0.press(&press, now);
    }

    /// What is shown now.
    pub fn shown(&self, now: f64) -> Option<String> {
        self.0.shown(now)
    }
}

/// Where a source of this size lies in a picture of that: x, y, width, height.
#[wasm_bindgen]
pub fn fitted(width: f64, height: f64, into_width: f64, into_height: f64) -> Vec<f64> {
    numbers(frame::fitted(
        Size::new(width, height),
        Size::new(into_width, into_height),
    ))
}

/// Where the camera is seen in a picture, as core's `Inset` in JSON says: x, y, width, height, and the same of the part of the
/// camera's own picture.
#[wasm_bindgen]
pub fn inset(
    said: &str,
    camera_width: f64,
    camera_height: f64,
    width: f64,
    height: f64,
) -> Result<Vec<f64>, JsError> {
    let inset: Inset = serde_json::from_str(said)?;
    let camera = Size::new(camera_width, camera_height);
    let room = inset.room(camera, Size::new(width, height));
    Ok([numbers(room), numbers(Inset::part(camera, room))].concat())
}

fn numbers(r: Rect) -> Vec<f64> {
    vec![r.x0, r.y0, r.width(), r.height()]
}
