//! Worksheets and what is handed in, in the database.

use bozzetto_core::stage::backdrop::{BackdropKind, ViewState};
use bozzetto_core::stage::grain::Grain;
use bozzetto_core::wire::GivenSheet;
use bozzetto_core::worksheets::worksheet::{Door, HandIn};
use rusqlite::{Connection, OptionalExtension, Row, params};

use crate::backdrops::queries::{self as backdrops, New, Whither};
use crate::lessons::queries as lessons;
use crate::store::Result;

/// A worksheet of a lesson.
pub struct Worksheet {
    pub id: i64,
    pub name: String,
    pub instruction: String,
    /// The file of its picture.
    pub media: String,
    pub width: u32,
    pub height: u32,
    pub door: Door,
}

const COLUMNS: &str = "id, name, instruction, media, width, height, opened_at, until, closed_at";

fn worksheet(row: &Row) -> rusqlite::Result<Worksheet> {
    let time = |n| {
        row.get::<_, Option<i64>>(n)
            .map(|at| at.map(|at| at as u64))
    };
    Ok(Worksheet {
        id: row.get(0)?,
        name: row.get(1)?,
        instruction: row.get(2)?,
        media: row.get(3)?,
        width: row.get(4)?,
        height: row.get(5)?,
        door: Door {
            opened: time(6)?,
            until: time(7)?,
            closed: time(8)?,
        },
    })
}

/// A worksheet from the picture of a capture, which it keeps whatever becomes of that; `None` when there is no such
/// capture. It is open from the start.
pub fn from_capture(
    conn: &Connection,
    lesson: i64,
    capture: i64,
    instruction: &str,
) -> Result<Option<i64>> {
    let now = crate::now();
    let new = conn
        .prepare_cached(
            "INSERT INTO worksheet (lesson, name, instruction, media, width, height, place, made_at, opened_at)
             SELECT lesson, name, ?3, media, width, height,
                 (SELECT coalesce(max(place), 0) + 1 FROM worksheet WHERE lesson = ?1), ?4, ?4
             FROM capture WHERE id = ?2 AND lesson = ?1 AND deleted_at IS NULL RETURNING id",
        )?
        .query_row(params![lesson, capture, instruction, now], |row| row.get(0));
    Ok(new.optional()?)
}

/// A lesson's worksheets, in their order.
pub fn of_lesson(conn: &Connection, lesson: i64) -> Result<Vec<Worksheet>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM worksheet WHERE lesson = ?1 AND deleted_at IS NULL ORDER BY place, id"
    ))?;
    let rows = statement.query_map([lesson], worksheet)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// The worksheets that participants have.
pub fn given(conn: &Connection, lesson: i64) -> Result<Vec<GivenSheet>> {
    let now = crate::now() as u64;
    let all = of_lesson(conn, lesson)?.into_iter();
    let theirs = all.filter(|sheet| sheet.door.opened.is_some());
    let each = theirs.map(|sheet| GivenSheet {
        id: sheet.id as u64,
        open: sheet.door.is_open(now),
        until: sheet.door.until,
        name: sheet.name,
    });
    Ok(each.collect())
}

/// One worksheet of a lesson.
pub fn one(conn: &Connection, lesson: i64, id: i64) -> Result<Option<Worksheet>> {
    let mut statement = conn.prepare_cached(&format!(
        "SELECT {COLUMNS} FROM worksheet WHERE id = ?1 AND lesson = ?2 AND deleted_at IS NULL"
    ))?;
    Ok(statement.query_row([id, lesson], worksheet).optional()?)
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
pub struct Answer {
    pub id: i64,
    /// The lesson in which it is drawn.
    pub drawn_in: i64,
    /// How often it was handed in, and the last time.
    pub handed_in: Option<HandIn>,
}

/// What a participant has made of a worksheet, if they have begun.
pub fn answer(conn: &Connection, worksheet: i64, participant: i64) -> Result<Option<Answer>> {
    let found = conn
        .prepare_cached(
            "SELECT id, drawn_in FROM answer WHERE worksheet = ?1 AND participant = ?2",
        )?
        .query_row([worksheet, participant], |row| {
            Ok((row.get(0)?, row.get(1)?))
        })
        .optional()?;
    let Some((id, drawn_in)) = found else {
        return Ok(None);
    };
    let handed_in = conn
        .prepare_cached("SELECT number, seq, at, late FROM hand_in WHERE answer = ?1 ORDER BY number DESC LIMIT 1")?
        .query_row([id], |row| {
            Ok(HandIn {
                number: row.get(0)?,
                seq: row.get::<_, i64>(1)? as u64,
                at: row.get::<_, i64>(2)? as u64,
                late: row.get(3)?,
            })
        })
        .optional()?;
    Ok(Some(Answer {
        id,
        drawn_in,
        handed_in,
    }))
}

/// All that has been made of a worksheet, with whose it is, who began first first.
pub fn answers(conn: &Connection, worksheet: i64) -> Result<Vec<(Answer, String)>> {
    let mut statement = conn.prepare_cached(
        "SELECT a.id, a.drawn_in, p.name, h.number, h.seq, h.at, h.late
         FROM answer a JOIN participant p ON p.id = a.participant
         LEFT JOIN hand_in h ON h.answer = a.id
             AND h.number = (SELECT max(number) FROM hand_in WHERE answer = a.id)
         WHERE a.worksheet = ?1 ORDER BY a.id",
    )?;
    let rows = statement.query_map([worksheet], |row| {
        let number: Option<u32> = row.get(3)?;
        let handed_in = match number {
            Some(number) => Some(HandIn {
                number,
                seq: row.get::<_, i64>(4)? as u64,
                at: row.get::<_, i64>(5)? as u64,
                late: row.get(6)?,
            }),
            None => None,
        };
        let answer = Answer {
            id: row.get(0)?,
            drawn_in: row.get(1)?,
            handed_in,
        };
        Ok((answer, row.get(2)?))
    })?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

/// What a participant has made of a worksheet; begun if it was not.
pub fn begin(conn: &Connection, of: &Worksheet, participant: i64) -> Result<Answer> {
    if let Some(begun) = answer(conn, of.id, participant)? {
        return Ok(begun);
    }
    let drawn_in = lessons::create_empty(conn, &of.name, "class")?;
    conn.prepare_cached(
        "UPDATE lesson SET answers = ?2, aspect_width = ?3, aspect_height = ?4 WHERE id = ?1",
    )?
    .execute(params![drawn_in, of.id, of.width, of.height])?;
    let backdrop = New {
        name: of.name.clone(),
        kind: BackdropKind::Picture {
            grain: Grain::Pixels,
        },
        file: None,
        poster: None,
        width: f64::from(of.width),
        height: f64::from(of.height),
        seen: ViewState::default(),
    };
    let backdrop = backdrops::add(conn, Whither::Lesson(drawn_in), &backdrop)?;
    conn.prepare_cached("UPDATE backdrop SET media = ?2 WHERE id = ?1")?
        .execute(params![backdrop, of.media])?;
    let id = conn
        .prepare_cached("INSERT INTO answer (worksheet, participant, drawn_in) VALUES (?1, ?2, ?3) RETURNING id")?
        .query_row([of.id, participant, drawn_in], |row| row.get(0))?;
    Ok(Answer {
        id,
        drawn_in,
        handed_in: None,
    })
}

/// Keeps what was drawn up to a place in the log as a version that was handed in.
pub fn hand_in(conn: &Connection, answer: i64, new: &HandIn) -> Result<()> {
    conn.prepare_cached(
        "INSERT INTO hand_in (answer, number, seq, at, late) VALUES (?1, ?2, ?3, ?4, ?5)",
    )?
    .execute(params![
        answer,
        new.number,
        new.seq as i64,
        new.at as i64,
        new.late
    ])?;
    Ok(())
}
