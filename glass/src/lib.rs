//! The face that core shows to the browser's scripts.
//!
//! Nothing here is a rule of the job: it keeps core's parts together for one page, takes events as
//! plain numbers and bytes, and hands back display lists and messages.

mod capture_box;
mod clock;
mod events;
mod fading;
mod layers;
mod list;
mod measure;
mod moments;
mod panes;
mod pens;
mod playback;
mod selection;
mod settings;
mod shapes;
mod streams;
mod typing;
mod zoom;

use std::collections::{BTreeMap, HashMap, VecDeque};

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{
    GLASS_WIDTH, Glass as GlassFrame, Pixels, Point, Rect, Size,
};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, IdMaker, PersonId};
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, Intent};
use bozzetto_core::lesson::replica::{Replica, Shown};
use bozzetto_core::marks::shape::{Figure, Measure};
use bozzetto_core::paint::Painter;
use bozzetto_core::paint::wet::WetStrokes;
use bozzetto_core::prefs::settings::Settings;
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::board::PAPER;
use bozzetto_core::stage::state::Stage;
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::tools::palm::PalmRejection;
use bozzetto_core::wire::divided;
use bozzetto_core::wire::{Hello, ToServer, encode};
use wasm_bindgen::prelude::*;

use events::{Event, LessonEvent};
use layers::Settled;
use list::List;
use moments::Moments;
use pens::LivePen;
use selection::Selection;
use shapes::Laying;
use streams::Streams;
use typing::Typing;
use zoom::Own;

/// One page's stage: presenter's or participant's.
#[wasm_bindgen]
pub struct Glass {
    ids: IdMaker,
    author: Option<AuthorId>,
    resume: Option<(u64, u64)>,
    connected: bool,
    /// Why something was not done: see [`Glass::complaint`].
    complaint: Option<String>,
    replica: Replica,
    /// Own changes that are in order, but that the server's disk did not take: to be sent again.
    unkept: BTreeMap<ChangeId, Intent>,
    wet: WetStrokes,
    painter: Painter,
    settled: [Settled; 2],
    list: List,
    pens: HashMap<i32, LivePen>,
    outbox: VecDeque<Out>,
    area: Size<GlassFrame>,
    /// CSS pixels to a glass unit.
    scale: f64,
    /// The backdrops on stage as they are shown, and which pane the hand was on last.
    on_stage: Stage,
    active: usize,
    /// What goes along with a hand, and is not remembered yet.
    moments: Moments,
    /// What the page has to know of what was done here.
    news: Vec<Event>,
    /// What the page was told of the lesson last.
    shown_lesson: Option<LessonEvent>,
    settings: Settings,
    /// The colour that swatches are held against.
    beneath: Rgb,
    palm: PalmRejection,
    selection: Selection,
    /// A polyline that is being set point by point.
    laying: Option<Laying>,
    /// A text that is being typed.
    typing: Option<Typing>,
    /// What the shape in hand measures.
    measured: Option<(Figure, Measure, SheetId)>,
    /// Fingers that have hold of what is seen, and where they are in CSS pixels.
    fingers: HashMap<i32, Point<Pixels>>,
    /// A participant's own view.
    own: Option<Own>,
    /// Moving backdrops, sent and got.
    streams: Streams,
    /// How many pixels those that run in this tab have to a backdrop unit.
    fine: HashMap<BackdropId, f64>,
    /// How many milliseconds the server's clock is ahead of this machine's.
    clock_ahead: f64,
}

/// A message for the server. Those with a key must be kept until the change of that name has been
/// acknowledged.
#[wasm_bindgen]
pub struct Out {
    key: Option<String>,
    bytes: Vec<u8>,
}

#[wasm_bindgen]
impl Out {
    #[wasm_bindgen(getter)]
    pub fn key(&self) -> Option<String> {
        self.key.clone()
    }

    #[wasm_bindgen(getter)]
    pub fn bytes(&self) -> Vec<u8> {
        self.bytes.clone()
    }
}

#[wasm_bindgen]
impl Glass {
    /// `nonce` is random; `author` is who this tab was before it was loaded again, if it was.
    #[wasm_bindgen(constructor)]
    pub fn new(nonce: u32, author: Option<String>) -> Glass {
        let author = author.and_then(|a| a.parse().ok()).map(AuthorId);
        Glass {
            ids: IdMaker::new(nonce),
            author,
            resume: None,
            connected: false,
            complaint: None,
            replica: Replica::new(author.unwrap_or(AuthorId(0))),
            unkept: BTreeMap::new(),
            wet: WetStrokes::default(),
            painter: Painter::default(),
            settled: Default::default(),
            list: List::default(),
            pens: HashMap::new(),
            outbox: VecDeque::new(),
            area: Size::glass(16.0, 9.0),
            scale: 1.0,
            on_stage: Stage::default(),
            active: 0,
            moments: Moments::default(),
            news: Vec::new(),
            shown_lesson: None,
            settings: Settings::default(),
            beneath: PAPER,
            palm: PalmRejection::default(),
            selection: Selection::default(),
            laying: None,
            typing: None,
            measured: None,
            fingers: HashMap::new(),
            own: None,
            streams: Streams::default(),
            fine: HashMap::new(),
            clock_ahead: 0.0,
        }
    }

    /// What to say first on a new connection.
    pub fn hello(&mut self) -> Vec<u8> {
        self.outbox.clear();
        Hello {
            author: self.author,
            resume: self.resume,
        }
        .encode()
    }

    /// For how many milliseconds nothing may come before the line is taken for dead.
    pub fn dead_after(&self) -> f64 {
        bozzetto_core::wire::DEAD as f64
    }

    /// The line is down: nothing is sent until the server has welcomed us again.
    pub fn disconnected(&mut self) {
        self.connected = false;
        self.outbox.clear();
    }

    /// Why something that was asked for was not done, in words for the person; empty when all was. It
    /// is said once.
    pub fn complaint(&mut self) -> String {
        self.complaint.take().unwrap_or_default()
    }

    /// The next message to send, if any.
    pub fn next_message(&mut self) -> Option<Out> {
        self.outbox.pop_front()
    }

    /// A message that an earlier load of this page had kept. Shown at once, sent after the welcome.
    pub fn resume(&mut self, bytes: &[u8]) {
        if let Some(ToServer::Act { id, intent }) = bozzetto_core::wire::decode(bytes) {
            let shown = self.replica.resume(id, intent);
            self.show(shown);
        }
    }

    /// How many of our changes the server has not acknowledged.
    pub fn pending(&self) -> usize {
        self.replica.pending().count() + self.unkept.len()
    }

    /// All that is not acknowledged, as messages to keep; for when the page is about to go.
    pub fn unacknowledged(&self) -> Vec<Out> {
        let unkept = self.unkept.iter().map(|(id, intent)| (*id, intent));
        unkept
            .chain(self.replica.pending().map(|p| (p.id, &p.intent)))
            .map(|(id, intent)| act_message(id, intent.clone()))
            .collect()
    }

    /// How wide the picture area is, in CSS pixels.
    pub fn set_width(&mut self, css: f64) {
        self.scale = css / GLASS_WIDTH;
        // Outlines are in glass units, and stay.
        self.invalidate_view();
    }

    /// Height of the picture area as a fraction of its width.
    pub fn aspect(&self) -> f64 {
        self.area.height / self.area.width
    }

    /// Clears the sheets in view; `false` when they are clear.
    pub fn wipe(&mut self) -> bool {
        let steps: Vec<Step> = self
            .in_view()
            .into_iter()
            .map(|seen| seen.sheet)
            .filter(|sheet| !self.replica.sheets().sheet(*sheet).is_empty())
            .map(|sheet| Step {
                sheet,
                op: Op::Wipe,
            })
            .collect();
        !steps.is_empty() && self.act(Intent::Do(steps))
    }

    pub fn undo(&mut self) -> bool {
        self.act(Intent::Undo)
    }

    pub fn redo(&mut self) -> bool {
        self.act(Intent::Redo)
    }

    pub fn can_undo(&self) -> bool {
        self.replica.can_undo()
    }

    pub fn can_redo(&self) -> bool {
        self.replica.can_redo()
    }

    pub fn pause(&mut self, paused: bool) {
        self.act(Intent::Stage(vec![StageStep::Pause(paused)]));
    }

    /// Sends a participant away, by their number.
    pub fn send_away(&mut self, id: f64) {
        self.send(&ToServer::SendAway(PersonId(id as u64)));
    }
}

impl Glass {
    /// All sheets as this page shows them; for tests.
    pub fn sheets(&self) -> &bozzetto_core::sheets::sheet::Sheets {
        self.replica.sheets()
    }

    fn glass_point(&self, x: f64, y: f64) -> Point<GlassFrame> {
        Point::new(x / self.scale, y / self.scale)
    }

    fn send(&mut self, message: &ToServer) {
        if matches!(message, ToServer::SendAway(_)) && !self.connected {
            let why = "That cannot be done while the line to the server is down.";
            self.complaint = Some(why.to_owned());
        }
        if self.connected {
            self.outbox.push_back(Out {
                key: None,
                bytes: encode(message),
            });
        }
    }

    /// Shows what the author does and queues it for the server, in as many parts as it takes; `false`
    /// when it cannot be done.
    fn act(&mut self, intent: Intent) -> bool {
        let parts = match divided(intent) {
            Ok(parts) => parts,
            Err(why) => {
                self.complaint = Some(why.to_string());
                return false;
            }
        };
        self.replica.now = self.now();
        let mut done = false;
        for part in parts {
            let id = ChangeId(self.ids.next_id());
            let shown = match self.replica.act(id, part.clone()) {
                Ok(shown) => shown,
                Err(why @ (Refusal::NoMorePages | Refusal::NoSuchBackdrop)) => {
                    self.complaint = Some(why.to_string());
                    break;
                }
                Err(_) => break,
            };
            self.show(shown);
            self.queue(id, part);
            done = true;
        }
        done
    }

    /// Queued whether connected or not: whoever takes it off the queue keeps it, and sends it if
    /// there is a line.
    fn queue(&mut self, id: ChangeId, intent: Intent) {
        self.outbox.push_back(act_message(id, intent));
    }

    fn show(&mut self, shown: Shown) {
        match shown {
            Shown::Everything => {
                self.restage();
                self.invalidate_everything();
            }
            Shown::Stage => self.restage(),
            Shown::Marks(touched) => {
                let in_view = self.in_view();
                for t in touched {
                    self.invalidate_mark(&in_view, &t);
                }
            }
        }
    }

    fn stage(&self) -> Rect<GlassFrame> {
        Rect::of_size(self.area)
    }
}

fn act_message(id: ChangeId, intent: Intent) -> Out {
    Out {
        key: Some(id.0.to_string()),
        bytes: encode(&ToServer::Act { id, intent }),
    }
}

/// Replays a packed log from the beginning and gives the packed lesson: what the server, which ran
/// the same rules natively, must hold too. `None` when it is no log or a change does not apply.
#[wasm_bindgen]
pub fn replay(log: &[u8]) -> Option<Vec<u8>> {
    let log: Vec<Change> = bozzetto_core::wire::decode(log)?;
    let mut lesson = Lesson::new(Keep::All);
    for change in &log {
        lesson.apply(change).ok()?;
    }
    Some(encode(&(lesson.sheets.snapshot(), lesson.stage)))
}
