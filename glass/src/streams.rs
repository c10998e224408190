//! Moving backdrops on their way from a presenter's browser to participants'.

use std::collections::{HashMap, VecDeque};

use bozzetto_core::frames::{Point, Rect};
use bozzetto_core::ids::BackdropId;
use bozzetto_core::mirror::{GREYS, ROUNDS, keeps_step};
use bozzetto_core::stream::{Chunk, Codec, Gate, Governor, Still, Take};
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::panes::corners;

/// See the module's description.
#[derive(Default)]
pub struct Streams {
    /// What is sent: how each encoder is to go on, and where it is.
    sent: HashMap<BackdropId, Sending>,
    /// What is got: which chunks can be used.
    gates: HashMap<BackdropId, Gate>,
    /// Got, and not yet fetched by the page.
    came: VecDeque<Came>,
}

struct Sending {
    governor: Governor,
    run: u32,
    next: u32,
}

/// A frame for the page to decode, or to show: without a codec it is a JPEG file.
#[wasm_bindgen]
pub struct Came {
    backdrop: BackdropId,
    key: bool,
    codec: Option<Codec>,
    still: bool,
    taken: u64,
    shows: [f64; 4],
    data: Vec<u8>,
}

#[wasm_bindgen]
impl Came {
    #[wasm_bindgen(getter)]
    pub fn backdrop(&self) -> String {
        self.backdrop.0.to_string()
    }

    #[wasm_bindgen(getter)]
    pub fn still(&self) -> bool {
        self.still
    }

    #[wasm_bindgen(getter)]
    pub fn key(&self) -> bool {
        self.key
    }

    /// The codec's name, with a key frame.
    #[wasm_bindgen(getter)]
    pub fn codec(&self) -> Option<String> {
        self.codec.as_ref().map(|c| c.name.clone())
    }

    /// Its colour space, as JSON.
    #[wasm_bindgen(getter)]
    pub fn colour(&self) -> Option<String> {
        self.codec.as_ref().map(|c| c.colour.clone())
    }

    #[wasm_bindgen(getter)]
    pub fn width(&self) -> u32 {
        self.codec.as_ref().map_or(0, |c| c.width)
    }

    #[wasm_bindgen(getter)]
    pub fn height(&self) -> u32 {
        self.codec.as_ref().map_or(0, |c| c.height)
    }

    /// When it was taken, in milliseconds by the server's clock.
    #[wasm_bindgen(getter)]
    pub fn taken(&self) -> f64 {
        self.taken as f64
    }

    /// The part of the backdrop that it shows, in backdrop units.
    #[wasm_bindgen(getter)]
    pub fn shows(&self) -> Vec<f64> {
        self.shows.to_vec()
    }

    #[wasm_bindgen(getter)]
    pub fn data(&self) -> Vec<u8> {
        self.data.clone()
    }
}

#[wasm_bindgen]
impl Glass {
    /// An encoder begins: `run` is drawn anew each time.
    pub fn stream_begins(&mut self, id: &str, run: u32) {
        if let Ok(id) = id.parse() {
            let governor = self
                .streams
                .sent
                .get(&BackdropId(id))
                .map_or_else(Governor::default, |s| s.governor);
            let next = 0;
            let sending = Sending {
                governor,
                run,
                next,
            };
            self.streams.sent.insert(BackdropId(id), sending);
        }
    }

    /// Sends an encoded frame. `codec`, `colour`, `width` and `height` are of meaning with a key frame.
    #[expect(clippy::too_many_arguments, reason = "plain numbers cross the border")]
    pub fn stream_chunk(
        &mut self,
        id: &str,
        key: bool,
        codec: &str,
        colour: &str,
        width: u32,
        height: u32,
        taken: f64,
        shows: &[f64],
        data: Vec<u8>,
    ) {
        let Some((backdrop, shows)) = about(id, shows) else {
            return;
        };
        let Some(sending) = self.streams.sent.get_mut(&backdrop) else {
            return;
        };
        let number = sending.next;
        sending.next = number.wrapping_add(1);
        let name = codec.to_owned();
        let chunk = Chunk {
            backdrop,
            run: sending.run,
            number,
            key: key.then_some(Codec {
                name,
                width,
                height,
                colour: colour.to_owned(),
            }),
            taken: taken.max(0.0) as u64,
            shows,
            data,
        };
        if chunk.is_sound() {
            self.send(&ToServer::Chunk(chunk));
        }
    }

    /// Sends a picture, a JPEG file, for those who cannot decode a stream.
    pub fn stream_still(&mut self, id: &str, taken: f64, shows: &[f64], data: Vec<u8>) {
        let Some((backdrop, shows)) = about(id, shows) else {
            return;
        };
        let taken = taken.max(0.0) as u64;
        let still = Still {
            backdrop,
            taken,
            shows,
            data,
        };
        if still.is_sound() {
            self.send(&ToServer::Still(still));
        }
    }

    /// Takes note of how many bytes wait to be sent and how many frames wait to be encoded. Gives
    /// bits and frames to a second, and whether a further frame is to be left out.
    pub fn stream_pace(&mut self, id: &str, unsent: f64, unencoded: u32, now: f64) -> Vec<f64> {
        let id = id.parse().ok().map(BackdropId);
        let Some(sending) = id.and_then(|id| self.streams.sent.get_mut(&id)) else {
            return Vec::new();
        };
        sending.governor.report(unsent, unencoded, now);
        let pace = sending.governor.pace();
        let skips = sending.governor.skips(unsent, unencoded);
        vec![pace.bits, pace.frames, f64::from(u8::from(skips))]
    }

    /// The next frame that came and is to be decoded or shown.
    pub fn next_frame(&mut self) -> Option<Came> {
        self.streams.came.pop_front()
    }

    /// The decoder failed: nothing can be shown before the next key frame.
    pub fn want_key(&mut self, id: &str) {
        let Ok(id) = id.parse().map(BackdropId) else {
            return;
        };
        self.streams.gates.entry(id).or_default().reset();
        self.send(&ToServer::WantKey(id));
    }

    /// This browser cannot decode streams.
    pub fn want_stills(&mut self) {
        self.send(&ToServer::WantStills);
    }

    /// The greys that the empty pane takes by turns while sharing begins, once for each picture.
    pub fn mirror_greys(&self) -> Vec<u8> {
        GREYS.into_iter().cycle().take(ROUNDS).collect()
    }

    /// Whether what is shared is the stage itself: `pictures` are the greys of `parts` parts of each
    /// picture, one picture after the other.
    pub fn is_mirror(&self, pictures: &[f64], parts: usize) -> bool {
        let pictures: Vec<Vec<f64>> = pictures.chunks(parts.max(1)).map(<[f64]>::to_vec).collect();
        keeps_step(&pictures)
    }

    /// The server's clock, in milliseconds since 1970.
    pub fn clock(&self) -> f64 {
        self.now() as f64
    }

    /// Where a part of a backdrop on stage (x0, y0, x1, y1 in its units) lies, in glass units; empty
    /// for what is not on stage.
    pub fn lies(&self, id: &str, shows: &[f64]) -> Vec<f64> {
        let Some((id, shows)) = about(id, shows) else {
            return Vec::new();
        };
        let panes = self.panes();
        let found = panes.iter().find_map(|pane| {
            let backdrop = pane.backdrop.filter(|b| b.id == id)?;
            Some(backdrop.view(&pane.room).apply_rect(&shows))
        });
        found.map_or_else(Vec::new, |r| corners(&r).to_vec())
    }
}

impl Glass {
    pub(crate) fn take_chunk(&mut self, chunk: Chunk) {
        let gate = self.streams.gates.entry(chunk.backdrop).or_default();
        match gate.take(chunk.run, chunk.number, chunk.key.is_some()) {
            Take::Decode => self.streams.came.push_back(Came {
                backdrop: chunk.backdrop,
                key: chunk.key.is_some(),
                codec: chunk.key,
                still: false,
                taken: chunk.taken,
                shows: corners(&chunk.shows),
                data: chunk.data,
            }),
            Take::WantsKey => self.send(&ToServer::WantKey(chunk.backdrop)),
            Take::Skip => {}
        }
    }

    pub(crate) fn take_still(&mut self, still: Still) {
        self.streams.came.push_back(Came {
            backdrop: still.backdrop,
            key: true,
            codec: None,
            still: true,
            taken: still.taken,
            shows: corners(&still.shows),
            data: still.data,
        });
    }

    /// Whether this page sends the stream of a backdrop itself.
    pub(crate) fn sends(&self, id: BackdropId) -> bool {
        self.streams.sent.contains_key(&id)
    }
}

fn about(id: &str, shows: &[f64]) -> Option<(BackdropId, Rect<bozzetto_core::frames::Held>)> {
    let [x0, y0, x1, y1] = *shows else {
        return None;
    };
    let shows = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
    Some((BackdropId(id.parse().ok()?), shows))
}
