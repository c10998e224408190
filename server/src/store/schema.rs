//! The tables, as migrations that only go forward.

use rusqlite_migration::{M, Migrations};

pub fn migrations() -> Migrations<'static> {
    Migrations::new(vec![
        M::up(FIRST),
        M::up(ZOOM),
        M::up(PLACED),
        M::up(KINDS),
        M::up(TRUST),
        M::up(HOME),
        M::up(STAGE),
        M::up(MOMENTS),
        M::up(VERSIONS),
        M::up(PLACES),
        M::up(SAVED),
        M::up(MARKED),
        M::up(SHOWS),
        M::up(WORKSHEETS),
        M::up(OPENED),
        M::up(DEVICES),
        M::up(ASKED),
        M::up(SENT),
        M::up(SNAPSHOTS),
        M::up(TAKE_AWAYS),
        M::up(WAITED),
        M::up(RECORDINGS),
        M::up(SHARED),
        M::up(BY_ITSELF),
    ])
}

/// Times are milliseconds since 1970. What is deleted keeps its row, so that deleting can be undone;
/// it is swept away after a month.
const FIRST: &str = "
CREATE TABLE media (
    sha TEXT PRIMARY KEY,
    mime TEXT NOT NULL,
    bytes INTEGER NOT NULL,
    created_at INTEGER NOT NULL
) STRICT;

CREATE TABLE lesson (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (kind IN ('class', 'meeting')),
    code TEXT NOT NULL UNIQUE,
    aspect_width REAL NOT NULL DEFAULT 16,
    aspect_height REAL NOT NULL DEFAULT 9,
    current INTEGER,
    paused INTEGER NOT NULL DEFAULT 0,
    created_at INTEGER NOT NULL,
    used_at INTEGER NOT NULL,
    deleted_at INTEGER
) STRICT;

CREATE TABLE backdrop (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    place REAL NOT NULL,
    name TEXT NOT NULL,
    ruling TEXT,
    media TEXT REFERENCES media (sha),
    vector INTEGER NOT NULL DEFAULT 0,
    width REAL NOT NULL,
    height REAL NOT NULL,
    deleted_at INTEGER,
    CHECK ((ruling IS NULL) <> (media IS NULL))
) STRICT;
CREATE INDEX backdrop_of_lesson ON backdrop (lesson, place);

-- The log: the truth about marks. The body is a version byte and a packed change.
CREATE TABLE change (
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    seq INTEGER NOT NULL,
    id INTEGER NOT NULL,
    body BLOB NOT NULL,
    PRIMARY KEY (lesson, seq)
) STRICT, WITHOUT ROWID;
CREATE UNIQUE INDEX change_by_id ON change (lesson, id);

-- Where to start reading the log from.
CREATE TABLE snapshot (
    lesson INTEGER PRIMARY KEY REFERENCES lesson (id) ON DELETE CASCADE,
    seq INTEGER NOT NULL,
    body BLOB NOT NULL
) STRICT;

CREATE TABLE capture (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    way TEXT NOT NULL CHECK (way IN ('box', 'outline', 'pane', 'stage')),
    media TEXT NOT NULL REFERENCES media (sha),
    thumbnail TEXT NOT NULL REFERENCES media (sha),
    width INTEGER NOT NULL,
    height INTEGER NOT NULL,
    taken_at INTEGER NOT NULL,
    handed_out_at INTEGER,
    deleted_at INTEGER
) STRICT;
CREATE INDEX capture_of_lesson ON capture (lesson, taken_at);

CREATE TABLE participant (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    token_hash TEXT NOT NULL UNIQUE,
    joined_at INTEGER NOT NULL
) STRICT;

CREATE TABLE presenter_session (
    token_hash TEXT PRIMARY KEY,
    expires_at INTEGER NOT NULL
) STRICT;

CREATE TABLE setting (
    key TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;
";

/// How each backdrop is seen: see `bozzetto_core::geometry::zoom`.
const ZOOM: &str = "
ALTER TABLE backdrop ADD COLUMN zoom_by REAL NOT NULL DEFAULT 1;
ALTER TABLE backdrop ADD COLUMN zoom_x REAL NOT NULL DEFAULT 0.5;
ALTER TABLE backdrop ADD COLUMN zoom_y REAL NOT NULL DEFAULT 0.5;
";

/// Pictures that are marks. A mark names its picture, and may have been copied into another lesson;
/// which are still wanted is not known here, so they stay.
const PLACED: &str = "
CREATE TABLE placed (
    id INTEGER PRIMARY KEY,
    media TEXT NOT NULL REFERENCES media (sha)
) STRICT;
";

/// Backdrops of every kind. What a backdrop is and how it is seen are core's `BackdropKind` and
/// `ViewState`, as JSON. Those without a lesson are kept in the library. A poster is what a moving
/// backdrop last looked like.
const KINDS: &str = "
CREATE TABLE backdrop_of_any_kind (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER REFERENCES lesson (id) ON DELETE CASCADE,
    place REAL NOT NULL,
    name TEXT NOT NULL,
    kind TEXT NOT NULL CHECK (json_valid(kind)),
    media TEXT REFERENCES media (sha),
    poster TEXT REFERENCES media (sha),
    width REAL NOT NULL,
    height REAL NOT NULL,
    seen TEXT NOT NULL DEFAULT '{}' CHECK (json_valid(seen)),
    deleted_at INTEGER
) STRICT;
INSERT INTO backdrop_of_any_kind (id, lesson, place, name, kind, media, width, height, seen, deleted_at)
SELECT id, lesson, place, name,
    CASE WHEN ruling IS NULL
        THEN json_object('picture', json_object('grain', iif(vector, 'vector', 'pixels')))
        ELSE json_object('board', json_object('ruling', ruling)) END,
    media, width, height,
    json_object('zoom', json_object('by', zoom_by, 'x', zoom_x, 'y', zoom_y)),
    deleted_at
FROM backdrop;
DROP TABLE backdrop;
ALTER TABLE backdrop_of_any_kind RENAME TO backdrop;
CREATE INDEX backdrop_of_lesson ON backdrop (lesson, place);

ALTER TABLE lesson ADD COLUMN beside INTEGER;
ALTER TABLE lesson ADD COLUMN divider REAL NOT NULL DEFAULT 0.5;

-- Web pages that somebody brought, file by file. The name cannot be guessed: who knows it may read.
CREATE TABLE web_page (
    name TEXT PRIMARY KEY,
    created_at INTEGER NOT NULL
) STRICT;
CREATE TABLE web_page_file (
    page TEXT NOT NULL REFERENCES web_page (name) ON DELETE CASCADE,
    path TEXT NOT NULL,
    media TEXT NOT NULL REFERENCES media (sha),
    mime TEXT NOT NULL,
    PRIMARY KEY (page, path)
) STRICT, WITHOUT ROWID;
";

/// `clean`: the file says nothing but what it shows. `browser`: the name that a participant's browser
/// was given. Sessions from before are of browsers that said nothing of themselves.
const TRUST: &str = "
ALTER TABLE media ADD COLUMN clean INTEGER NOT NULL DEFAULT 0;
ALTER TABLE lesson ADD COLUMN paused_at INTEGER;
UPDATE lesson SET paused_at = used_at WHERE paused;
ALTER TABLE participant ADD COLUMN browser INTEGER;
ALTER TABLE participant ADD COLUMN expires_at INTEGER NOT NULL DEFAULT 0;
UPDATE participant SET expires_at = joined_at + 2592000000;
ALTER TABLE participant ADD COLUMN sent_away_at INTEGER;
CREATE INDEX participant_of_lesson ON participant (lesson, browser);
ALTER TABLE presenter_session ADD COLUMN began_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE presenter_session ADD COLUMN seen_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE presenter_session ADD COLUMN agent TEXT NOT NULL DEFAULT '';
UPDATE presenter_session SET began_at = expires_at - 2592000000, seen_at = expires_at - 2592000000;
";

/// `nameless`: started without a word, and named by us.
const HOME: &str = "
ALTER TABLE lesson ADD COLUMN archived_at INTEGER;
ALTER TABLE lesson ADD COLUMN nameless INTEGER NOT NULL DEFAULT 0;
UPDATE lesson SET nameless = 1 WHERE name LIKE 'Lesson of %, __:__';
";

/// The stage is in the log. `marks`: whether a change is about marks; `stage`: the stage at a snapshot,
/// core's `StageState` as JSON.
const STAGE: &str = "
ALTER TABLE change ADD COLUMN marks INTEGER NOT NULL DEFAULT 1;
ALTER TABLE snapshot ADD COLUMN stage TEXT CHECK (json_valid(stage));
ALTER TABLE media RENAME COLUMN clean TO sanitised;
";

/// What a capture is made from: core's `Moment` and `Cut` as JSON, and the frames of what moved then.
const MOMENTS: &str = "
ALTER TABLE capture ADD COLUMN moment TEXT CHECK (json_valid(moment));
ALTER TABLE capture ADD COLUMN cut TEXT CHECK (json_valid(cut));
CREATE TABLE capture_frame (
    capture INTEGER NOT NULL REFERENCES capture (id) ON DELETE CASCADE,
    backdrop INTEGER NOT NULL,
    media TEXT NOT NULL REFERENCES media (sha),
    PRIMARY KEY (capture, backdrop)
) STRICT, WITHOUT ROWID;
";

/// How a capture was cut before: core's `Cut` as JSON, counted from 1.
const VERSIONS: &str = "
CREATE TABLE capture_version (
    capture INTEGER NOT NULL REFERENCES capture (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    cut TEXT NOT NULL CHECK (json_valid(cut)),
    made_at INTEGER NOT NULL,
    PRIMARY KEY (capture, number)
) STRICT, WITHOUT ROWID;
ALTER TABLE capture ADD COLUMN made_at INTEGER NOT NULL DEFAULT 0;
UPDATE capture SET made_at = taken_at;
";

/// Captures are taken in more ways, have a caption, and a place among those of their lesson: they are shown from the
/// least to the greatest. A placed picture that is a capture knows which, and how that was cut then (core's `Cut` as
/// JSON): what is hidden in one later is hidden in the other.
const PLACES: &str = "
ALTER TABLE capture ADD COLUMN any_way TEXT NOT NULL DEFAULT 'box';
UPDATE capture SET any_way = way;
ALTER TABLE capture DROP COLUMN way;
ALTER TABLE capture RENAME COLUMN any_way TO way;
ALTER TABLE capture ADD COLUMN caption TEXT NOT NULL DEFAULT '';
ALTER TABLE capture ADD COLUMN place INTEGER NOT NULL DEFAULT 0;
UPDATE capture SET place = (SELECT count(*) FROM capture c WHERE c.lesson = capture.lesson AND (c.taken_at, c.id) <= (capture.taken_at, capture.id));
ALTER TABLE placed ADD COLUMN capture INTEGER REFERENCES capture (id) ON DELETE SET NULL;
ALTER TABLE placed ADD COLUMN cut TEXT CHECK (json_valid(cut));
CREATE INDEX placed_of_capture ON placed (capture);
";

/// What came of writing captures into another folder: the name there, or why there is none.
const SAVED: &str = "
ALTER TABLE capture ADD COLUMN saved_as TEXT;
ALTER TABLE capture ADD COLUMN save_fault TEXT;
";

/// A lesson that is a capture's picture to be marked: in no list, and to be joined by nobody.
const MARKED: &str = "
ALTER TABLE lesson ADD COLUMN marks_capture INTEGER REFERENCES capture (id) ON DELETE CASCADE;
CREATE UNIQUE INDEX lesson_marks_capture ON lesson (marks_capture);
";

/// Which placed pictures a capture shows, and the file that each was when it was made.
const SHOWS: &str = "
CREATE TABLE capture_shows (
    capture INTEGER NOT NULL REFERENCES capture (id) ON DELETE CASCADE,
    placed INTEGER NOT NULL,
    media TEXT NOT NULL,
    PRIMARY KEY (capture, placed)
) STRICT, WITHOUT ROWID;
";

/// Pictures that participants mark. What each draws is a lesson of its own, in no list and to be joined by nobody; `seq`
/// of a version that was handed in is a place in its log.
const WORKSHEETS: &str = "
CREATE TABLE worksheet (
    id INTEGER PRIMARY KEY,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    instruction TEXT NOT NULL,
    media TEXT NOT NULL REFERENCES media (sha),
    placed INTEGER NOT NULL REFERENCES placed (id),
    width INTEGER NOT NULL,
    height INTEGER NOT NULL,
    place INTEGER NOT NULL,
    made_at INTEGER NOT NULL,
    opened_at INTEGER,
    until INTEGER,
    closed_at INTEGER,
    only_chosen INTEGER NOT NULL DEFAULT 0,
    fits_width INTEGER,
    fits_height INTEGER,
    fits_bytes INTEGER,
    deleted_at INTEGER
) STRICT;
CREATE TABLE worksheet_for (
    worksheet INTEGER NOT NULL REFERENCES worksheet (id) ON DELETE CASCADE,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    PRIMARY KEY (worksheet, participant)
) STRICT, WITHOUT ROWID;
CREATE INDEX worksheet_of_lesson ON worksheet (lesson);
ALTER TABLE lesson ADD COLUMN answers INTEGER REFERENCES worksheet (id) ON DELETE CASCADE;
CREATE INDEX lesson_answers ON lesson (answers);
CREATE TABLE answer (
    id INTEGER PRIMARY KEY,
    worksheet INTEGER NOT NULL REFERENCES worksheet (id) ON DELETE CASCADE,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    drawn_in INTEGER NOT NULL UNIQUE REFERENCES lesson (id) ON DELETE CASCADE,
    returned_at INTEGER,
    verdict TEXT CHECK (verdict IN ('tick', 'cross')),
    points REAL,
    UNIQUE (worksheet, participant)
) STRICT;
CREATE TABLE hand_in (
    answer INTEGER NOT NULL REFERENCES answer (id) ON DELETE CASCADE,
    number INTEGER NOT NULL,
    seq INTEGER NOT NULL,
    at INTEGER NOT NULL,
    late INTEGER NOT NULL,
    PRIMARY KEY (answer, number)
) STRICT, WITHOUT ROWID;
";

/// Who has opened what was handed out.
const OPENED: &str = "
CREATE TABLE opened (
    capture INTEGER NOT NULL REFERENCES capture (id) ON DELETE CASCADE,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    PRIMARY KEY (capture, participant)
) STRICT, WITHOUT ROWID;
";

/// Further devices of a participant; the word with which one is let in, and until when; and whether a lesson takes nobody
/// new.
const DEVICES: &str = "
CREATE TABLE device (
    token_hash TEXT PRIMARY KEY,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    browser INTEGER NOT NULL
) STRICT;
CREATE INDEX device_of_participant ON device (participant);
ALTER TABLE participant ADD COLUMN word TEXT;
ALTER TABLE participant ADD COLUMN word_until INTEGER;
ALTER TABLE participant ADD COLUMN last_at INTEGER;
ALTER TABLE lesson ADD COLUMN door_closed INTEGER NOT NULL DEFAULT 0;
";

/// Files and links that are handed out, and who has opened them.
const TAKE_AWAYS: &str = "
CREATE TABLE take_away (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    name TEXT NOT NULL,
    media TEXT REFERENCES media (sha),
    ending TEXT NOT NULL DEFAULT '',
    bytes INTEGER NOT NULL DEFAULT 0,
    address TEXT,
    handed_out_at INTEGER NOT NULL,
    deleted_at INTEGER,
    CHECK ((media IS NULL) <> (address IS NULL))
) STRICT;
CREATE INDEX take_away_of_lesson ON take_away (lesson, place);
CREATE TABLE take_away_opened (
    take_away INTEGER NOT NULL REFERENCES take_away (id) ON DELETE CASCADE,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    PRIMARY KEY (take_away, participant)
) STRICT, WITHOUT ROWID;
";

/// A worksheet that a participant has kept of what they saw, and that nobody else has.
const SNAPSHOTS: &str = "
ALTER TABLE worksheet ADD COLUMN snapshot_of INTEGER REFERENCES participant (id) ON DELETE CASCADE;
CREATE INDEX worksheet_snapshot ON worksheet (snapshot_of);
";

/// Photographs and files from participants. Until the presenter takes one, its backdrop is one that was taken out.
const SENT: &str = "
CREATE TABLE sent (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    backdrop INTEGER NOT NULL REFERENCES backdrop (id) ON DELETE CASCADE,
    file TEXT NOT NULL,
    sent_at INTEGER NOT NULL,
    taken INTEGER NOT NULL DEFAULT 0,
    done_at INTEGER
) STRICT;
CREATE INDEX sent_in_lesson ON sent (lesson, done_at);
CREATE INDEX sent_by ON sent (participant);
CREATE INDEX sent_backdrop ON sent (backdrop);
";

/// Quick questions and what was answered. `who` is a participant's number where names were asked for; otherwise a mark from
/// which nobody finds back to them.
const ASKED: &str = "
CREATE TABLE question (
    id INTEGER PRIMARY KEY,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    kind TEXT NOT NULL CHECK (json_valid(kind)),
    words TEXT NOT NULL,
    named INTEGER NOT NULL,
    asked_at INTEGER NOT NULL,
    closed_at INTEGER,
    shown INTEGER NOT NULL DEFAULT 0
) STRICT;
CREATE INDEX question_of_lesson ON question (lesson);
CREATE TABLE reply (
    question INTEGER NOT NULL REFERENCES question (id) ON DELETE CASCADE,
    who TEXT NOT NULL,
    participant INTEGER REFERENCES participant (id) ON DELETE CASCADE,
    said TEXT NOT NULL CHECK (json_valid(said)),
    at INTEGER NOT NULL,
    PRIMARY KEY (question, who)
) STRICT, WITHOUT ROWID;
CREATE INDEX reply_of_participant ON reply (participant);
";

/// How long what was handed in waited for a line, in milliseconds.
const WAITED: &str = "ALTER TABLE hand_in ADD COLUMN waited INTEGER NOT NULL DEFAULT 0;";

/// Films of lessons: the pieces of each are in a file of their own in the folder `recordings`, of which `bytes` are whole. `lasts`
/// is in microseconds. `how` is what was chosen for it, `chapters` and `cuts` what was made of it afterwards.
const RECORDINGS: &str = "
CREATE TABLE recording (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    name TEXT NOT NULL,
    file TEXT NOT NULL UNIQUE,
    recorder TEXT NOT NULL,
    how TEXT NOT NULL CHECK (json_valid(how)),
    pieces INTEGER NOT NULL DEFAULT 0,
    bytes INTEGER NOT NULL DEFAULT 0,
    lasts INTEGER NOT NULL DEFAULT 0,
    begun_at INTEGER NOT NULL,
    heard_at INTEGER NOT NULL,
    ended_at INTEGER,
    ended_by TEXT,
    chapters TEXT CHECK (json_valid(chapters)),
    cuts TEXT CHECK (json_valid(cuts)),
    deleted_at INTEGER
) STRICT;
CREATE INDEX recording_of_lesson ON recording (lesson);
CREATE TABLE marked_moment (
    id INTEGER PRIMARY KEY,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    name TEXT NOT NULL
) STRICT;
CREATE INDEX marked_moment_of_lesson ON marked_moment (lesson, at);
";

/// How recordings and lessons that are shown again reach people. What is handed out as a take-away is a file, a link, a recording
/// or a replay; of the latter two perhaps only parts, as JSON. A recording is forgotten at `forget_at`, if that is set. The names
/// of chapters of a replay are kept by the moments at which they begin.
const SHARED: &str = "
ALTER TABLE recording ADD COLUMN captions TEXT CHECK (json_valid(captions));
ALTER TABLE recording ADD COLUMN poster TEXT REFERENCES media (sha);
ALTER TABLE recording ADD COLUMN forget_at INTEGER;
CREATE TABLE film_link (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    recording INTEGER NOT NULL REFERENCES recording (id) ON DELETE CASCADE,
    token TEXT NOT NULL UNIQUE,
    made_at INTEGER NOT NULL,
    ends_at INTEGER,
    framed_by TEXT NOT NULL
) STRICT;
CREATE INDEX film_link_of_recording ON film_link (recording);
CREATE TABLE chapter_name (
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    name TEXT NOT NULL,
    PRIMARY KEY (lesson, at)
) STRICT, WITHOUT ROWID;
CREATE TABLE handed_out (
    id INTEGER PRIMARY KEY AUTOINCREMENT,
    lesson INTEGER NOT NULL REFERENCES lesson (id) ON DELETE CASCADE,
    place INTEGER NOT NULL,
    name TEXT NOT NULL,
    media TEXT REFERENCES media (sha),
    ending TEXT NOT NULL DEFAULT '',
    bytes INTEGER NOT NULL DEFAULT 0,
    address TEXT,
    recording INTEGER REFERENCES recording (id) ON DELETE CASCADE,
    parts TEXT CHECK (json_valid(parts)),
    replay TEXT CHECK (json_valid(replay)),
    handed_out_at INTEGER NOT NULL,
    deleted_at INTEGER,
    CHECK ((media IS NOT NULL) + (address IS NOT NULL) + (recording IS NOT NULL) + (replay IS NOT NULL) = 1)
) STRICT;
INSERT INTO handed_out (id, lesson, place, name, media, ending, bytes, address, handed_out_at, deleted_at)
    SELECT id, lesson, place, name, media, ending, bytes, address, handed_out_at, deleted_at FROM take_away;
CREATE TABLE handed_out_opened (
    take_away INTEGER NOT NULL REFERENCES handed_out (id) ON DELETE CASCADE,
    participant INTEGER NOT NULL REFERENCES participant (id) ON DELETE CASCADE,
    at INTEGER NOT NULL,
    PRIMARY KEY (take_away, participant)
) STRICT, WITHOUT ROWID;
INSERT INTO handed_out_opened SELECT * FROM take_away_opened;
DROP TABLE take_away_opened;
DROP TABLE take_away;
ALTER TABLE handed_out RENAME TO take_away;
ALTER TABLE handed_out_opened RENAME TO take_away_opened;
CREATE INDEX take_away_of_lesson ON take_away (lesson, place);
";

/// Whether a lesson is recorded from the next time on that it is opened.
const BY_ITSELF: &str = "
ALTER TABLE lesson ADD COLUMN records_itself INTEGER NOT NULL DEFAULT 0;
";
