//! Golden files: messages as they are packed. What a browser kept by an earlier version is still
//! read; and nothing of a message changes without a new [`VERSION`], which brings a new file.
//!
//! A new file is written with `WRITE_GOLDEN=1 cargo test --package bozzetto-core --test all wire::`.

use std::fmt::Write;
use std::path::PathBuf;
use std::sync::Arc;

use bozzetto_core::aids::laser::LaserLook;
use bozzetto_core::aids::magnifier::Magnifier;
use bozzetto_core::aids::pointing::Pointing;
use bozzetto_core::aids::region::{Form, Region};
use bozzetto_core::aids::ring::RingLook;
use bozzetto_core::aids::ripple::{Press, Ripple};
use bozzetto_core::aids::spotlight::Spotlight;
use bozzetto_core::clocks::countdown::Countdown;
use bozzetto_core::clocks::stopwatch::{Lap, Stopwatch};
use bozzetto_core::clocks::{Clock, Measures, Runs};
use bozzetto_core::display::colour::Rgb;
use bozzetto_core::geometry::frames::{Map, Point, Rect};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId, ChangeId, MarkId, PersonId};
use bozzetto_core::ink::curve::{Curve, Spot};
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::instruments::instrument::{Instrument, Kind};
use bozzetto_core::instruments::measure::Measuring;
use bozzetto_core::instruments::placed::Placed;
use bozzetto_core::instruments::protractor::{Protractor, Says};
use bozzetto_core::lesson::change::{Change, Intent, NOBODY, What};
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::stamp::{Sign, Stamp};
use bozzetto_core::paint::wet::{WetInk, WetShape};
use bozzetto_core::people::reach::{Does, Reach};
use bozzetto_core::sheets::refusal::Refusal;
use bozzetto_core::sheets::step::{Deed, Op, SheetId, Step};
use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, ViewState};
use bozzetto_core::stage::board::Board;
use bozzetto_core::stage::laid::{Laid, Lay};
use bozzetto_core::stage::pane::Beside;
use bozzetto_core::stage::state::{Stage, StageState};
use bozzetto_core::stage::step::StageStep;
use bozzetto_core::stream::{Chunk, Still};
use bozzetto_core::wire::{
    FromServer, OnStage, Person, Sees, Start, State, TakeAway, ToServer, VERSION, Welcome, Yours,
    decode, encode,
};

fn golden(name: &str) -> PathBuf {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/golden");
    PathBuf::from(folder).join(name)
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().fold(String::new(), |mut hex, byte| {
        let _ = write!(hex, "{byte:02x}");
        hex
    })
}

fn bytes(hex: &str) -> Vec<u8> {
    let pairs = hex.as_bytes().chunks_exact(2);
    let byte = |pair| u8::from_str_radix(std::str::from_utf8(pair).unwrap(), 16).unwrap();
    pairs.map(byte).collect()
}

/// What the browsers of version 7 had kept, because their line was down, is asked for by version 8.
#[test]
fn what_an_earlier_version_kept_is_still_asked_for() {
    let file = std::fs::read_to_string(golden("asked-by-7.txt")).unwrap();
    let asked: Vec<ToServer> = file
        .lines()
        .map(|line| decode(&bytes(line.split_once(' ').unwrap().1)).unwrap())
        .collect();
    let ToServer::Act {
        id: ChangeId(7),
        intent: Intent::Do(steps),
    } = &asked[0]
    else {
        panic!("{:?}", asked[0])
    };
    let Op::Add(mark) = &steps[0].op else {
        panic!("{steps:?}")
    };
    let b = mark.bounds();
    assert_eq!(
        (b.x0.round(), b.y0.round(), b.x1.round()),
        (-3.0, 97.0, 193.0)
    );
    let sheet = SheetId::of_page(BackdropId(3), 1);
    let undo = ToServer::Act {
        id: ChangeId(8),
        intent: Intent::UndoOn(sheet),
    };
    assert_eq!(asked[1], undo);
}

fn stamp() -> Mark {
    let style = Style::new(Tip::Round, Rgb::hex(0xD55E00), 6.0);
    let body = Body::Stamp(Stamp::new(Sign::Tick, Point::new(9.0, 9.0), 5.0));
    Mark::new(MarkId(4), AuthorId(9), style, body, Map::coincident(), 2)
}

fn stroke() -> Mark {
    let points: Vec<InkPoint> = (0..3)
        .map(|i| InkPoint::new(Point::new(f64::from(i) * 40.0, 100.0), 6.0))
        .collect();
    let body = Body::Stroke(Curve::through(&points).unwrap());
    Mark { body, ..stamp() }
}

fn board() -> BackdropView {
    BackdropView {
        id: BackdropId(3),
        name: "Board".to_owned(),
        width: 1920.0,
        height: 1080.0,
        kind: BackdropKind::Board(Board::default()),
        seen: ViewState::default(),
    }
}

/// One step of each kind.
fn stage_steps() -> Vec<StageStep> {
    let backdrop = BackdropId(3);
    let beside = Beside {
        backdrop: BackdropId(5),
        divider: 0.5,
    };
    vec![
        StageStep::Arrange {
            current: backdrop,
            beside: Some(beside),
        },
        StageStep::Divide(0.25),
        StageStep::See {
            backdrop,
            seen: Box::default(),
        },
        StageStep::Pause(true),
        StageStep::Pages { backdrop, pages: 2 },
        StageStep::Size {
            backdrop,
            width: 640.0,
            height: 360.0,
        },
        StageStep::Bring {
            at: 1,
            backdrop: Box::new(board()),
        },
        StageStep::Move { backdrop, at: 0 },
        StageStep::Take(backdrop),
        StageStep::Name("Evening 3".to_owned()),
        StageStep::Aspect(16.0, 9.0),
        StageStep::Lay(Box::new(laid()[0].clone())),
        StageStep::Lay(Box::new(laid()[1].clone())),
        StageStep::Lay(Box::new(laid()[2].clone())),
        StageStep::Lay(Box::new(laid()[5].clone())),
    ]
}

/// One of each kind that lies over the picture.
fn laid() -> [Lay; 9] {
    let light = Region {
        form: Form::Loop(vec![(-1.0, 0.0), (1.0, -1.0), (1.0, 1.0)]),
        at: Point::new(400.0, 300.0),
        half: (100.0, 80.0),
    };
    let spotlight = Spotlight {
        lights: vec![light],
        away: false,
        ..Spotlight::default()
    };
    let clock = |measures, runs| {
        Lay::Clock(Clock {
            id: 8,
            measures,
            runs,
            face: Rect::from_size(1400.0, 20.0, 480.0, 200.0),
            away: false,
            told: true,
        })
    };
    let laps = vec![Lap {
        total: 1200,
        name: "Sefa".to_owned(),
    }];
    let (at, passed) = (1_790_000_000_000, 500);
    let placed = Placed {
        on: Some(BackdropId(3)),
        at: (300.0, 200.0),
        angle: 0.5,
        size: 400.0,
    };
    let instrument = |kind| {
        Lay::Instrument(Instrument {
            kind,
            placed,
            millimetres: 0.75,
            away: false,
            told: true,
        })
    };
    [
        Lay::Spotlight(spotlight),
        clock(
            Measures::Countdown(Countdown::default()),
            Runs::Since { at, passed },
        ),
        clock(
            Measures::Stopwatch(Stopwatch { laps }),
            Runs::Stands { passed },
        ),
        instrument(Kind::Ruler),
        instrument(Kind::Protractor(Protractor {
            arm: 0.5,
            full: true,
            says: Says::Bearing,
            north: 0.25,
        })),
        instrument(Kind::Compasses),
        Lay::Measuring(Measuring {
            on: Some(BackdropId(3)),
            places: vec![(1.0, 2.0), (3.0, 4.0)],
            closed: false,
            pixel: 0.5,
            away: false,
            told: true,
        }),
        Lay::Magnifier(Magnifier {
            shows: Some(Point::new(500.0, 600.0)),
            away: false,
            ..Magnifier::default()
        }),
        Lay::NoClock(8),
    ]
}

fn add(mark: Mark) -> Vec<Step> {
    vec![Step {
        sheet: SheetId::Backdrop(BackdropId(3)),
        op: Op::Add(mark),
    }]
}

fn change(what: What) -> Change {
    Change {
        id: ChangeId(7),
        author: NOBODY,
        at: 1_790_000_000_000,
        what,
    }
}

fn shows() -> Rect<bozzetto_core::geometry::frames::Held> {
    Rect::from_corners(Point::new(0.0, 0.0), Point::new(9.0, 9.0))
}

fn chunk() -> Chunk {
    Chunk {
        backdrop: BackdropId(3),
        run: 1,
        number: 1,
        key: None,
        taken: 1,
        shows: shows(),
        data: vec![1, 2],
    }
}

fn still() -> Still {
    Still {
        backdrop: BackdropId(3),
        taken: 1,
        shows: shows(),
        data: vec![3],
    }
}

fn reaches() -> [Reach; 5] {
    let at = Point::new(12.5, 700.0);
    let by = (0.0, -120.0);
    let all = [
        Does::Down(at),
        Does::Move(at),
        Does::Up(at),
        Does::Wheel { at, by },
        Does::Key("Enter".to_owned()),
    ];
    all.map(|does| Reach {
        backdrop: BackdropId(3),
        does,
    })
}

fn ink() -> WetInk {
    WetInk {
        mark: MarkId(4),
        sheet: SheetId::Glass,
        style: stamp().style,
        transform: Map::coincident(),
        fades: false,
        from: 0,
        points: Default::default(),
    }
}

/// One of each kind that browsers send.
fn to_server() -> Vec<ToServer> {
    let id = ChangeId(7);
    let act = |intent| ToServer::Act { id, intent };
    let mut all = vec![
        ToServer::Wet(ink()),
        ToServer::WetEnd(MarkId(4)),
        act(Intent::Do(add(stroke()))),
        act(Intent::More(add(stamp()))),
        act(Intent::Undo),
        act(Intent::RedoOn(SheetId::Glass)),
        act(Intent::Stage(stage_steps())),
        ToServer::See {
            backdrop: BackdropId(3),
            seen: Box::default(),
        },
        ToServer::WetShape(Box::new(WetShape {
            sheet: SheetId::Glass,
            mark: stamp(),
        })),
        ToServer::Chunk(chunk()),
        ToServer::Still(still()),
        ToServer::WantKey(BackdropId(3)),
        ToServer::WantStills,
        ToServer::SendAway(PersonId(2)),
        ToServer::Raise(true),
        ToServer::Lower(PersonId(2)),
        ToServer::PassPen {
            to: Some(PersonId(2)),
            pen: true,
        },
        ToServer::PassHand {
            to: Some(PersonId(2)),
        },
    ];
    all.extend(reaches().map(ToServer::Reach));
    all.extend(pointings().map(ToServer::Point));
    all.extend(laid().map(|lay| ToServer::Lay(Box::new(lay))));
    all
}

fn welcome(start: Start, state: State) -> FromServer {
    FromServer::Welcome(Box::new(Welcome {
        author: AuthorId(9),
        epoch: 1,
        seq: 2,
        now: 3,
        start,
        history: (4, 5),
        wet: vec![(AuthorId(9), ink())],
        state,
    }))
}

/// Everything that one can point with.
fn pointings() -> [Pointing; 5] {
    let places = Points(vec![InkPoint::new(Point::new(10.0, 20.0), 20.0)]);
    let colour = LaserLook::default().colour;
    [
        Pointing::Laser { colour, places },
        Pointing::NoLaser,
        Pointing::Ring {
            look: RingLook::default(),
            at: Spot::new(Point::new(10.0, 20.0)),
        },
        Pointing::NoRing,
        Pointing::Ripple(Ripple {
            press: Press::Double,
            at: Spot::new(Point::new(10.0, 20.0)),
            colour,
        }),
    ]
}

/// One of each kind that the server sends.
fn from_server() -> Vec<FromServer> {
    let sheets = vec![(SheetId::Glass, vec![Arc::new(stamp())])];
    let stage = Stage {
        current: Some(board()),
        beside: None,
        laid: all_laid(),
    };
    let person = Person {
        id: PersonId(2),
        name: "Ines".to_owned(),
        pen: true,
        hand: true,
        raised: Some(1),
        sees: Sees::Own,
    };
    let yours = Yours {
        pen: Some(3),
        hand: true,
        screen: Some(BackdropId(3)),
        raised: true,
    };
    let take_away = TakeAway {
        id: 1,
        name: "Board".to_owned(),
        width: 800,
        height: 400,
        version: 0x1234_5678,
    };
    let presenter = State::Presenter {
        moments: vec![(BackdropId(3), ViewState::default())],
        laying: laid().to_vec(),
        people: vec![person.clone()],
        keeping: true,
        left_out: 0,
    };
    let participant = State::Participant {
        lesson: "Evening 3".to_owned(),
        aspect: (16.0, 9.0),
        paused: false,
        backdrops: Box::new(stage.clone()),
        take_aways: vec![take_away.clone()],
        yours,
    };
    let whole = Start::Lesson {
        sheets: sheets.clone(),
        stage: Box::<StageState>::default(),
    };
    let marks = What::Marks {
        deed: Deed::Undo { entries: 1 },
        steps: add(stamp()),
    };
    let missed = Start::Missed {
        changes: vec![(2, change(What::Stage(stage_steps())))],
        kept: 1,
    };
    let point = |pointing| FromServer::Point {
        author: AuthorId(9),
        pointing,
    };
    let mut all = vec![
        welcome(whole, presenter.clone()),
        welcome(missed, presenter),
        welcome(Start::Sheets(sheets.clone()), participant),
        FromServer::Change {
            seq: 2,
            change: change(marks),
            kept: true,
        },
        FromServer::Known { id: ChangeId(7) },
        FromServer::Refused {
            id: ChangeId(7),
            why: Refusal::NoSuchBackdrop,
        },
        FromServer::Wet {
            author: AuthorId(9),
            ink: ink(),
        },
        FromServer::WetEnd { mark: MarkId(4) },
        FromServer::OnStage(Box::new(OnStage {
            seq: 2,
            backdrops: stage,
            sheets,
            wet: Vec::new(),
        })),
        FromServer::Paused(true),
        FromServer::People(vec![person.clone()]),
        FromServer::TakeAways(vec![take_away]),
        FromServer::Mine,
        FromServer::Yours(yours),
        FromServer::Keeping(false),
        FromServer::Captures,
        FromServer::Sorry(Refusal::TooLarge),
        FromServer::See {
            author: NOBODY,
            backdrop: BackdropId(3),
            seen: Box::default(),
        },
        FromServer::WetShape(Box::new(WetShape {
            sheet: SheetId::Glass,
            mark: stamp(),
        })),
        FromServer::Chunk {
            author: AuthorId(9),
            chunk: chunk(),
        },
        FromServer::Still {
            author: AuthorId(9),
            still: still(),
        },
        FromServer::WantKey(BackdropId(3)),
        FromServer::ScreenOver(BackdropId(3)),
        FromServer::Watching {
            stills: 1,
            streams: 2,
        },
        FromServer::Came(person),
        FromServer::Left(PersonId(2)),
        FromServer::LeftOut(3),
        FromServer::Beat(1_800_000_000_000),
        FromServer::Settings("{}".to_owned()),
    ];
    all.extend(pointings().map(point));
    all.extend(reaches().map(FromServer::Reach));
    all.extend(laid().map(|lay| FromServer::Lay {
        author: AuthorId(9),
        lay: Box::new(lay),
    }));
    all.push(FromServer::Laid(Box::new(all_laid())));
    all
}

fn all_laid() -> Laid {
    let mut all = Laid::default();
    laid()[..8].iter().for_each(|lay| all.lay(lay));
    all
}

/// Every message is packed as the golden file of this version has it, and read back as it was.
#[test]
fn no_message_changes_without_a_new_version() {
    let path = golden(&format!("wire-{VERSION}.txt"));
    let (to, from) = (to_server(), from_server());
    let there = to.iter().map(encode).map(|bytes| hex(&bytes));
    let back = from.iter().map(encode).map(|bytes| hex(&bytes));
    let now: Vec<String> = there.chain(back).collect();
    if std::env::var_os("WRITE_GOLDEN").is_some() {
        std::fs::write(&path, now.join("\n") + "\n").unwrap();
    }
    let file = std::fs::read_to_string(&path).expect("a golden file for this version");
    let kept: Vec<&str> = file.lines().collect();
    for (i, message) in to.iter().enumerate() {
        assert_eq!(kept[i], now[i], "{message:?}: a new version?");
        assert_eq!(decode::<ToServer>(&bytes(kept[i])).as_ref(), Some(message));
    }
    for (i, message) in from.iter().enumerate() {
        let at = to.len() + i;
        assert_eq!(kept[at], now[at], "{message:?}: a new version?");
        assert_eq!(
            decode::<FromServer>(&bytes(kept[at])).as_ref(),
            Some(message)
        );
    }
    assert_eq!(kept.len(), now.len());
}
