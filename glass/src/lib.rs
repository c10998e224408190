//! The face that core shows to the browser's scripts.
//!
//! Nothing here is a rule of the job: it keeps core's parts together for one page, takes events as
//! plain numbers and bytes, and hands back display lists and messages.

mod arranging;
mod asked;
mod capture;
mod clock;
mod cover;
mod events;
mod fading;
mod frame;
mod halves;
mod hand;
mod instruments;
mod laid;
mod layers;
mod list;
mod magnifier;
mod measure;
mod moments;
mod on_stage;
mod overlays;
mod panes;
mod passing;
mod playback;
mod post;
mod script;
mod selection;
mod session;
mod settings;
mod shapes;
mod streams;
mod turning;
mod typing;
mod zoom;

use bozzetto_core::geometry::frames::{Glass as GlassFrame, Point};
use bozzetto_core::geometry::ids::{AuthorId, ChangeId, MarkId, PersonId};
use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, Intent};
use bozzetto_core::lesson::replica::{Replica, Shown};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::sheets::owned::only_own;
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::wire::{ToServer, divided, encode};
use wasm_bindgen::prelude::*;

use events::News;
use frame::Stale;
use hand::Hand;
use layers::Picture;
use on_stage::OnStage;
use post::{Out, Post};
use session::Session;
use settings::Prefs;
use streams::Streams;

/// One page's stage: presenter's or participant's. Its parts know nothing of each other; what concerns
/// several of them is done here and in the modules' own `impl Glass`.
#[wasm_bindgen]
pub struct Glass {
    /// The lesson as this page shows it.
    replica: Replica,
    /// Who this page is to the server.
    session: Session,
    post: Post,
    /// What is on stage, and how it is seen.
    stage: OnStage,
    /// What of it is painted.
    picture: Picture,
    /// What the hand holds and does.
    hand: Hand,
    prefs: Prefs,
    /// Moving backdrops, sent and got.
    streams: Streams,
    /// What the page has to hear of.
    news: News,
    /// What the page has to show anew.
    stale: Stale,
}

#[wasm_bindgen]
impl Glass {
    /// `nonce` is random; `author` is who this tab was before it was loaded again, if it was.
    #[wasm_bindgen(constructor)]
    pub fn new(nonce: u32, author: Option<String>) -> Glass {
        let author = author.and_then(|a| a.parse().ok()).map(AuthorId);
        Glass {
            replica: Replica::new(author.unwrap_or(AuthorId(0))),
            session: Session::new(nonce, author),
            post: Post::default(),
            stage: OnStage::default(),
            picture: Picture::default(),
            hand: Hand::default(),
            prefs: Prefs::default(),
            streams: Streams::default(),
            news: News::default(),
            stale: Stale::default(),
        }
    }

    /// Whoever has this page touches only what is their own.
    pub fn be_guest(&mut self) {
        self.session.guest = true;
    }

    /// What to say first on a new connection.
    pub fn hello(&mut self) -> Vec<u8> {
        self.post.clear();
        self.session.hello().encode()
    }

    /// For how many milliseconds nothing may come before the line is taken for dead.
    pub fn dead_after(&self) -> f64 {
        bozzetto_core::wire::DEAD as f64
    }

    /// The line is down: nothing is sent until the server has welcomed us again.
    pub fn disconnected(&mut self) {
        self.post.connect(false);
    }

    /// Why something that was asked for was not done, in words for the person; empty when all was. It
    /// is said once.
    pub fn complaint(&mut self) -> String {
        self.post.complaint().unwrap_or_default()
    }

    /// The next message to send, if any.
    pub fn next_message(&mut self) -> Option<Out> {
        self.post.next()
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
        self.replica.pending().count() + self.session.unkept.len()
    }

    /// All that is not acknowledged, as messages to keep; for when the page is about to go.
    pub fn unacknowledged(&self) -> Vec<Out> {
        let all = self.all_pending().into_iter();
        all.map(|(id, intent)| Out::of_change(id, intent)).collect()
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
        self.post.send(&ToServer::SendAway(PersonId(id as u64)));
    }
}

impl Glass {
    /// All sheets as this page shows them; for tests.
    pub fn sheets(&self) -> &bozzetto_core::sheets::sheet::Sheets {
        self.replica.sheets()
    }

    fn glass_point(&self, x: f64, y: f64) -> Point<GlassFrame> {
        Point::new(x / self.picture.scale, y / self.picture.scale)
    }

    /// What the server has not acknowledged, or has not on disk, the oldest first.
    fn all_pending(&self) -> Vec<(ChangeId, Intent)> {
        let unkept = self.session.unkept.iter().map(|(id, intent)| (*id, intent));
        let pending = self.replica.pending().map(|p| (p.id, &p.intent));
        let all = unkept.chain(pending);
        all.map(|(id, intent)| (id, intent.clone())).collect()
    }

    /// Whether whoever has this page may change or remove a mark.
    fn may_touch(&self, sheet: SheetId, mark: MarkId) -> bool {
        let author = self.replica.author();
        let mark = self.replica.sheets().sheet(sheet).get(mark);
        !self.session.guest || mark.is_some_and(|mark| mark.author == author)
    }

    /// Shows what the author does and queues it for the server, in as many parts as it takes; `false`
    /// when it cannot be done.
    fn act(&mut self, mut intent: Intent) -> bool {
        if self.session.guest
            && let Intent::Do(steps) | Intent::More(steps) = &mut intent
        {
            let author = self.replica.author();
            *steps = only_own(self.replica.sheets(), author, std::mem::take(steps));
            if steps.is_empty() {
                return false;
            }
        }
        let parts = match divided(intent) {
            Ok(parts) => parts,
            Err(why) => {
                self.post.complain(why.to_string());
                return false;
            }
        };
        self.replica.now = self.now();
        let mut done = false;
        for part in parts {
            let id = ChangeId(self.session.ids.next_id());
            let shown = match self.replica.act(id, part.clone()) {
                Ok(shown) => shown,
                Err(why @ (Refusal::NoMorePages | Refusal::NoSuchBackdrop)) => {
                    self.post.complain(why.to_string());
                    break;
                }
                Err(_) => break,
            };
            self.show(shown);
            self.post.queue(id, part);
            done = true;
        }
        done
    }

    fn show(&mut self, shown: Shown) {
        self.stale.changed = true;
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
