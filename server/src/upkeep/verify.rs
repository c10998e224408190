//! `bozzetto verify`: whether all that a data folder holds is there and whole.
//!
//! The database is looked at in a copy, so that a running server is not held up and nothing is
//! changed, not even the version of its tables.

use std::collections::HashSet;
use std::fs;
use std::io::Read;
use std::path::Path;

use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::marks::mark::Body;
use bozzetto_core::recording::pieces::{LARGEST, START, lengths, opened};
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::backdrop::{BackdropKind, Page, ViewState};
use bozzetto_core::stage::state::StageState;
use rusqlite::{Connection, Row};
use sha2::{Digest, Sha256};

use super::{MEDIA, copy_database};
use crate::live::log;
use crate::media::hex;
use crate::recordings::FOLDER;
use crate::store;

/// What was looked at, and what is wrong with it.
#[derive(Default, Debug)]
pub struct Report {
    pub lessons: usize,
    pub marks: usize,
    pub files: usize,
    /// Files that nothing refers to; the next start of the server removes them.
    pub idle: usize,
    /// Each in words.
    pub faults: Vec<String>,
}

/// Looks through a data folder: the database's own structure, every reference in it, every lesson's
/// log and snapshot, and every file against the hash that it is named by. Cost: everything is read once.
///
/// # Errors
/// When there is nothing that could be looked through.
pub fn run(data: &Path) -> anyhow::Result<Report> {
    let mut report = Report::default();
    let copied = tempfile::NamedTempFile::new()?;
    let mut conn = copy_database(data, copied.path())?;
    report.structure(&conn)?;
    // What is broken underneath need not be looked at from above.
    if report.faults.is_empty() {
        store::migrate(&mut conn)?;
        report.references(&conn)?;
        report.lessons(&conn)?;
    }
    if let Err(e) = report.files(&conn, &data.join(MEDIA)) {
        report
            .faults
            .push(format!("the files cannot be looked through: {e}"));
    }
    if report.faults.is_empty() {
        report.recordings(&conn, &data.join(FOLDER))?;
    }
    Ok(report)
}

impl Report {
    fn structure(&mut self, conn: &Connection) -> anyhow::Result<()> {
        let mut check = conn.prepare("PRAGMA integrity_check")?;
        let said = check.query_map([], |row| row.get::<_, String>(0))?;
        for line in said {
            match line {
                Ok(line) if line == "ok" => {}
                Ok(line) => self.faults.push(format!("the database is damaged: {line}")),
                Err(e) => self.faults.push(format!("the database is damaged: {e}")),
            }
        }
        Ok(())
    }

    /// Rows that name others, in tables and in what core keeps as JSON.
    fn references(&mut self, conn: &Connection) -> anyhow::Result<()> {
        let mut check = conn.prepare("PRAGMA foreign_key_check")?;
        let mut rows = check.query([])?;
        while let Some(row) = rows.next()? {
            let (table, to): (String, String) = (row.get(0)?, row.get(2)?);
            self.faults.push(format!(
                "a row of {table} names a row of {to} that is not there"
            ));
        }
        let pages = names(conn, "SELECT name FROM web_page", |row| {
            row.get::<_, String>(0)
        })?;
        let pictures = pictures(conn)?;
        let mut all = conn.prepare("SELECT id, kind, seen FROM backdrop")?;
        let mut rows = all.query([])?;
        while let Some(row) = rows.next()? {
            let id: i64 = row.get(0)?;
            match serde_json::from_str(&row.get::<_, String>(1)?) {
                Ok(BackdropKind::Page(Page::Kept { name, .. })) if !pages.contains(&name) => {
                    self.faults
                        .push(format!("the web page of backdrop {id} is not there"));
                }
                Ok(_) => {}
                Err(e) => self
                    .faults
                    .push(format!("backdrop {id} cannot be read: {e}")),
            }
            match serde_json::from_str::<ViewState>(&row.get::<_, String>(2)?) {
                Ok(seen) if seen.frozen.is_some_and(|f| !pictures.contains(&f.picture)) => {
                    self.faults.push(format!(
                        "the picture that backdrop {id} is held at is not there"
                    ));
                }
                Ok(_) => {}
                Err(e) => self
                    .faults
                    .push(format!("how backdrop {id} is seen cannot be read: {e}")),
            }
        }
        Ok(())
    }

    /// Every lesson, from its log and from its snapshot.
    fn lessons(&mut self, conn: &Connection) -> anyhow::Result<()> {
        let pictures = pictures(conn)?;
        for lesson in names(conn, "SELECT id FROM lesson", |row| row.get::<_, i64>(0))? {
            self.lessons += 1;
            let replayed = match log::replay(conn, lesson) {
                Ok(replayed) => replayed,
                Err(e) => {
                    self.faults
                        .push(format!("the log of lesson {lesson} cannot be read: {e}"));
                    continue;
                }
            };
            match log::remembered(conn, lesson) {
                Ok(read) if read.lesson != replayed => self.faults.push(format!(
                    "the snapshot of lesson {lesson} is not what its log comes to"
                )),
                Ok(_) => self.stage(conn, lesson, &replayed.stage)?,
                Err(e) => self
                    .faults
                    .push(format!("lesson {lesson} cannot be opened: {e}")),
            }
            let backdrops = names(conn, "SELECT id FROM backdrop", |row| row.get::<_, i64>(0))?;
            let sheets = &replayed.sheets;
            for sheet in sheets.ids() {
                let marks = sheets.sheet(sheet).marks();
                self.marks += sheets.sheet(sheet).len();
                if let SheetId::Backdrop(of) | SheetId::Page { backdrop: of, .. } = sheet
                    && !sheets.sheet(sheet).is_empty()
                    && !backdrops.contains(&(of.0 as i64))
                {
                    self.faults.push(format!(
                        "lesson {lesson} has marks on backdrop {}, which is not there",
                        of.0
                    ));
                }
                for mark in marks {
                    if let Body::Picture(placed) = &mark.body
                        && !pictures.contains(&placed.picture)
                    {
                        self.faults.push(format!(
                            "lesson {lesson} shows the placed picture {}, which is not there",
                            placed.picture
                        ));
                    }
                }
            }
        }
        Ok(())
    }

    /// What the tables say of a lesson's stage, against its log. What was brought or taken out while
    /// the lesson was closed is taken into the log when it is opened.
    fn stage(&mut self, conn: &Connection, lesson: i64, logged: &StageState) -> anyhow::Result<()> {
        let Some(tables) = log::tables(conn, lesson)?.filter(|_| !logged.is_blank()) else {
            return Ok(());
        };
        for theirs in &tables.stage.order {
            let ours = logged.backdrop(theirs.id);
            if ours.is_some_and(|ours| ours.seen != theirs.seen) {
                self.faults.push(format!(
                    "backdrop {} of lesson {lesson} is not seen as its log says",
                    theirs.id.0
                ));
            }
        }
        let there = |id: BackdropId| tables.stage.backdrop(id).is_some();
        let moved = logged.current.is_some_and(there) && logged.current != tables.stage.current;
        if moved || logged.paused != tables.stage.paused {
            self.faults.push(format!(
                "what is on stage in lesson {lesson} is not what its log says"
            ));
        }
        Ok(())
    }

    fn files(&mut self, conn: &Connection, media: &Path) -> anyhow::Result<()> {
        let mut known = HashSet::new();
        let mut all = conn.prepare("SELECT sha, bytes FROM media")?;
        let mut rows = all.query([])?;
        while let Some(row) = rows.next()? {
            let (name, bytes): (String, i64) = (row.get(0)?, row.get(1)?);
            self.files += 1;
            if let Some(fault) = fault_of(&media.join(&name), &name, bytes as u64) {
                self.faults.push(format!("the file {name} {fault}"));
            }
            known.insert(name);
        }
        for entry in fs::read_dir(media)? {
            let name = entry?.file_name();
            self.idle += usize::from(!known.contains(&*name.to_string_lossy()));
        }
        Ok(())
    }

    fn recordings(&mut self, conn: &Connection, folder: &Path) -> anyhow::Result<()> {
        let mut all = conn.prepare("SELECT file, pieces, bytes FROM recording")?;
        let mut rows = all.query([])?;
        while let Some(row) = rows.next()? {
            let (name, pieces, bytes): (String, u32, i64) = (row.get(0)?, row.get(1)?, row.get(2)?);
            self.files += 1;
            if let Some(fault) = fault_of_film(&folder.join(&name), pieces, bytes as u64) {
                self.faults.push(format!("the recording {name} {fault}"));
            }
        }
        Ok(())
    }
}

/// What is wrong with the file of a recording, if anything is: it has so many whole pieces in its first `bytes`. What comes
/// after those broke off.
fn fault_of_film(path: &Path, pieces: u32, bytes: u64) -> Option<String> {
    let whole = || -> std::io::Result<u32> {
        let mut file = fs::File::open(path)?.take(bytes);
        let mut count = 0;
        loop {
            let mut piece = vec![0; START];
            match file.read(&mut piece[..1])? {
                0 => return Ok(count),
                _ => file.read_exact(&mut piece[1..])?,
            }
            let (head, data) = lengths(piece[..].try_into().map_err(std::io::Error::other)?);
            if head + data > LARGEST {
                return Ok(count);
            }
            piece.resize(START + head + data, 0);
            file.read_exact(&mut piece[START..])?;
            if opened(&piece).is_err() {
                return Ok(count);
            }
            count += 1;
        }
    };
    match whole() {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => {
            (pieces > 0).then(|| "is not there".to_owned())
        }
        Err(e) => Some(format!("cannot be read: {e}")),
        Ok(count) if count != pieces => {
            Some(format!("has {count} whole pieces instead of {pieces}"))
        }
        Ok(_) => None,
    }
}

/// What is wrong with a file, if anything is.
fn fault_of(path: &Path, name: &str, bytes: u64) -> Option<String> {
    match sum_of(path) {
        Err(e) if e.kind() == std::io::ErrorKind::NotFound => Some("is not there".to_owned()),
        Err(e) => Some(format!("cannot be read: {e}")),
        Ok((read, _)) if read != bytes => Some(format!("has {read} bytes instead of {bytes}")),
        Ok((_, sum)) if sum != name => Some("is not what it was".to_owned()),
        Ok(_) => None,
    }
}

/// How many bytes a file has, and their SHA-256 as it is written in names.
fn sum_of(path: &Path) -> std::io::Result<(u64, String)> {
    let (mut file, mut sum) = (fs::File::open(path)?, Sha256::new());
    let (mut piece, mut bytes) = (vec![0; 64 * 1024], 0);
    loop {
        match file.read(&mut piece)? {
            0 => return Ok((bytes, hex(&sum.finalize()))),
            read => {
                sum.update(&piece[..read]);
                bytes += read as u64;
            }
        }
    }
}

fn pictures(conn: &Connection) -> anyhow::Result<HashSet<u64>> {
    names(conn, "SELECT id FROM placed", |row| {
        Ok(row.get::<_, i64>(0)? as u64)
    })
}

fn names<T: Eq + std::hash::Hash>(
    conn: &Connection,
    query: &str,
    name: impl FnMut(&Row) -> rusqlite::Result<T>,
) -> anyhow::Result<HashSet<T>> {
    let mut statement = conn.prepare(query)?;
    let names = statement.query_map([], name)?;
    Ok(names.collect::<rusqlite::Result<_>>()?)
}
