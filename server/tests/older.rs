//! Data folders that earlier versions wrote are opened, and hold what they held.

use std::collections::BTreeMap;

use crate::common::{Server, text};
use bozzetto_core::marks::mark::Body;

/// The demo data of 26 November 2026, with a few strokes of every kind, a text, erased and undone
/// parts, a further page and a participant. The files are left out: a lesson opens without them.
#[tokio::test]
async fn a_folder_of_november_2026_opens() {
    let folder = tempfile::tempdir().unwrap();
    let kept = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/fixtures/2026-11-26.db");
    std::fs::copy(kept, folder.path().join("bozzetto.db")).unwrap();
    let server = Server::start(folder.path()).await;
    let home = text(server.get("/").await).await;
    assert!(home.contains("Coastal pilotage, evening 3") && home.contains("Harbour users"));
    let look = server.app.live.look(1).await.unwrap();
    let names: Vec<&str> = look.order.iter().map(|b| b.name.as_str()).collect();
    assert_eq!(names[..2], ["Harbour approach", "Board"]);
    assert_eq!((names.len(), look.marked), (9, 22));
    assert_eq!(look.stage.current.map(|b| b.name).as_deref(), Some("Board"));
    let mut kinds: BTreeMap<&str, usize> = BTreeMap::new();
    for sheet in look.order.iter().flat_map(|b| b.sheets()) {
        for mark in look.sheets.sheet(sheet).marks() {
            let kind = match &mark.body {
                Body::Stroke(_) => "stroke",
                Body::Shape(_) => "shape",
                Body::Stamp(_) => "stamp",
                Body::Text(_) => "text",
                Body::Picture(_) => "picture",
            };
            *kinds.entry(kind).or_default() += 1;
        }
    }
    assert_eq!(
        kinds,
        BTreeMap::from([("shape", 1), ("stamp", 1), ("stroke", 9), ("text", 1)])
    );
    assert_eq!(server.get("/lessons/1/stage").await.status(), 200);
}
