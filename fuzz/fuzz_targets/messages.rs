#![no_main]
//! What a browser may send: decoded, judged, applied to sheets, and taken back.

use bozzetto_core::lesson::Lesson;
use bozzetto_core::lesson::change::{Change, Intent, What};
use bozzetto_core::sheets::step::check_steps;
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId};
use bozzetto_core::people::rights::{Role, may};
use bozzetto_core::wire::{Hello, ToServer, decode};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let _ = Hello::decode(bytes);
    let Some(message) = decode::<ToServer>(bytes) else {
        return;
    };
    let _ = may(Role::Participant, &message);
    match message {
        ToServer::Wet(ink) => {
            let _ = ink.check();
        }
        ToServer::WetShape(shape) => {
            let _ = shape.mark.check();
        }
        ToServer::Act { intent, .. } => act(&intent),
        _ => {}
    }
});

/// As the server does it.
fn act(intent: &Intent) {
    let mut lesson = Lesson::new(Keep::All);
    let author = AuthorId(1);
    let what = match lesson.resolve(author, intent) {
        Ok(What::Marks { deed, steps }) if check_steps(&steps).is_ok() => {
            let Ok(steps) = lesson.sheets.vouched(author, steps) else {
                return;
            };
            What::Marks { deed, steps }
        }
        Ok(stage @ What::Stage(_)) => stage,
        _ => return,
    };
    let before = lesson.clone();
    let change = |id, what| Change {
        id: ChangeId(id),
        author,
        at: 1,
        what,
    };
    if lesson.apply(&change(1, what)).is_err() {
        assert!(lesson == before, "what is refused changes nothing");
        return;
    }
    if let Ok(what) = lesson.resolve(author, &Intent::Undo) {
        lesson.apply(&change(2, what)).expect("what was done can be undone");
        assert!(lesson == before, "undo takes back exactly");
    }
}
