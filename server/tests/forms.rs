//! Golden files of what is stored: each form as it was written, still read today, and the forms that
//! are written now unchanged.

use bozzetto::live::log;
use bozzetto_core::aids::cover::Cover;
use bozzetto_core::aids::magnifier::Magnifier;
use bozzetto_core::aids::spotlight::Spotlight;
use bozzetto_core::capture::flat::Flat;
use bozzetto_core::capture::hide::{Hide, Hiding};
use bozzetto_core::capture::moment::{Bench, Cut, Moment, Parts};
use bozzetto_core::capture::way::{Outline, Way};
use bozzetto_core::clocks::countdown::Countdown;
use bozzetto_core::clocks::{Clock, Measures, Runs};
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Map, Point, Rect};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::ink::InkPoint;
use bozzetto_core::ink::fit::fit;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::instruments::instrument::Which;
use bozzetto_core::instruments::scale::Scale;
use bozzetto_core::instruments::units::Unit;
use bozzetto_core::lesson::change::{Change, What};
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::recording::cuts::{Chapter, Cuts};
use bozzetto_core::recording::pieces::{Coded, Head, Packet, Track, opened, sealed};
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Frozen, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::hidden::HiddenPart;
use bozzetto_core::stage::laid::{Laid, Lay};
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::step::StageStep;

const FORM_1: &str = include_str!("fixtures/forms/1.hex");
const FORM_2: &str = include_str!("fixtures/forms/2.hex");
const FORM_3: &str = include_str!("fixtures/forms/3.json");
/// The same form, since something lies over the picture and backdrops have scales.
const FORM_3_LAID: &str = include_str!("fixtures/forms/3-laid.json");

/// The same form, since parts of backdrops can be hidden.
const FORM_3_HIDDEN: &str = include_str!("fixtures/forms/3-hidden.json");

/// What a capture is made from: its moment, and what of that.
const CAPTURE: &str = include_str!("fixtures/forms/capture.json");
/// The same of the whole of a backdrop.
const WHOLE: &str = include_str!("fixtures/forms/whole.json");
/// The same, since parts of backdrops can be hidden.
const CAPTURE_HIDDEN: &str = include_str!("fixtures/forms/capture-hidden.json");
const CAPTURE_MARKED: &str = include_str!("fixtures/forms/capture-marked.json");

/// A piece of a recording.
const PIECE: &str = include_str!("fixtures/forms/piece-1.hex");

/// Parts that are hidden on two pages.
fn hidden() -> Vec<HiddenPart> {
    let part = |page, x| HiddenPart {
        page,
        area: Rect::from_size(x, 0.25, 1.0 / 3.0, 40.0),
    };
    vec![part(0, 0.1 + 0.2), part(2, 7.0)]
}

fn bytes(hex: &str) -> Vec<u8> {
    let pairs = hex.trim().as_bytes().chunks_exact(2);
    let byte = |pair| u8::from_str_radix(std::str::from_utf8(pair).unwrap(), 16).unwrap();
    pairs.map(byte).collect()
}

fn mark_of(change: &Change) -> &Mark {
    match &change.steps()[0].op {
        Op::Add(mark) => mark,
        other => panic!("{other:?}"),
    }
}

fn stroke() -> Mark {
    let line: Vec<InkPoint> = (0..20)
        .map(|i| InkPoint::new(Point::new(f64::from(i) * 10.0, 100.0), 6.0))
        .collect();
    let style = Style::new(Tip::Round, Rgb::hex(0xD55E00), 6.0);
    let body = Body::Stroke(fit(&line).unwrap());
    Mark::new(MarkId(1), AuthorId(0), style, body, Map::coincident(), 1)
}

/// Form 1: a stroke of 30 points along y = 50, from x = 0 to 261, 6 units wide.
#[test]
fn the_first_form_is_still_read() {
    let change = log::change(&bytes(FORM_1)).unwrap();
    assert_eq!((change.id, change.author), (ChangeId(1), AuthorId(9)));
    let b = mark_of(&change).bounds();
    let near = |a: f64, b: f64| (a - b).abs() < 0.1;
    assert!(
        near(b.x0, -3.0) && near(b.x1, 264.0) && near(b.y0, 47.0),
        "{b:?}"
    );
}

/// Form 2: marks.
#[test]
fn marks_are_stored_as_they_were() {
    let step = Step {
        sheet: SheetId::Backdrop(BackdropId(3)),
        op: Op::Add(stroke()),
    };
    let change = Change {
        id: ChangeId(7),
        author: AuthorId(9),
        at: 1_790_000_000_000,
        what: What::Marks {
            deed: Deed::Do,
            steps: vec![step],
        },
    };
    assert_eq!(log::change(&bytes(FORM_2)).unwrap(), change);
    assert_eq!(log::pack(&change).unwrap(), bytes(FORM_2));
}

/// Form 3: the stage.
#[test]
fn the_stage_is_stored_as_it_was() {
    let backdrop = BackdropId(3);
    let board = BackdropView {
        id: backdrop,
        name: "Board".to_owned(),
        width: 1920.0,
        height: 1080.0,
        kind: BackdropKind::Board(Board::default()),
        seen: ViewState::default(),
    };
    let seen = ViewState {
        zoom: Zoom {
            by: 2.5,
            x: 0.1 + 0.2,
            y: 1.0 / 3.0,
        },
        page: 2,
        frozen: Some(Frozen {
            picture: u64::MAX - 1,
            shows: Rect::from_corners(Point::new(0.0, 0.0), Point::new(640.0, 360.0)),
        }),
        ..ViewState::default()
    };
    let mut steps = vec![
        StageStep::Name("Küstenlotsen, 3. Abend".to_owned()),
        StageStep::Aspect(16.0, 9.0),
        StageStep::Bring {
            at: 0,
            backdrop: Box::new(board),
        },
        StageStep::Move { backdrop, at: 1 },
        StageStep::Arrange {
            current: backdrop,
            beside: Some(Beside {
                backdrop: BackdropId(5),
                divider: 0.3,
            }),
        },
        StageStep::Divide(0.7),
        StageStep::See {
            backdrop,
            seen: Box::new(seen),
        },
        StageStep::Pages { backdrop, pages: 3 },
        StageStep::Size {
            backdrop,
            width: 640.0,
            height: 360.0,
        },
        StageStep::Pause(true),
        StageStep::Take(backdrop),
    ];
    let of = |steps| Change {
        id: ChangeId(u64::MAX),
        author: AuthorId(9),
        at: 1_790_000_000_000,
        what: What::Stage(steps),
    };
    // What was written before there were scales is read as it was meant.
    let stored = [&[3], FORM_3.trim().as_bytes()].concat();
    assert_eq!(log::change(&stored).unwrap(), of(steps.clone()));
    let scale = Scale {
        length: 2.0,
        unit: Unit::Own("paces".to_owned()),
        on_backdrop: 1.0 / 3.0,
        off: 0.1 + 0.2,
    };
    let seen = ViewState {
        scale: Some(scale),
        covers: vec![Cover::over(
            2,
            Rect::from_size(0.5, 0.25, 1.0 / 3.0, 100.0),
            vec![7.5],
        )],
        ..ViewState::default()
    };
    let spotlight = Spotlight::default();
    let clock = Clock {
        id: u64::MAX,
        measures: Measures::Countdown(Countdown::default()),
        runs: Runs::Since {
            at: 1_790_000_000_000,
            passed: 7,
        },
        face: Rect::from_size(0.1, 0.2, 300.0, 120.0),
        away: false,
        told: true,
    };
    let lay = |lay| StageStep::Lay(Box::new(lay));
    steps.extend([
        StageStep::See {
            backdrop,
            seen: Box::new(seen),
        },
        lay(Lay::Spotlight(spotlight)),
        lay(Lay::Clock(clock)),
        lay(Lay::NoClock(u64::MAX)),
        lay(Lay::Instrument(
            Which::Protractor.fresh(&Rect::from_size(0.0, 0.0, 1920.0, 1080.0), 0.75),
        )),
        lay(Lay::Magnifier(Magnifier::default())),
    ]);
    let stored = [&[3], FORM_3_LAID.trim().as_bytes()].concat();
    assert_eq!(log::change(&stored).unwrap(), of(steps.clone()));
    let seen = ViewState {
        hidden: hidden(),
        ..ViewState::default()
    };
    steps.push(StageStep::See {
        backdrop,
        seen: Box::new(seen),
    });
    let change = of(steps);
    let stored = [&[3], FORM_3_HIDDEN.trim().as_bytes()].concat();
    let packed = log::pack(&change).unwrap();
    assert_eq!(String::from_utf8_lossy(&packed[1..]), FORM_3_HIDDEN.trim());
    assert_eq!(log::change(&stored).unwrap(), change);
    // A field that is added later has a default: one that is not there is read all the same.
    let older = FORM_3_HIDDEN.replace(r#""looped":false,"#, "");
    assert_ne!(older, FORM_3_HIDDEN);
    let read = log::change(&[&[3], older.trim().as_bytes()].concat());
    assert_eq!(read.unwrap(), change);
}

/// A capture's moment, and what of it is in the picture.
#[test]
fn captures_are_stored_as_they_were() {
    let board = |id| BackdropView {
        id: BackdropId(id),
        name: "Muelle".to_owned(),
        width: 1920.0,
        height: 1080.0,
        kind: BackdropKind::Board(Board::default()),
        seen: ViewState::default(),
    };
    let moment = Moment {
        seq: 1 << 40,
        at: 1_790_000_000_000,
        aspect: (16.0, 9.0),
        current: Some(board(3)),
        beside: Some((board(5), 1.0 / 3.0)),
        laid: Laid::default(),
        device: 0.1 + 0.2,
        ratio: 1.5,
        alone: false,
    };
    let places = [(10.0, 10.0), (300.5, 20.0), (120.0, 240.0)];
    let outline = Outline::drawn(places.map(|(x, y)| Point::new(x, y)), true);
    let cut = Cut {
        area: outline.bounds(),
        way: Way::Outline(outline),
        parts: Parts {
            marks: false,
            ..Parts::default()
        },
        there: Parts::default(),
        bench: Bench {
            hidden: vec![Hide {
                area: Rect::from_size(20.0, 30.0, 0.1 + 0.2, 40.0),
                how: Hiding::Pixelate,
            }],
            flat: Some(Flat {
                corners: [(1.0, 2.0), (90.0, 4.0), (80.5, 70.0), (3.0, 60.0)]
                    .map(|(x, y)| Point::new(x, y)),
                clean: true,
            }),
            turns: 3,
            marks: Vec::new(),
        },
    };
    let read: (Moment, Cut) = serde_json::from_str(CAPTURE).unwrap();
    assert_eq!(read, (moment.clone(), cut.clone()));
    // What came later, of a backdrop taken whole.
    let mut whole = (
        Moment {
            alone: true,
            ..moment
        },
        Cut {
            way: Way::Whole,
            ..cut
        },
    );
    let read: (Moment, Cut) = serde_json::from_str(WHOLE).unwrap();
    assert_eq!(read, whole);
    // And of one in which parts are hidden.
    whole.0.current.as_mut().unwrap().seen.hidden = hidden();
    let read: (Moment, Cut) = serde_json::from_str(CAPTURE_HIDDEN).unwrap();
    assert_eq!(read, whole);
    // And of one that was marked afterwards.
    whole.1.bench.marks = vec![stroke()];
    let written = serde_json::to_string(&whole).unwrap();
    assert_eq!(written, CAPTURE_MARKED.trim());
    let read: (Moment, Cut) = serde_json::from_str(CAPTURE_MARKED).unwrap();
    assert_eq!(read, whole);
}

/// Recordings are read as they were kept, and kept as they were.
#[test]
fn recordings_are_stored_as_they_were() {
    let packet = |track, at, key, size| Packet {
        track,
        at,
        key,
        size,
    };
    let head = Head {
        number: 3,
        from: 6_000_000,
        taken: 1_790_000_000_000,
        to: 8_000_000,
        coded: vec![Coded {
            track: Track::Sound,
            codec: "opus".to_owned(),
            size: (48_000, 1),
            description: b"OpusHead".to_vec(),
        }],
        packets: vec![
            packet(Track::Picture, 6_000_000, true, 3),
            packet(Track::Sound, 6_010_000, true, 2),
        ],
    };
    let data = [1, 2, 3, 4, 5];
    assert_eq!(sealed(&head, &data), bytes(PIECE));
    assert_eq!(opened(&bytes(PIECE)), Ok((head, &data[..])));
    let chapters = r#"[{"at":1.5,"name":"Ebb"}]"#;
    let read: Vec<Chapter> = serde_json::from_str(chapters).unwrap();
    assert_eq!(serde_json::to_string(&read).unwrap(), chapters);
    let mut cuts = Cuts::whole(9.0);
    cuts.take_out(2.0, 3.5);
    assert_eq!(
        serde_json::to_string(&cuts).unwrap(),
        "[[0.0,2.0],[3.5,9.0]]"
    );
    assert_eq!(
        serde_json::from_str::<Cuts>("[[0.0,2.0],[3.5,9.0]]").unwrap(),
        cuts
    );
}
