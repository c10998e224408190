//! Picture streams: moving backdrops as participants get them.
//!
//! The presenter's browser encodes each moving backdrop once; the server passes the chunks on
//! without reading them; participants' browsers decode. Marks are not in the stream: they lie on
//! top as vectors, and stay sharp.

mod cut;
mod gate;
pub mod mirror;
mod pace;
mod schedule;

pub use cut::{Cut, cut, encoded_size};
pub use gate::{Gate, Take};
pub use pace::{FASTEST, FIRST, Governor, Line, Pace, SLOWEST};
pub use schedule::{Schedule, Turn, Watching};

use serde::{Deserialize, Serialize};

use crate::geometry::frames::{Held, Rect};
use crate::geometry::ids::BackdropId;

/// One encoded frame.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Chunk {
    pub backdrop: BackdropId,
    /// Which run of the encoder it belongs to: drawn anew whenever that starts again.
    pub run: u32,
    /// Its place in the run.
    pub number: u32,
    /// A frame that needs no other to be decoded: where somebody can begin.
    pub key: Option<Codec>,
    /// When the frame was taken, in milliseconds since 1970 by the server's clock.
    pub taken: u64,
    /// The part of the backdrop that it shows.
    pub shows: Rect<Held>,
    /// As the encoder gave it.
    pub data: Vec<u8>,
}

/// How a run is encoded.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Codec {
    /// As the WebCodecs codec registry writes it, `vp8` or `vp09.00.10.08` for example.
    pub name: String,
    /// In pixels.
    pub width: u32,
    pub height: u32,
    /// The colour space, as JSON, as WebCodecs describes it: decoders guess wrongly without.
    pub colour: String,
}

/// A single picture, for who cannot decode a stream: a JPEG file.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Still {
    pub backdrop: BackdropId,
    pub taken: u64,
    pub shows: Rect<Held>,
    /// The JPEG file.
    pub data: Vec<u8>,
}

/// The largest chunk or still, in bytes.
pub const MAX_DATA: usize = 900 * 1024;

impl Chunk {
    /// Whether it can be passed on.
    pub fn is_sound(&self) -> bool {
        let named = |c: &Codec| {
            c.name.len() <= 40 && c.colour.len() <= 300 && (1..=8192).contains(&c.width)
        };
        self.data.len() <= MAX_DATA && sound(&self.shows) && self.key.as_ref().is_none_or(named)
    }
}

impl Still {
    /// Whether it can be passed on.
    pub fn is_sound(&self) -> bool {
        self.data.len() <= MAX_DATA && sound(&self.shows)
    }
}

fn sound(r: &Rect<Held>) -> bool {
    [r.x0, r.y0, r.x1, r.y1].iter().all(|v| v.is_finite()) && !r.is_empty()
}
