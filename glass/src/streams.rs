//! Moving backdrops on their way from a presenter's browser to participants'.

use std::collections::{HashMap, VecDeque};

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Held, Map, Pixels, Point, Rect, Size};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stream::mirror::{GREYS, ROUNDS, keeps_step};
use bozzetto_core::stream::{
    self, Chunk, Codec, Gate, Line, Schedule, Still, Take, Turn, Watching,
};
use bozzetto_core::wire::ToServer;
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::panes::corners;

/// See the module's description.
#[derive(Default)]
pub struct Streams {
    /// What is sent: when each goes out, and where its encoder is.
    sent: HashMap<BackdropId, Sending>,
    /// How many participants get what.
    pub(crate) watching: Watching,
    /// What is got: which chunks can be used.
    gates: HashMap<BackdropId, Gate>,
    /// Got, and not yet fetched by the page.
    came: VecDeque<Came>,
}

#[derive(Default)]
struct Sending {
    schedule: Schedule,
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
        if let Ok(id) = id.parse().map(BackdropId) {
            let sending = self.streams.sent.entry(id).or_default();
            sending.schedule.begin();
            (sending.run, sending.next) = (run, 0);
        }
    }

    /// Somebody needs a frame that stands by itself.
    pub fn stream_wants_key(&mut self, id: &str) {
        if let Some(sending) = self.sending(id) {
            sending.schedule.want_key();
        }
    }

    /// In how many milliseconds it is the turn of a picture that is at hand: 0 is now, infinity never,
    /// since nobody watches. `unsent` bytes wait for the line, `unencoded` frames for the encoder.
    pub fn stream_turn(&mut self, id: &str, unsent: f64, unencoded: u32, now: f64) -> f64 {
        let watching = self.streams.watching;
        let Some(sending) = self.sending(id) else {
            return f64::INFINITY;
        };
        let line = Line { unsent, unencoded };
        match sending.schedule.turn(watching, line, now) {
            Turn::Nobody => f64::INFINITY,
            Turn::Later(wait) => wait,
            Turn::Now => 0.0,
        }
    }

    /// A picture is sent now; whether it goes out as a still too.
    pub fn stream_sent(&mut self, id: &str, now: f64) -> bool {
        let watching = self.streams.watching;
        let sending = self.sending(id);
        sending.is_some_and(|s| {
            s.schedule.sent(now);
            s.schedule.still(watching, now)
        })
    }

    /// Whether there is nobody here who decodes streams.
    pub fn stream_only_stills(&self) -> bool {
        self.streams.watching.streams == 0
    }

    /// How many bits a second the encoder is to be set to for frames of this size; 0 when it is set
    /// well enough.
    pub fn stream_setting(&mut self, id: &str, width: u32, height: u32) -> f64 {
        let pace = self
            .sending(id)
            .and_then(|s| s.schedule.setting((width, height)));
        pace.map_or(0.0, |p| p.bits)
    }

    /// Whether the frame that is encoded now has to stand by itself.
    pub fn stream_key(&mut self, id: &str, now: f64) -> bool {
        self.sending(id).is_some_and(|s| s.schedule.key(now))
    }

    /// In how many milliseconds somebody who waits for a frame that stands by itself is to get it;
    /// 0 when nobody does.
    pub fn stream_awaited(&mut self, id: &str) -> f64 {
        let awaited = self.sending(id).and_then(|s| s.schedule.awaited());
        awaited.unwrap_or(0.0)
    }

    /// The size that a part of so many pixels is encoded at.
    pub fn stream_size(&self, width: f64, height: f64) -> Vec<u32> {
        let (width, height) = stream::encoded_size(width, height);
        vec![width, height]
    }

    /// Which part of a picture of `width` by `height` pixels is a backdrop's (x, y, width, height),
    /// and what of the backdrop it shows (x0, y0, x1, y1 in its units); empty when it is nothing.
    /// `host` is given when the picture is one of everything beneath the glass: its size, and the
    /// glass's corner in it, in CSS pixels. `even` as encoders want it.
    pub fn picture_part(
        &self,
        id: &str,
        width: u32,
        height: u32,
        host: &[f64],
        even: bool,
    ) -> Vec<f64> {
        let panes = self.panes();
        let pane = panes.iter().find_map(|pane| {
            let backdrop = pane.backdrop?;
            (backdrop.id.0.to_string() == id).then_some((backdrop, pane.room))
        });
        let Some((backdrop, room)) = pane else {
            return Vec::new();
        };
        let (lies, seen) = match *host {
            [w, h, x, y] => {
                let (sx, sy) = (f64::from(width) / w, f64::from(height) / h);
                let css = self.picture.scale;
                let there = Map::<GlassFrame, Pixels>::from_coefficients([
                    css * sx,
                    0.0,
                    0.0,
                    css * sy,
                    x * sx,
                    y * sy,
                ]);
                let Some(back) = backdrop.view(&room).inverse() else {
                    return Vec::new();
                };
                (there.apply_rect(&room), back.apply_rect(&room))
            }
            _ => {
                let whole = Size::new(f64::from(width), f64::from(height));
                (Rect::of_size(whole), backdrop.shown(&room))
            }
        };
        let cut = stream::cut(&lies, (width, height), &seen, even);
        cut.map_or_else(Vec::new, |cut| {
            let crop = &cut.crop;
            let mut part = vec![crop.x0, crop.y0, crop.width(), crop.height()];
            part.extend(corners(&cut.shows));
            part
        })
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
            self.post.send(&ToServer::Chunk(chunk));
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
            self.post.send(&ToServer::Still(still));
        }
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
        self.post.send(&ToServer::WantKey(id));
    }

    /// This browser cannot decode streams.
    pub fn want_stills(&mut self) {
        self.post.send(&ToServer::WantStills);
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
    fn sending(&mut self, id: &str) -> Option<&mut Sending> {
        self.streams.sent.get_mut(&BackdropId(id.parse().ok()?))
    }

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
            Take::WantsKey => {
                self.post.send(&ToServer::WantKey(chunk.backdrop));
            }
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

fn about(id: &str, shows: &[f64]) -> Option<(BackdropId, Rect<Held>)> {
    let [x0, y0, x1, y1] = *shows else {
        return None;
    };
    let shows = Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1));
    Some((BackdropId(id.parse().ok()?), shows))
}
