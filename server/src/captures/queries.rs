//! Captures in the database.

use bozzetto_core::capture::moment::{Cut, Moment};
use bozzetto_core::capture::name::{Naming, PATTERN, counted};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::stage::backdrop::Frozen;
use bozzetto_core::wire::TakeAway;
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::media::Written;
use crate::store::{Result, StoreError, json};

/// A capture, as pages show it.
pub struct Capture {
    pub id: i64,
    pub lesson: i64,
    pub name: String,
    pub way: String,
    pub width: u32,
    pub height: u32,
    pub taken_at: i64,
    pub handed_out: bool,
    pub media: String,
    pub thumbnail: String,
    /// What of its moment it is; `None` of one from before that was kept.
    pub cut: Option<Cut>,
    /// What is written below it, in files for others.
    pub caption: String,
    /// What was on stage; empty if that is not known.
    pub backdrop: String,
    /// It is one of those that were chosen on the page.
    pub chosen: bool,
    /// Its name in another folder, if it was written there.
    pub saved_as: Option<String>,
    /// Why it is not there, or not as it is now.
    pub save_fault: Option<String>,
    /// How many participants have opened it since it was handed out.
    pub opened: u32,
}

/// As little of a capture as finds it.
pub struct Brief {
    pub id: i64,
    pub lesson: i64,
    pub lesson_name: String,
    pub name: String,
    pub caption: String,
    pub backdrop: String,
    pub taken_at: i64,
    pub handed_out: bool,
    pub thumbnail: String,
}

/// The captures of all lessons: those of the lesson that was used last first, in their order.
pub fn everywhere(conn: &Connection) -> Result<Vec<Brief>> {
    let mut statement = conn.prepare_cached(
        "SELECT c.id, c.lesson, l.name, c.name, c.caption, coalesce(json_extract(c.moment, '$.current.name'), ''),
             c.taken_at, c.handed_out_at IS NOT NULL, c.thumbnail
         FROM capture c JOIN lesson l ON l.id = c.lesson
         WHERE c.deleted_at IS NULL AND l.deleted_at IS NULL AND l.marks_capture IS NULL AND l.answers IS NULL
         ORDER BY l.used_at DESC, l.id DESC, c.place, c.id",
    )?;
    let brief = |row: &Row| {
        Ok(Brief {
            id: row.get(0)?,
            lesson: row.get(1)?,
            lesson_name: row.get(2)?,
            name: row.get(3)?,
            caption: row.get(4)?,
            backdrop: row.get(5)?,
            taken_at: row.get(6)?,
            handed_out: row.get(7)?,
            thumbnail: row.get(8)?,
        })
    };
    let rows = statement.query_map([], brief)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// The names of a capture's files.
pub struct Files {
    pub whole: String,
    pub small: String,
}

/// A capture that has just been taken.
pub struct NewCapture {
    pub lesson: i64,
    /// What it is called by, but for its number.
    pub naming: Naming,
    pub moment: Moment,
    /// Backdrops that moved, and the files of their frames.
    pub frames: Vec<(BackdropId, Written)>,
    pub made: Made,
}

/// What was made from a moment.
#[derive(Clone)]
pub struct Made {
    pub cut: Cut,
    pub width: u32,
    pub height: u32,
    pub picture: Written,
    pub thumbnail: Written,
    /// The placed pictures that it shows, and the files that they were.
    pub shows: Vec<(u64, String)>,
    /// The files of the backdrops that it shows.
    pub beneath: Vec<String>,
}

/// What a capture is made from.
pub struct MadeFrom {
    pub moment: Moment,
    pub cut: Cut,
    /// Backdrops that moved, and the names of the files of their frames.
    pub frames: Vec<(BackdropId, String)>,
}

/// How a capture was cut before.
pub struct Version {
    pub number: i64,
    pub cut: Cut,
    /// In milliseconds since 1970.
    pub made_at: i64,
}

/// The most versions of a capture that are kept; the oldest are forgotten.
const MOST_VERSIONS: i64 = 50;

const COLUMNS: &str = "id, lesson, name, way, width, height, taken_at, handed_out_at IS NOT NULL, media, thumbnail, cut,
    caption, coalesce(json_extract(moment, '$.current.name'), ''), saved_as, save_fault,
    (SELECT count(*) FROM opened WHERE capture = capture.id)";

fn capture(row: &Row) -> rusqlite::Result<Capture> {
    Ok(Capture {
        id: row.get(0)?,
        lesson: row.get(1)?,
        name: row.get(2)?,
        way: row.get(3)?,
        width: row.get(4)?,
        height: row.get(5)?,
        taken_at: row.get(6)?,
        handed_out: row.get(7)?,
        media: row.get(8)?,
        thumbnail: row.get(9)?,
        cut: row
            .get::<_, Option<String>>(10)?
            .and_then(|json| serde_json::from_str(&json).ok()),
        caption: row.get(11)?,
        backdrop: row.get(12)?,
        chosen: false,
        saved_as: row.get(13)?,
        save_fault: row.get(14)?,
        opened: row.get(15)?,
    })
}

/// Keeps a capture; gives its id. A name that is taken in this lesson gets a number.
pub fn insert(conn: &Connection, new: &NewCapture) -> Result<i64> {
    let made = &new.made;
    for file in [&made.picture, &made.thumbnail] {
        file.enter(conn)?;
    }
    let mut taken = conn.prepare_cached(
        "SELECT 1 FROM capture WHERE lesson = ?1 AND name = ?2 AND deleted_at IS NULL",
    )?;
    let captures: u32 = conn
        .prepare_cached("SELECT count(*) FROM capture WHERE lesson = ?1")?
        .query_row([new.lesson], |row| row.get(0))?;
    let naming = Naming {
        number: captures + 1,
        ..new.naming.clone()
    };
    let pattern = crate::settings::read(conn)?.capture.names;
    // A backdrop without a name leaves nothing of some patterns; of this one something stays.
    let name = naming.name(&pattern).or_else(|_| naming.name(PATTERN));
    let first = name.map_err(|e| StoreError(e.to_string()))?;
    let mut names = counted(&first).skip(1);
    let mut name = first.clone();
    while taken.exists(params![new.lesson, name])? {
        name = names.next().unwrap_or_default();
    }
    conn.prepare_cached(
        "INSERT INTO capture (lesson, name, way, media, thumbnail, width, height, taken_at, made_at, moment, cut, place)
         VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?8, ?9, ?10,
             (SELECT coalesce(max(place), 0) + 1 FROM capture WHERE lesson = ?1))",
    )?
    .execute(params![
        new.lesson,
        name,
        made.cut.way.word(),
        made.picture.sha,
        made.thumbnail.sha,
        made.width,
        made.height,
        new.moment.at as i64,
        json(&new.moment)?,
        json(&made.cut)?
    ])?;
    let id = conn.last_insert_rowid();
    for (backdrop, file) in &new.frames {
        file.enter(conn)?;
        conn.prepare_cached(
            "INSERT INTO capture_frame (capture, backdrop, media) VALUES (?1, ?2, ?3)",
        )?
        .execute(params![id, backdrop.0 as i64, file.sha])?;
    }
    set_shows(conn, id, made)?;
    Ok(id)
}

fn set_shows(conn: &Connection, id: i64, made: &Made) -> Result<()> {
    conn.prepare_cached("DELETE FROM capture_shows WHERE capture = ?1")?
        .execute([id])?;
    let mut add = conn.prepare_cached(
        "INSERT OR REPLACE INTO capture_shows (capture, placed, media) VALUES (?1, ?2, ?3)",
    )?;
    for (name, file) in &made.shows {
        add.execute(params![id, *name as i64, file])?;
    }
    // A backdrop may be one as well: that of a worksheet.
    let mut add = conn.prepare_cached(
        "INSERT OR REPLACE INTO capture_shows (capture, placed, media)
         SELECT ?1, id, media FROM placed WHERE media = ?2 AND capture IS NOT NULL",
    )?;
    for file in &made.beneath {
        add.execute(params![id, file])?;
    }
    Ok(())
}

/// Captures that show another as it was before something was hidden in it, and their lessons.
pub fn behind(conn: &Connection) -> Result<Vec<(i64, i64)>> {
    conn.prepare_cached(
        "SELECT DISTINCT c.lesson, c.id FROM capture c
         JOIN capture_shows s ON s.capture = c.id JOIN placed p ON p.id = s.placed
         WHERE p.media <> s.media AND c.moment IS NOT NULL ORDER BY c.id",
    )?
    .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?
    .collect::<rusqlite::Result<_>>()
    .map_err(StoreError::from)
}

/// The names of captures that show this one as it was before something was hidden in it, and stay as they are.
pub fn still_shown_in(conn: &Connection, id: i64) -> Result<Vec<String>> {
    conn.prepare_cached(
        "SELECT DISTINCT c.name FROM capture c
         JOIN capture_shows s ON s.capture = c.id JOIN placed p ON p.id = s.placed
         WHERE p.capture = ?1 AND p.media <> s.media AND c.moment IS NULL ORDER BY c.name",
    )?
    .query_map([id], |row| row.get(0))?
    .collect::<rusqlite::Result<_>>()
    .map_err(StoreError::from)
}

/// What a capture is made from; `None` of one that was taken before that was kept.
pub fn made_from(conn: &Connection, lesson: i64, id: i64) -> Result<Option<MadeFrom>> {
    let found = conn
        .prepare_cached("SELECT moment, cut FROM capture WHERE id = ?1 AND lesson = ?2")?
        .query_row([id, lesson], |row| {
            Ok((
                row.get::<_, Option<String>>(0)?,
                row.get::<_, Option<String>>(1)?,
            ))
        })
        .optional()?;
    let Some((Some(moment), Some(cut))) = found else {
        return Ok(None);
    };
    let read = |e: serde_json::Error| StoreError(format!("capture {id}: {e}"));
    let frames = conn
        .prepare_cached("SELECT backdrop, media FROM capture_frame WHERE capture = ?1")?
        .query_map([id], |row| {
            Ok((BackdropId(row.get::<_, i64>(0)? as u64), row.get(1)?))
        })?
        .collect::<rusqlite::Result<_>>()?;
    Ok(Some(MadeFrom {
        moment: serde_json::from_str(&moment).map_err(read)?,
        cut: serde_json::from_str(&cut).map_err(read)?,
        frames,
    }))
}

/// A frame that went along with a capture: when and of which backdrop, where it lies, and the name of its file.
pub type FrameOf = ((u64, BackdropId), Frozen, String);

/// The frames of what moved that went along with a lesson's captures, but for those of which something was hidden on the bench.
/// Each is called as its file is, so always the same.
pub fn frames(conn: &Connection, lesson: i64) -> Result<Vec<FrameOf>> {
    let mut statement = conn.prepare_cached(
        "SELECT capture.moment, capture.cut, capture_frame.backdrop, capture_frame.media FROM capture_frame
         JOIN capture ON capture.id = capture_frame.capture
         WHERE capture.lesson = ?1 AND capture.deleted_at IS NULL AND capture.moment IS NOT NULL AND capture.cut IS NOT NULL",
    )?;
    let read = |e: serde_json::Error| StoreError(format!("a capture: {e}"));
    let mut rows = statement.query([lesson])?;
    let mut all = Vec::new();
    while let Some(row) = rows.next()? {
        let (moment, cut): (String, String) = (row.get(0)?, row.get(1)?);
        let id = BackdropId(row.get::<_, i64>(2)? as u64);
        let file: String = row.get(3)?;
        let cut: Cut = serde_json::from_str(&cut).map_err(read)?;
        if !cut.bench.hidden.is_empty() {
            continue;
        }
        let moment: Moment = serde_json::from_str(&moment).map_err(read)?;
        let beside = moment.beside.iter().map(|(view, _)| view);
        let mut views = moment.current.iter().chain(beside);
        let frozen = views
            .find(|view| view.id == id)
            .and_then(|view| view.seen.frozen);
        let picture = file
            .get(..15)
            .and_then(|hex| u64::from_str_radix(hex, 16).ok());
        if let (Some(frozen), Some(picture)) = (frozen, picture) {
            all.push(((moment.at, id), Frozen { picture, ..frozen }, file));
        }
    }
    Ok(all)
}

/// A capture's picture is another one from now on, and so are those that are `placed` of it; how it was cut before is a
/// version. Gives the names of the files that they had. `None`, and nothing is changed, when it was not cut as it was
/// said to be, or when something else is placed of it that would have to be made anew: `again`, or for what is hidden.
pub fn remake(
    conn: &Connection,
    (lesson, id): (i64, i64),
    as_it_was: &Cut,
    made: &Made,
    placed: &[(i64, Made)],
    again: bool,
) -> Result<Option<Vec<String>>> {
    let is_now: Option<String> = conn
        .prepare_cached("SELECT cut FROM capture WHERE id = ?1 AND lesson = ?2")?
        .query_row([id, lesson], |row| row.get(0))
        .optional()?
        .flatten();
    let read = |e: serde_json::Error| StoreError(format!("capture {id}: {e}"));
    let is_now: Option<Cut> = is_now
        .map(|cut| serde_json::from_str(&cut).map_err(read))
        .transpose()?;
    if is_now.as_ref() != Some(as_it_was) {
        return Ok(None);
    }
    let all_placed = || -> Result<bool> {
        let each = placed_of(conn, id)?;
        Ok(each
            .iter()
            .all(|(name, _)| placed.iter().any(|(of, _)| of == name)))
    };
    if (again || made.cut.bench.hidden != as_it_was.bench.hidden) && !all_placed()? {
        return Ok(None);
    }
    let mut files = files(conn, lesson, id)?;
    for (name, made) in placed {
        files.push(place_anew(conn, *name, made)?);
    }
    for file in [&made.picture, &made.thumbnail] {
        file.enter(conn)?;
    }
    conn.prepare_cached(
        "INSERT INTO capture_version (capture, number, cut, made_at)
         SELECT id, (SELECT coalesce(max(number), 0) + 1 FROM capture_version WHERE capture = ?1), cut, made_at
         FROM capture WHERE id = ?1 AND lesson = ?2 AND cut IS NOT NULL AND cut <> ?3",
    )?
    .execute(params![id, lesson, json(&made.cut)?])?;
    conn.prepare_cached(
        "DELETE FROM capture_version WHERE capture = ?1
         AND number <= (SELECT max(number) FROM capture_version WHERE capture = ?1) - ?2",
    )?
    .execute([id, MOST_VERSIONS])?;
    conn.prepare_cached(
        "UPDATE capture SET way = ?3, media = ?4, thumbnail = ?5, width = ?6, height = ?7, cut = ?8, made_at = ?9
         WHERE id = ?1 AND lesson = ?2",
    )?
    .execute(params![
        id,
        lesson,
        made.cut.way.word(),
        made.picture.sha,
        made.thumbnail.sha,
        made.width,
        made.height,
        json(&made.cut)?,
        crate::now()
    ])?;
    set_shows(conn, id, made)?;
    if !made.cut.bench.hidden.is_empty() {
        forget_posters(conn, id)?;
    }
    Ok(Some(files))
}

/// Has a capture's picture placed as a mark, under this name. `None` when there is no such capture; otherwise its
/// pixels.
pub fn place(conn: &Connection, lesson: i64, id: i64, name: u64) -> Result<Option<(u32, u32)>> {
    conn.prepare_cached(
        "INSERT INTO placed (id, media, capture, cut)
         SELECT ?3, media, id, cut FROM capture WHERE id = ?1 AND lesson = ?2 AND deleted_at IS NULL
         RETURNING (SELECT width FROM capture WHERE id = ?1), (SELECT height FROM capture WHERE id = ?1)",
    )?
    .query_row(params![id, lesson, name as i64], |row| {
        Ok((row.get(0)?, row.get(1)?))
    })
    .optional()
    .map_err(StoreError::from)
}

/// What came of writing a capture into another folder is kept with it: its name there, or why it is not as it is here.
pub fn set_saved(
    conn: &Connection,
    id: i64,
    written: &std::result::Result<String, String>,
) -> Result<()> {
    // What was written before and could not be replaced is known to be there all the same.
    conn.prepare_cached(
        "UPDATE capture SET saved_as = coalesce(?2, saved_as), save_fault = ?3 WHERE id = ?1",
    )?
    .execute(params![id, written.as_ref().ok(), written.as_ref().err()])?;
    Ok(())
}

/// The captures that could not be written into another folder, and their lessons.
pub fn not_saved(conn: &Connection) -> Result<Vec<(i64, i64)>> {
    conn.prepare_cached(
        "SELECT lesson, id FROM capture WHERE save_fault IS NOT NULL AND deleted_at IS NULL ORDER BY id",
    )?
    .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?
    .collect::<rusqlite::Result<_>>()
    .map_err(StoreError::from)
}

/// The capture that was taken last.
pub fn newest(conn: &Connection, lesson: i64) -> Result<Option<i64>> {
    let newest = conn
        .prepare_cached(
            "SELECT id FROM capture WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY id DESC LIMIT 1",
        )?
        .query_row([lesson], |row| row.get(0));
    Ok(newest.optional()?)
}

/// Pictures that are placed of a capture: their names, and how it was cut then.
pub fn placed_of(conn: &Connection, id: i64) -> Result<Vec<(i64, Cut)>> {
    let mut statement =
        conn.prepare_cached("SELECT id, cut FROM placed WHERE capture = ?1 AND cut IS NOT NULL")?;
    let rows = statement.query_map([id], |row| Ok((row.get(0)?, row.get::<_, String>(1)?)))?;
    let mut placed = Vec::new();
    for row in rows {
        let (name, cut) = row?;
        let cut =
            serde_json::from_str(&cut).map_err(|e| StoreError(format!("placed {name}: {e}")))?;
        placed.push((name, cut));
    }
    Ok(placed)
}

/// What is placed of a capture is another picture from now on. Gives the name of the file that it was.
fn place_anew(conn: &Connection, name: i64, made: &Made) -> Result<String> {
    made.picture.enter(conn)?;
    let before: String = conn
        .prepare_cached("SELECT media FROM placed WHERE id = ?1")?
        .query_row([name], |row| row.get(0))?;
    conn.prepare_cached("UPDATE placed SET media = ?2, cut = ?3 WHERE id = ?1")?
        .execute(params![name, made.picture.sha, json(&made.cut)?])?;
    // Of a worksheet it is the backdrop, too, wherever that is marked.
    let worksheets = conn
        .prepare_cached("UPDATE worksheet SET media = ?2 WHERE placed = ?1")?
        .execute(params![name, made.picture.sha])?;
    if worksheets > 0 {
        conn.prepare_cached("UPDATE backdrop SET media = ?2 WHERE media = ?1")?
            .execute(params![before, made.picture.sha])?;
    }
    Ok(before)
}

/// Backdrops whose poster is a frame of this capture have none any more: something in it is to be seen by nobody.
fn forget_posters(conn: &Connection, id: i64) -> Result<()> {
    conn.prepare_cached(
        "UPDATE backdrop SET poster = NULL
         WHERE poster IN (SELECT media FROM capture_frame WHERE capture = ?1)",
    )?
    .execute([id])?;
    Ok(())
}

/// The files of a capture's picture.
fn files(conn: &Connection, lesson: i64, id: i64) -> Result<Vec<String>> {
    let found = conn
        .prepare_cached("SELECT media, thumbnail FROM capture WHERE id = ?1 AND lesson = ?2")?
        .query_row([id, lesson], |row| Ok([row.get(0)?, row.get(1)?]))
        .optional()?;
    Ok(found.into_iter().flatten().collect())
}

/// How a capture was cut before, the newest first.
pub fn versions(conn: &Connection, id: i64) -> Result<Vec<Version>> {
    let mut statement = conn.prepare_cached(
        "SELECT number, cut, made_at FROM capture_version WHERE capture = ?1 ORDER BY number DESC",
    )?;
    let rows = statement.query_map([id], |row| {
        Ok((row.get(0)?, row.get::<_, String>(1)?, row.get(2)?))
    })?;
    let mut versions = Vec::new();
    for row in rows {
        let (number, cut, made_at) = row?;
        let read =
            |e: serde_json::Error| StoreError(format!("capture {id}, version {number}: {e}"));
        versions.push(Version {
            number,
            cut: serde_json::from_str(&cut).map_err(read)?,
            made_at,
        });
    }
    Ok(versions)
}

/// All that a capture was made from is forgotten: it stays the picture that it is. Gives the names of the files that
/// it does not need any more.
pub fn make_final(conn: &Connection, lesson: i64, id: i64) -> Result<Vec<String>> {
    forget_posters(conn, id)?;
    let frames = conn
        .prepare_cached("SELECT media FROM capture_frame WHERE capture = ?1")?
        .query_map([id], |row| row.get(0))?
        .collect::<rusqlite::Result<_>>()?;
    for table in ["capture_frame", "capture_version"] {
        conn.execute(&format!("DELETE FROM {table} WHERE capture = ?1"), [id])?;
    }
    conn.prepare_cached(
        "UPDATE capture SET moment = NULL, cut = NULL, made_at = ?3 WHERE id = ?1 AND lesson = ?2",
    )?
    .execute([id, lesson, crate::now()])?;
    Ok(frames)
}

/// A lesson's captures, oldest first.
pub fn of_lesson(conn: &Connection, lesson: i64) -> Result<Vec<Capture>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM capture WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY place, id"
    ))?;
    let rows = statement.query_map([lesson], capture)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// One capture, deleted or not.
pub fn one(conn: &Connection, lesson: i64, id: i64) -> Result<Option<Capture>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM capture WHERE id = ?1 AND lesson = ?2"
    ))?;
    Ok(statement.query_row([id, lesson], capture).optional()?)
}

/// Moves captures by one place among those of their lesson; what is at an end stays there.
pub fn shift(conn: &Connection, lesson: i64, these: &[i64], later: bool) -> Result<()> {
    let mut ids: Vec<i64> = of_lesson(conn, lesson)?.iter().map(|c| c.id).collect();
    if later {
        ids.reverse();
    }
    for at in 1..ids.len() {
        if these.contains(&ids[at]) && !these.contains(&ids[at - 1]) {
            ids.swap(at, at - 1);
        }
    }
    if later {
        ids.reverse();
    }
    let mut put = conn.prepare_cached("UPDATE capture SET place = ?1 WHERE id = ?2")?;
    for (place, id) in ids.iter().enumerate() {
        put.execute(params![place as i64 + 1, id])?;
    }
    Ok(())
}

/// Writes something below a capture.
pub fn set_caption(conn: &Connection, lesson: i64, id: i64, caption: &str) -> Result<()> {
    conn.execute(
        "UPDATE capture SET caption = ?1 WHERE id = ?2 AND lesson = ?3",
        params![caption, id, lesson],
    )?;
    Ok(())
}

pub fn rename(conn: &Connection, lesson: i64, id: i64, name: &str) -> Result<()> {
    conn.execute(
        "UPDATE capture SET name = ?1 WHERE id = ?2 AND lesson = ?3",
        params![name, id, lesson],
    )?;
    Ok(())
}

/// Hands a capture out, or takes it back.
pub fn set_handed_out(conn: &Connection, lesson: i64, id: i64, out: bool) -> Result<()> {
    let at = out.then(crate::now);
    conn.execute(
        "UPDATE capture SET handed_out_at = ?1 WHERE id = ?2 AND lesson = ?3",
        params![at, id, lesson],
    )?;
    Ok(())
}

/// Marks a capture as deleted, or brings it back.
pub fn set_deleted(conn: &Connection, lesson: i64, id: i64, deleted: bool) -> Result<()> {
    let at = deleted.then(crate::now);
    conn.execute(
        "UPDATE capture SET deleted_at = ?1 WHERE id = ?2 AND lesson = ?3",
        params![at, id, lesson],
    )?;
    Ok(())
}

/// What participants can pick up, what was handed out last first; with `until`, only what was by that
/// moment.
pub fn handed_out(conn: &Connection, lesson: i64, until: Option<i64>) -> Result<Vec<TakeAway>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, name, width, height, media FROM capture
         WHERE lesson = ?1 AND handed_out_at <= ?2 AND deleted_at IS NULL
         ORDER BY handed_out_at DESC, id DESC",
    )?;
    let until = until.unwrap_or(i64::MAX);
    let rows = statement.query_map([lesson, until], |row| {
        Ok(TakeAway {
            id: row.get::<_, i64>(0)? as u64,
            name: row.get(1)?,
            width: row.get(2)?,
            height: row.get(3)?,
            version: version(&row.get::<_, String>(4)?),
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// A number for a file by its name, which is that of what it contains.
fn version(media: &str) -> u32 {
    let head = media
        .get(..8)
        .and_then(|head| u32::from_str_radix(head, 16).ok());
    head.unwrap_or(0)
}

/// The files of a capture, whole and small, as long as it is handed out.
pub fn handed_out_files(conn: &Connection, lesson: i64, id: i64) -> Result<Option<Files>> {
    let mut statement = conn.prepare_cached(
        "SELECT media, thumbnail FROM capture
         WHERE id = ?1 AND lesson = ?2 AND handed_out_at IS NOT NULL AND deleted_at IS NULL",
    )?;
    let row = statement.query_row([id, lesson], |row| {
        Ok(Files {
            whole: row.get(0)?,
            small: row.get(1)?,
        })
    });
    Ok(row.optional()?)
}

/// A participant has opened what was handed out.
pub fn note_opened(conn: &Connection, capture: i64, participant: i64) -> Result<()> {
    conn.prepare_cached(
        "INSERT OR IGNORE INTO opened (capture, participant, at) VALUES (?1, ?2, ?3)",
    )?
    .execute(params![capture, participant, crate::now()])?;
    Ok(())
}

/// What a participant has opened of a lesson.
pub fn opened_by(conn: &Connection, lesson: i64, participant: i64) -> Result<Vec<i64>> {
    let mut statement = conn.prepare_cached(
        "SELECT o.capture FROM opened o JOIN capture c ON c.id = o.capture
         WHERE c.lesson = ?1 AND o.participant = ?2",
    )?;
    let rows = statement.query_map([lesson, participant], |row| row.get(0))?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}
