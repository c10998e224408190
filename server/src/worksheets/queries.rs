//! Worksheets and what is handed in, in the database.

use bozzetto_core::stage::backdrop::{BackdropKind, ViewState};
use bozzetto_core::stage::grain::Grain;
use bozzetto_core::worksheets::elsewhere::Fits;
use bozzetto_core::worksheets::worksheet::{Door, HandIn, Noted, Standing, Verdict};
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::backdrops::queries::{self as backdrops, New, Whither};
use crate::captures;
use crate::lessons::queries as lessons;
use crate::stage::placed;
use crate::store;
use crate::store::Result;

/// A worksheet of a lesson.
pub struct Worksheet {
    pub id: i64,
    /// The file of its picture.
    pub media: String,
    pub width: u32,
    pub height: u32,
    pub door: Door,
    pub said: Wording,
    /// A participant has kept it for themselves.
    pub snapshot: bool,
}

/// What the presenter has said of a worksheet.
#[derive(Clone, Default)]
pub struct Wording {
    pub name: String,
    pub instruction: String,
    /// Participants whose it is; `None` for everybody.
    pub only: Option<Vec<i64>>,
    /// The box that it has to fit elsewhere.
    pub fits: Option<Fits>,
}

const COLUMNS: &str =
    "id, name, instruction, media, width, height, opened_at, until, closed_at, only_chosen,
    fits_width, fits_height, fits_bytes, snapshot_of IS NOT NULL";

fn worksheet(row: &Row) -> rusqlite::Result<Worksheet> {
    let time = |n| {
        row.get::<_, Option<i64>>(n)
            .map(|at| at.map(|at| at as u64))
    };
    let only: bool = row.get(9)?;
    let fits = row.get::<_, Option<u32>>(10)?;
    Ok(Worksheet {
        id: row.get(0)?,
        media: row.get(3)?,
        width: row.get(4)?,
        height: row.get(5)?,
        door: Door {
            opened: time(6)?,
            until: time(7)?,
            closed: time(8)?,
        },
        snapshot: row.get(13)?,
        said: Wording {
            name: row.get(1)?,
            instruction: row.get(2)?,
            only: only.then(Vec::new),
            fits: match fits {
                Some(width) => Some(Fits {
                    width,
                    height: row.get(11)?,
                    bytes: row.get::<_, Option<i64>>(12)?.map(|most| most as u64),
                }),
                None => None,
            },
        },
    })
}

/// Reads whose they are that are not everybody's.
fn with_chosen(conn: &Connection, mut all: Vec<Worksheet>) -> Result<Vec<Worksheet>> {
    let mut chosen =
        conn.prepare_cached("SELECT participant FROM worksheet_for WHERE worksheet = ?1")?;
    for sheet in &mut all {
        if let Some(only) = &mut sheet.said.only {
            let rows = chosen.query_map([sheet.id], |row| row.get(0))?;
            *only = rows.collect::<rusqlite::Result<_>>()?;
        }
    }
    Ok(all)
}

/// A worksheet from the picture of a capture, which it keeps whatever becomes of that; `None` when there is no such
/// capture. Nobody has it yet. What is hidden in the capture later is so in the worksheet.
pub fn from_capture(conn: &Connection, lesson: i64, capture: i64) -> Result<Option<i64>> {
    let name = placed::new_name();
    if captures::place(conn, lesson, capture, name)?.is_none() {
        return Ok(None);
    }
    let new = conn
        .prepare_cached(
            "INSERT INTO worksheet (lesson, name, instruction, media, placed, width, height, place, made_at)
             SELECT lesson, coalesce(nullif(json_extract(moment, '$.current.name'), ''), name), '', media, ?3, width, height,
                 (SELECT coalesce(max(place), 0) + 1 FROM worksheet WHERE lesson = ?1), ?4
             FROM capture WHERE id = ?2 RETURNING id",
        )?
        .query_row(params![lesson, capture, name as i64, crate::now()], |row| row.get(0))?;
    Ok(Some(new))
}

/// Keeps what the presenter says of a worksheet; an empty name stays as it was.
pub fn say(conn: &Connection, id: i64, said: &Wording) -> Result<()> {
    conn.prepare_cached(
        "UPDATE worksheet SET name = coalesce(nullif(?2, ''), name), instruction = ?3, only_chosen = ?4,
             fits_width = ?5, fits_height = ?6, fits_bytes = ?7 WHERE id = ?1",
    )?
    .execute(params![
        id,
        said.name,
        said.instruction,
        said.only.is_some(),
        said.fits.map(|fits| fits.width),
        said.fits.map(|fits| fits.height),
        said.fits.and_then(|fits| fits.bytes).map(|most| most as i64),
    ])?;
    conn.prepare_cached("DELETE FROM worksheet_for WHERE worksheet = ?1")?
        .execute([id])?;
    let mut add = conn.prepare_cached(
        "INSERT OR IGNORE INTO worksheet_for (worksheet, participant)
         SELECT w.id, p.id FROM worksheet w JOIN participant p ON p.lesson = w.lesson WHERE w.id = ?1 AND p.id = ?2",
    )?;
    for person in said.only.iter().flatten() {
        add.execute([id, *person])?;
    }
    Ok(())
}

/// Moves a worksheet by one place in its lesson.
pub fn shift(conn: &Connection, lesson: i64, id: i64, later: bool) -> Result<()> {
    let all = of_lesson(conn, lesson)?;
    let all = all.iter().map(|sheet| sheet.id).collect();
    store::shift(conn, "worksheet", all, id, later)
}

/// Takes a worksheet away, or brings it back.
pub fn set_deleted(conn: &Connection, id: i64, deleted: bool) -> Result<()> {
    let at = deleted.then(crate::now);
    conn.prepare_cached("UPDATE worksheet SET deleted_at = ?2 WHERE id = ?1")?
        .execute(params![id, at])?;
    Ok(())
}

/// A lesson's worksheets, in their order.
pub fn of_lesson(conn: &Connection, lesson: i64) -> Result<Vec<Worksheet>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM worksheet WHERE lesson = ?1 AND deleted_at IS NULL AND snapshot_of IS NULL
         ORDER BY place, id"
    ))?;
    let rows = statement.query_map([lesson], worksheet)?;
    with_chosen(conn, rows.collect::<rusqlite::Result<_>>()?)
}

/// What a participant has kept for themselves, the last one first.
pub fn snapshots(conn: &Connection, lesson: i64, person: i64) -> Result<Vec<Worksheet>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM worksheet WHERE lesson = ?1 AND snapshot_of = ?2 ORDER BY id DESC"
    ))?;
    let rows = statement.query_map([lesson, person], worksheet)?;
    with_chosen(conn, rows.collect::<rusqlite::Result<_>>()?)
}

/// Those that a participant has, each with what they have made of it.
pub fn theirs(
    conn: &Connection,
    lesson: i64,
    person: i64,
) -> Result<Vec<(Worksheet, Option<Answer>)>> {
    let all = of_lesson(conn, lesson)?.into_iter();
    let have = all.filter(|sheet| sheet.is_for(person));
    have.map(|sheet| {
        let answer = answer(conn, sheet.id, person)?;
        Ok((sheet, answer))
    })
    .collect()
}

/// How many of those wait for something from a participant.
pub fn new_for(conn: &Connection, lesson: i64, person: i64) -> Result<usize> {
    let now = crate::now() as u64;
    let all = theirs(conn, lesson, person)?;
    let new = all.iter().filter(|(sheet, answer)| {
        let standing = answer.as_ref().map_or(Standing::Nothing, Answer::standing);
        standing.is_new(&sheet.door, now)
    });
    Ok(new.count())
}

impl Worksheet {
    /// Whether a participant has it.
    pub fn is_for(&self, person: i64) -> bool {
        let only = self.said.only.as_ref();
        self.door.opened.is_some() && only.is_none_or(|only| only.contains(&person))
    }
}

/// One worksheet of a lesson.
pub fn one(conn: &Connection, lesson: i64, id: i64) -> Result<Option<Worksheet>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM worksheet WHERE id = ?1 AND lesson = ?2 AND deleted_at IS NULL"
    ))?;
    let found = statement.query_row([id, lesson], worksheet).optional()?;
    Ok(with_chosen(conn, found.into_iter().collect())?.pop())
}

/// Opens a worksheet, until a time if there is one, or closes it.
pub fn set_open(conn: &Connection, id: i64, open: bool, until: Option<u64>) -> Result<()> {
    let now = crate::now();
    let sql = match open {
        true => {
            "UPDATE worksheet SET opened_at = coalesce(opened_at, ?2), until = ?3, closed_at = NULL WHERE id = ?1"
        }
        false => "UPDATE worksheet SET closed_at = ?2, until = ?3 WHERE id = ?1",
    };
    conn.prepare_cached(sql)?
        .execute(params![id, now, until.map(|at| at as i64)])?;
    Ok(())
}

/// What somebody has made of a worksheet.
#[derive(Clone)]
pub struct Answer {
    pub id: i64,
    /// The lesson in which it is drawn.
    pub drawn_in: i64,
    /// Whose it is.
    pub participant: i64,
    pub name: String,
    /// Something was drawn there, if perhaps taken back since.
    pub begun: bool,
    /// How often it was handed in, and the last time.
    pub handed_in: Option<HandIn>,
    /// When it was given back for another try, if it was not handed in since.
    pub returned: Option<u64>,
    pub noted: Noted,
}

impl Answer {
    /// How it stands.
    pub fn standing(&self) -> Standing {
        Standing::of(self.handed_in.as_ref(), self.returned, self.begun)
    }
}

const ANSWER: &str = "SELECT a.id, a.drawn_in, p.id, p.name, a.returned_at, a.verdict, a.points,
         EXISTS (SELECT 1 FROM change WHERE lesson = a.drawn_in AND marks),
         h.number, h.seq, h.at, h.late, h.waited
     FROM answer a JOIN participant p ON p.id = a.participant
     LEFT JOIN hand_in h ON h.answer = a.id
         AND h.number = (SELECT max(number) FROM hand_in WHERE answer = a.id)";

fn read_answer(row: &Row) -> rusqlite::Result<Answer> {
    let number: Option<u32> = row.get(8)?;
    let verdict: Option<String> = row.get(5)?;
    Ok(Answer {
        id: row.get(0)?,
        drawn_in: row.get(1)?,
        participant: row.get(2)?,
        name: row.get(3)?,
        returned: row.get::<_, Option<i64>>(4)?.map(|at| at as u64),
        noted: Noted {
            verdict: verdict.and_then(|name| Verdict::named(&name)),
            points: row.get(6)?,
        },
        begun: row.get(7)?,
        handed_in: match number {
            Some(number) => Some(HandIn {
                number,
                seq: row.get::<_, i64>(9)? as u64,
                at: row.get::<_, i64>(10)? as u64,
                late: row.get(11)?,
                waited: row.get::<_, i64>(12)? as u64,
            }),
            None => None,
        },
    })
}

/// What a participant has made of a worksheet, if they have opened it.
pub fn answer(conn: &Connection, worksheet: i64, participant: i64) -> Result<Option<Answer>> {
    let sql = format!("{ANSWER} WHERE a.worksheet = ?1 AND a.participant = ?2");
    let mut statement = conn.prepare_cached(&sql)?;
    let found = statement.query_row([worksheet, participant], read_answer);
    Ok(found.optional()?)
}

/// All that has been made of a worksheet, who began first first: so they are numbered, from 1.
pub fn answers(conn: &Connection, worksheet: i64) -> Result<Vec<Answer>> {
    let sql = format!("{ANSWER} WHERE a.worksheet = ?1 ORDER BY a.id");
    let mut statement = conn.prepare_cached(&sql)?;
    let rows = statement.query_map([worksheet], read_answer)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// One of them, and its number.
pub fn one_answer(conn: &Connection, worksheet: i64, id: i64) -> Result<Option<(usize, Answer)>> {
    let all = answers(conn, worksheet)?.into_iter().enumerate();
    Ok(all.map(|(n, a)| (n + 1, a)).find(|(_, a)| a.id == id))
}

/// The versions that were handed in, the first one first.
pub fn versions(conn: &Connection, answer: i64) -> Result<Vec<HandIn>> {
    let mut statement = conn.prepare_cached(
        "SELECT number, seq, at, late, waited FROM hand_in WHERE answer = ?1 ORDER BY number",
    )?;
    let rows = statement.query_map([answer], |row| {
        Ok(HandIn {
            number: row.get(0)?,
            seq: row.get::<_, i64>(1)? as u64,
            at: row.get::<_, i64>(2)? as u64,
            late: row.get(3)?,
            waited: row.get::<_, i64>(4)? as u64,
        })
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// The lessons in which participants of a lesson draw their answers.
pub fn drawn_in(conn: &Connection, lesson: i64) -> Result<Vec<i64>> {
    let mut statement = conn.prepare_cached(
        "SELECT a.drawn_in FROM answer a JOIN participant p ON p.id = a.participant WHERE p.lesson = ?1",
    )?;
    let rows = statement.query_map([lesson], |row| row.get(0))?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// Which worksheet is answered in a lesson, that worksheet's lesson, and whose the answer is.
pub fn answered_in(conn: &Connection, drawn_in: i64) -> Result<Option<(i64, i64, i64)>> {
    let found = conn
        .prepare_cached(
            "SELECT w.id, w.lesson, a.participant FROM answer a JOIN worksheet w ON w.id = a.worksheet
             WHERE a.drawn_in = ?1",
        )?
        .query_row([drawn_in], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)));
    Ok(found.optional()?)
}

/// Gives an answer back for another try, or takes that back.
pub fn set_returned(conn: &Connection, answer: i64, returned: bool) -> Result<()> {
    let at = returned.then(crate::now);
    conn.prepare_cached("UPDATE answer SET returned_at = ?2 WHERE id = ?1")?
        .execute(params![answer, at])?;
    Ok(())
}

/// Keeps what the presenter notes of an answer.
pub fn note(conn: &Connection, answer: i64, noted: &Noted) -> Result<()> {
    let verdict = noted.verdict.map(Verdict::name);
    conn.prepare_cached("UPDATE answer SET verdict = ?2, points = ?3 WHERE id = ?1")?
        .execute(params![answer, verdict, noted.points])?;
    Ok(())
}

/// The presenter takes what came after the end all the same.
pub fn take_late(conn: &Connection, answer: i64) -> Result<()> {
    conn.prepare_cached("UPDATE hand_in SET late = 0 WHERE answer = ?1")?
        .execute([answer])?;
    Ok(())
}

/// A backdrop that is a worksheet's picture; gives its id.
pub fn add_backdrop(
    conn: &Connection,
    of: &Worksheet,
    whither: Whither,
    name: String,
) -> Result<i64> {
    let new = New {
        name,
        kind: BackdropKind::Picture {
            grain: Grain::Pixels,
        },
        file: None,
        poster: None,
        width: f64::from(of.width),
        height: f64::from(of.height),
        seen: ViewState::default(),
    };
    let backdrop = backdrops::add(conn, whither, &new)?;
    conn.prepare_cached("UPDATE backdrop SET media = ?2 WHERE id = ?1")?
        .execute(params![backdrop, of.media])?;
    Ok(backdrop)
}

/// What a participant has made of a worksheet; begun if it was not.
pub fn begin(conn: &Connection, of: &Worksheet, participant: i64) -> Result<Answer> {
    if let Some(begun) = answer(conn, of.id, participant)? {
        return Ok(begun);
    }
    let drawn_in = lessons::create_empty(conn, &of.said.name, "class")?;
    conn.prepare_cached(
        "UPDATE lesson SET answers = ?2, aspect_width = ?3, aspect_height = ?4 WHERE id = ?1",
    )?
    .execute(params![drawn_in, of.id, of.width, of.height])?;
    add_backdrop(conn, of, Whither::Lesson(drawn_in), of.said.name.clone())?;
    conn.prepare_cached(
        "INSERT INTO answer (worksheet, participant, drawn_in) VALUES (?1, ?2, ?3)",
    )?
    .execute(params![of.id, participant, drawn_in])?;
    let begun = answer(conn, of.id, participant)?;
    Ok(begun.expect("it was begun just now"))
}

/// The same of a worksheet by its number.
pub fn begun_by(conn: &Connection, lesson: i64, worksheet: i64, person: i64) -> Result<Answer> {
    let of = one(conn, lesson, worksheet)?;
    let gone = || crate::store::StoreError("there is no such worksheet".to_owned());
    begin(conn, &of.ok_or_else(gone)?, person)
}

/// Keeps what was drawn up to a place in the log as a version that was handed in.
pub fn hand_in(conn: &Connection, answer: i64, new: &HandIn) -> Result<()> {
    conn.prepare_cached(
        "INSERT INTO hand_in (answer, number, seq, at, late, waited) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
    )?
    .execute(params![
        answer,
        new.number,
        new.seq as i64,
        new.at as i64,
        new.late,
        new.waited as i64
    ])?;
    set_returned(conn, answer, false)
}
