//! Backups, and looking through a data folder for damage.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use crate::common::{Server, add, quarters, stroke};
use axum::http::StatusCode;
use bozzetto::upkeep::{backup, verify};
use bozzetto_core::geometry::ids::{BackdropId, MarkId};
use bozzetto_core::sheets::step::SheetId;
use rusqlite::Connection;

/// A folder with a lesson in which somebody has drawn on a board and on a picture.
async fn furnished(data: &Path) -> (Server, i64) {
    let server = Server::start(data).await;
    let lesson = server.lesson().await;
    let board = server.first_backdrop(lesson).await;
    let picture = server.bring(lesson, "q.png", &quarters()).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    for (id, on) in [(1, board), (2, BackdropId(picture as u64))] {
        presenter.act(id, add(on, stroke(id))).await;
        assert!(presenter.told(id).await);
    }
    (server, lesson)
}

fn media(data: &Path) -> Vec<PathBuf> {
    let files = fs::read_dir(data.join("media")).unwrap();
    let mut files: Vec<PathBuf> = files.map(|f| f.unwrap().path()).collect();
    files.sort();
    files
}

/// While the server runs and somebody draws, a backup holds all that was acknowledged before it began,
/// is whole, and can be served. The next one adds what is new and drops what is gone.
#[tokio::test(flavor = "multi_thread")]
async fn a_backup_is_made_while_somebody_draws() {
    let (data, to) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let (server, lesson) = furnished(data.path()).await;
    let board = server.first_backdrop(lesson).await;
    let (mut presenter, _) = server.presenter(lesson).await;
    let (from, target) = (data.path().to_owned(), to.path().to_owned());
    let copying = tokio::task::spawn_blocking(move || backup::run(&from, &target));
    for id in 10..40 {
        presenter.act(id, add(board, stroke(id))).await;
        assert!(presenter.told(id).await);
    }
    let kept = copying.await.unwrap().unwrap();
    assert_eq!(
        (kept.files, kept.new),
        (media(data.path()).len(), kept.files)
    );
    fs::write(
        to.path().join("media").join("0".repeat(64)),
        "of a lesson that is gone",
    )
    .unwrap();
    let again = backup::run(data.path(), to.path()).unwrap();
    assert_eq!((again.files, again.new), (kept.files, 0));
    assert_eq!(media(to.path()).len(), kept.files);
    let report = verify::run(to.path()).unwrap();
    assert_eq!(report.faults, [""; 0]);
    assert_eq!(
        (report.lessons, report.marks, report.files),
        (1, 32, kept.files)
    );
    assert!(backup::run(data.path(), data.path()).is_err());
    drop((presenter, server));

    let server = Server::start(to.path()).await;
    let look = server.app.live.look(lesson).await.unwrap();
    let sheet = look.sheets.sheet(SheetId::Backdrop(look.order[0].id));
    assert!(
        [1, 10, 39]
            .iter()
            .all(|id| sheet.get(MarkId(*id)).is_some())
    );
    assert_eq!(server.get("/healthz").await.status(), StatusCode::OK);
}

/// Whatever is damaged is named, each by itself, and the folder is left as it was.
#[tokio::test(flavor = "multi_thread")]
async fn damage_is_named() {
    let whole = tempfile::tempdir().unwrap();
    drop(furnished(whole.path()).await);
    let found = |damage: &dyn Fn(&Path)| {
        let data = tempfile::tempdir().unwrap();
        backup::run(whole.path(), data.path()).unwrap();
        damage(data.path());
        verify::run(data.path()).unwrap().faults.join("\n")
    };
    let sql = |data: &Path, sql: &str| {
        let conn = Connection::open(data.join("bozzetto.db")).unwrap();
        conn.pragma_update(None, "foreign_keys", false).unwrap();
        conn.execute_batch(sql).unwrap();
    };
    assert_eq!(found(&|_| {}), "");
    let missing = |data: &Path| fs::remove_file(&media(data)[0]).unwrap();
    assert!(found(&missing).contains("is not there"));
    let turned = |data: &Path| {
        let path = &media(data)[0];
        let mut bytes = fs::read(path).unwrap();
        *bytes.last_mut().unwrap() ^= 1;
        fs::write(path, bytes).unwrap();
    };
    assert!(found(&turned).contains("is not what it was"));
    let cut = |data: &Path| {
        let path = &media(data)[0];
        let bytes = fs::read(path).unwrap();
        fs::write(path, &bytes[..bytes.len() / 2]).unwrap();
    };
    assert!(found(&cut).contains("bytes instead of"));
    let change = |data: &Path| sql(data, "UPDATE change SET body = x'02ff' WHERE seq = 2");
    assert!(found(&change).contains("the log of lesson 1 cannot be read"));
    let gap = |data: &Path| sql(data, "DELETE FROM backdrop WHERE media IS NOT NULL");
    assert!(found(&gap).contains("has marks on backdrop 2, which is not there"));
    let orphan = |data: &Path| sql(data, "DELETE FROM media");
    assert!(found(&orphan).contains("a row of backdrop names a row of media"));
    let page = |data: &Path| {
        let path = data.join("bozzetto.db");
        let mut bytes = fs::read(&path).unwrap();
        // A page of the database is 4096 bytes; the second one is in the middle of the tables.
        bytes[4096..8192].fill(0xA5);
        fs::write(&path, bytes).unwrap();
    };
    assert!(found(&page).contains("the database is damaged"));
    let no_database = tempfile::tempdir().unwrap();
    assert!(verify::run(no_database.path()).is_err());
}

/// As it is typed: what is said, and how it ends.
#[tokio::test(flavor = "multi_thread")]
async fn the_commands_say_how_it_went() {
    let (data, to) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    drop(furnished(data.path()).await);
    let run = |args: &[&str], folder: &Path| {
        let program = env!("CARGO_BIN_EXE_bozzetto");
        let (data, to) = (data.path(), to.path());
        let mut command = Command::new(program);
        command
            .args(args)
            .arg("--data")
            .arg(if args == ["backup"] { data } else { folder });
        if args == ["backup"] {
            command.arg("--to").arg(to);
        }
        let out = command.output().unwrap();
        let said = String::from_utf8_lossy(&out.stdout) + String::from_utf8_lossy(&out.stderr);
        (out.status.success(), said.into_owned())
    };
    let (done, said) = run(&["backup"], data.path());
    assert!(
        done && said.contains("is a copy of the data folder"),
        "{said}"
    );
    let (fine, said) = run(&["verify"], to.path());
    assert!(fine && said.contains("1 lessons with 2 marks"), "{said}");
    fs::remove_file(&media(to.path())[0]).unwrap();
    let (fine, said) = run(&["verify"], to.path());
    assert!(
        !fine && said.contains("is not there") && said.contains("is damaged"),
        "{said}"
    );
}
