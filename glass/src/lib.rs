//! The face that core shows to the browser's scripts.
//!
//! Nothing here is a rule of the job: it keeps core's parts together for one page, takes events as
//! plain numbers and bytes, and hands back display lists and messages.

mod capture_box;
mod events;
mod layers;
mod list;
mod pens;
mod swatches;

use std::collections::{BTreeMap, HashMap, VecDeque};

use bozzetto_core::change::{Intent, Op, SheetId, Step};
use bozzetto_core::frames::{GLASS_WIDTH, Glass as GlassFrame, Held, Map, Point, Rect, Size};
use bozzetto_core::ids::{AuthorId, BackdropId, ChangeId, IdMaker};
use bozzetto_core::paint::Painter;
use bozzetto_core::replica::{Replica, Shown};
use bozzetto_core::wet::WetStrokes;
use bozzetto_core::wire::{BackdropView, Hello, ToServer, encode};
use wasm_bindgen::prelude::*;

use layers::Settled;
use list::List;
use pens::LivePen;

/// One page's stage: presenter's or participant's.
#[wasm_bindgen]
pub struct Glass {
    ids: IdMaker,
    author: Option<AuthorId>,
    resume: Option<(u64, u64)>,
    connected: bool,
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
    order: Vec<BackdropView>,
    current: Option<BackdropView>,
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
            order: Vec::new(),
            current: None,
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

    /// The line is down: nothing is sent until the server has welcomed us again.
    pub fn disconnected(&mut self) {
        self.connected = false;
        self.outbox.clear();
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
        self.spoil_everything();
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
            .filter(|(sheet, _)| !self.replica.sheets().sheet(*sheet).is_empty())
            .map(|(sheet, _)| Step {
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

    /// Puts a backdrop on stage, as soon as the server has taken note.
    pub fn goto(&mut self, id: &str) {
        let Some(id) = id.parse().ok().map(BackdropId) else {
            return;
        };
        self.send(&ToServer::Goto(id));
    }

    pub fn pause(&mut self, paused: bool) {
        self.send(&ToServer::Pause(paused));
    }
}

impl Glass {
    fn glass_point(&self, x: f64, y: f64) -> Point<GlassFrame> {
        Point::new(x / self.scale, y / self.scale)
    }

    /// The sheets in view, from the bottom up.
    fn in_view(&self) -> Vec<(SheetId, Map<Held, GlassFrame>)> {
        let backdrop = self
            .current
            .as_ref()
            .map(|b| (SheetId::Backdrop(b.id), b.view(self.area)));
        backdrop
            .into_iter()
            .chain([(SheetId::Glass, Map::coincident())])
            .collect()
    }

    fn send(&mut self, message: &ToServer) {
        if self.connected {
            self.outbox.push_back(Out {
                key: None,
                bytes: encode(message),
            });
        }
    }

    /// Shows what the author does and queues it for the server; `false` when it cannot be done.
    fn act(&mut self, intent: Intent) -> bool {
        let id = ChangeId(self.ids.next_id());
        let Ok(shown) = self.replica.act(id, intent.clone()) else {
            return false;
        };
        self.show(shown);
        self.queue(id, intent);
        true
    }

    /// Queued whether connected or not: whoever takes it off the queue keeps it, and sends it if
    /// there is a line.
    fn queue(&mut self, id: ChangeId, intent: Intent) {
        self.outbox.push_back(act_message(id, intent));
    }

    fn show(&mut self, shown: Shown) {
        match shown {
            Shown::Everything => self.spoil_everything(),
            Shown::Marks(touched) => {
                let in_view = self.in_view();
                for t in touched {
                    self.spoil_mark(&in_view, &t);
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

/// Replays a packed log from the beginning and gives the packed sheets: what the server, which ran
/// the same rules natively, must hold too. `None` when it is no log or a change does not apply.
#[wasm_bindgen]
pub fn replay(log: &[u8]) -> Option<Vec<u8>> {
    let log: Vec<bozzetto_core::change::Change> = bozzetto_core::wire::decode(log)?;
    let mut sheets = bozzetto_core::sheet::Sheets::new(bozzetto_core::history::Keep::All);
    for change in &log {
        sheets.apply(change).ok()?;
    }
    Some(encode(&sheets.snapshot()))
}
