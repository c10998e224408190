//! How long a change takes until it is safe.

use crate::rows::row;
use crate::{TARGET, connect, milliseconds, percentile, serve, stroke};
use bozzetto::lessons::queries;
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId};
use bozzetto_core::lesson::change::{Change, Intent, What};
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::wire::{FromServer, ToServer, decode, encode};
use futures_util::{SinkExt, StreamExt};
use std::path::Path;
use std::time::Instant;
use tokio_tungstenite::tungstenite::Message;

/// From a sent change to its acknowledgement, one after the other; beside a bare SQLite commit of
/// the same bytes with the same settings.
pub async fn change_durable() {
    let folder = tempfile::tempdir_in(TARGET).expect("a folder");
    let (app, address) = serve(folder.path()).await;
    let lesson = app
        .store
        .write(|c| queries::create(c, "Bench", "class"))
        .await
        .expect("a lesson");
    let backdrop = app.live.look(lesson).await.expect("a look").order[0].id;
    let mut socket = connect(address, &format!("/lessons/{lesson}/live"), None).await;
    let mut took = Vec::new();
    for id in 1..=1000 {
        let steps = vec![Step {
            sheet: SheetId::Backdrop(backdrop),
            op: Op::Add(stroke(id, 60)),
        }];
        let message = encode(&ToServer::Act {
            id: ChangeId(id),
            intent: Intent::Do(steps),
        });
        let sent = Instant::now();
        socket
            .send(Message::Binary(message.into()))
            .await
            .expect("a line");
        loop {
            let Some(Ok(Message::Binary(bytes))) = socket.next().await else {
                continue;
            };
            if let Some(FromServer::Change {
                change, kept: true, ..
            }) = decode(&bytes)
                && change.id == ChangeId(id)
            {
                break;
            }
        }
        took.push(milliseconds(sent.elapsed()));
    }
    let bare = bare_commits(folder.path());
    took.sort_by(f64::total_cmp);
    row(
        "change.durable.p99",
        percentile(&took, 0.99),
        "ms",
        Some(percentile(&bare, 0.99)),
        "1000 strokes of 60 points, one after the other; baseline: bare SQLite commit of the same bytes",
    );
    row(
        "change.durable.p50",
        percentile(&took, 0.5),
        "ms",
        Some(percentile(&bare, 0.5)),
        "",
    );
}

pub fn bare_commits(folder: &Path) -> Vec<f64> {
    let conn = rusqlite::Connection::open(folder.join("bare.db")).expect("a database");
    conn.pragma_update(None, "journal_mode", "WAL")
        .expect("WAL");
    conn.pragma_update(None, "synchronous", "FULL")
        .expect("FULL");
    conn.execute_batch("CREATE TABLE change (lesson INTEGER, seq INTEGER, id INTEGER, body BLOB, PRIMARY KEY (lesson, seq)) WITHOUT ROWID").expect("a table");
    let mut took = Vec::new();
    for id in 1..=1000u64 {
        let steps = vec![Step {
            sheet: SheetId::Backdrop(BackdropId(1)),
            op: Op::Add(stroke(id, 60)),
        }];
        let change = Change {
            id: ChangeId(id),
            author: AuthorId(1),
            at: 1_790_000_000_000,
            what: What::Marks {
                deed: Deed::Do,
                steps,
            },
        };
        let body = encode(&change);
        let begun = Instant::now();
        conn.prepare_cached("INSERT INTO change VALUES (1, ?1, ?1, ?2)")
            .and_then(|mut s| s.execute(rusqlite::params![id as i64, body]))
            .expect("a commit");
        took.push(milliseconds(begun.elapsed()));
    }
    took.sort_by(f64::total_cmp);
    took
}
