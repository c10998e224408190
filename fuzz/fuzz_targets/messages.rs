#![no_main]
//! What a browser may send: decoded, judged, applied to sheets, and taken back.

use bozzetto_core::sheets::change::{Change, Intent, check_steps};
use bozzetto_core::sheets::history::Keep;
use bozzetto_core::geometry::ids::{AuthorId, ChangeId};
use bozzetto_core::people::rights::{Role, may};
use bozzetto_core::sheets::sheet::Sheets;
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
    let mut sheets = Sheets::new(Keep::All);
    let author = AuthorId(1);
    let Ok((deed, steps)) = sheets.resolve(author, intent) else {
        return;
    };
    if check_steps(&steps).is_err() {
        return;
    }
    let Ok(steps) = sheets.vouched(author, steps) else {
        return;
    };
    let before = sheets.clone();
    let change = |id, deed, steps| Change {
        id: ChangeId(id),
        author,
        at: 1,
        deed,
        steps,
    };
    if sheets.apply(&change(1, deed, steps)).is_err() {
        assert!(sheets == before, "what is refused changes nothing");
        return;
    }
    if let Ok((deed, steps)) = sheets.resolve(author, &Intent::Undo) {
        sheets.apply(&change(2, deed, steps)).expect("what was done can be undone");
        assert!(sheets == before, "undo takes back exactly");
    }
}
