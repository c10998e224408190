//! Clocks: what has passed, when a face changes, and what the last seat can read of it.

use bozzetto_core::clocks::countdown::{Countdown, FLASHES, Stage};
use bozzetto_core::clocks::face::Place;
use bozzetto_core::clocks::server_clock::ServerClock;
use bozzetto_core::clocks::stopwatch::Stopwatch;
use bozzetto_core::clocks::{Clock, LONGEST, Measures, Press, Runs};
use bozzetto_core::display::{DisplayList, Item};
use bozzetto_core::geometry::frames::{Glass, Rect, Size};
use bozzetto_core::prefs::legibility::Room;
use proptest::prelude::*;

const START: u64 = 1_790_000_000_000;

fn area() -> Size<Glass> {
    Size::glass(16.0, 9.0)
}

fn clock(measures: Measures, place: Place) -> Clock {
    Clock {
        id: 1,
        measures,
        runs: Runs::default(),
        face: place.face(area()),
        away: false,
        told: true,
    }
}

fn countdown(seconds: u64) -> Clock {
    let set = Countdown::default().with_length(seconds * 1000);
    clock(Measures::Countdown(set), Place::Corner)
}

fn watch() -> Clock {
    clock(Measures::Stopwatch(Stopwatch::default()), Place::All)
}

proptest! {
    /// What has passed is what all the times add up to in which it ran.
    #[test]
    fn only_time_that_runs_passes(presses in prop::collection::vec((any::<bool>(), 0..50_000u64), 1..30)) {
        let mut clock = watch();
        let (mut now, mut ran, mut runs) = (START, 0, false);
        for (press, later) in presses {
            now += later;
            ran += if runs { later } else { 0 };
            runs = press;
            clock = clock.pressed(&Press::Run(press), now);
            prop_assert_eq!(clock.passed(now), ran);
        }
    }

    /// A face says the same until the moment at which it is said to change, and then something else; until
    /// it is over and has said so.
    #[test]
    fn a_face_changes_when_it_says_so(seconds in 1..4000u64, later in 0..4_000_000u64, is_watch in any::<bool>()) {
        let clock = if is_watch { watch() } else { countdown(seconds) };
        let clock = clock.pressed(&Press::Run(true), START);
        let now = START + later;
        let seen = |at: u64| {
            let mut list = DisplayList::default();
            clock.paint(at, false, &mut list);
            let fills = list.items.iter().filter_map(|item| match item {
                Item::Fill { colour, .. } => Some(*colour),
                _ => None,
            });
            (clock.reading(at), fills.collect::<Vec<_>>())
        };
        match clock.changes_in(now) {
            Some(wait) => {
                prop_assert!(seen(now + wait - 1) == seen(now));
                let over = !is_watch && later + wait > seconds * 1000;
                // The last flash may end as it stays.
                prop_assert!(over || seen(now + wait) != seen(now));
            }
            None => {
                prop_assert!(later >= seconds * 1000 + FLASHES);
                prop_assert!(seen(now + 1_000_000) == seen(now));
            }
        }
    }

    /// Splits add up to the total, and the quickest and the slowest are marked unless all are alike.
    #[test]
    fn laps_add_up(times in prop::collection::vec(0..90_000u64, 1..40)) {
        let mut clock = watch().pressed(&Press::Run(true), START);
        let mut now = START;
        for time in &times {
            now += time;
            clock = clock.pressed(&Press::Lap, now);
        }
        let Measures::Stopwatch(watch) = &clock.measures else { panic!() };
        let splits = watch.splits();
        let lengths: Vec<u64> = splits.iter().map(|s| s.split).collect();
        prop_assert_eq!(&lengths, &times);
        prop_assert_eq!(splits.last().unwrap().lap.total, times.iter().sum::<u64>());
        let (least, most) = (*times.iter().min().unwrap(), *times.iter().max().unwrap());
        for s in &splits {
            prop_assert_eq!(s.best, s.split == least && least < most);
            prop_assert_eq!(s.worst, s.split == most && least < most);
        }
    }
}

/// Messages are late by what they will, and the machine's clock is set anew: the server's is known to within
/// the least delay of the last fifteen.
#[test]
fn the_servers_clock_is_known() {
    let told = |server: u64, ahead: f64, late: f64| (server, server as f64 - ahead + late);
    let mut clock = ServerClock::default();
    let mut at = START;
    for (ahead, delays) in [
        (4_000.0, [900.0, 40.0, 3.0, 250.0, 80.0]),
        (-7_000_000.0, [5.0, 600.0, 9.0, 30.0, 400.0]),
        (0.0, [1.0, 2.0, 700.0, 50.0, 8.0]),
    ] {
        for late in delays.into_iter().cycle().take(15) {
            let (now, here) = told(at, ahead, late);
            clock.heard(now, here);
            at += 2000;
        }
        let off = at as f64 - clock.at(at as f64 - ahead) as f64;
        let least = delays.into_iter().fold(f64::MAX, f64::min);
        assert!((off - least).abs() <= 1.0, "{off} late, at least {least}");
    }
}

/// One second is shown for as long as it takes; at nothing it is over.
#[test]
fn a_countdown_ends_in_nothing() {
    let clock = countdown(90).pressed(&Press::Run(true), START);
    for (ms, reading) in [
        (0, "1:30"),
        (1, "1:30"),
        (1000, "1:29"),
        (89_999, "0:01"),
        (90_000, "0:00"),
        (99_000, "0:00"),
    ] {
        assert_eq!(clock.reading(START + ms), reading, "{ms}");
    }
    let Measures::Countdown(set) = clock.measures else {
        panic!()
    };
    let stages = [79_999, 80_000, 89_999, 90_000].map(|passed| set.stage(passed));
    assert_eq!(
        stages,
        [Stage::Goes, Stage::Warns, Stage::Warns, Stage::Over]
    );
}

/// It is heard when it warns and when it is over, at these moments whatever was done with it before; silent
/// ones, those that stand and those that are over are not.
#[test]
fn a_countdown_is_heard_at_its_moments() {
    let going = countdown(90).pressed(&Press::Run(true), START);
    assert_eq!(
        going.signals(),
        [(START + 80_000, false), (START + 90_000, true)]
    );
    let paused = going.pressed(&Press::Run(false), START + 30_000);
    assert_eq!(paused.signals(), []);
    let on = paused.pressed(&Press::Run(true), START + 50_000);
    assert_eq!(
        on.signals(),
        [(START + 100_000, false), (START + 110_000, true)]
    );
    // Within the last ten seconds it has warned already.
    let late = going.pressed(&Press::Run(false), START + 85_000);
    let late = late.pressed(&Press::Run(true), START + 85_000);
    assert_eq!(late.signals(), [(START + 90_000, true)]);
}

/// A minute more is a minute more, also of what is over; a day is the most.
#[test]
fn one_minute_more() {
    let later = |clock: &Clock, s: u64| clock.pressed(&Press::Minute, START + s * 1000);
    let going = countdown(90).pressed(&Press::Run(true), START);
    assert_eq!(later(&going, 60).reading(START + 60_000), "1:30");
    assert_eq!(later(&going, 600).reading(START + 600_000), "1:00");
    let day = countdown(LONGEST / 1000).pressed(&Press::Run(true), START);
    assert_eq!(later(&day, 0).reading(START), "24:00:00");
    // Begun again after its end it has all its time.
    let again = going.pressed(&Press::Run(true), START + 600_000);
    assert_eq!(again.reading(START + 600_000), "1:30");
}

/// WCAG 2.2, 2.3.1: nothing flashes more than three times in a second; without motion not at all.
#[test]
fn an_end_flashes_slowly() {
    let set = Countdown::default();
    let shows = |still| {
        let moments = (0..2 * FLASHES).step_by(10);
        let shown: Vec<bool> = moments
            .map(|ms| set.shows_its_end(set.length + ms, still))
            .collect();
        shown
    };
    let flashing = shows(false);
    for second in flashing.windows(100) {
        let changes = second.windows(2).filter(|w| w[0] != w[1]).count();
        assert!(changes <= 2 * 3, "{changes}");
    }
    assert!(flashing.contains(&false) && flashing.ends_with(&[true; 100]));
    assert!(shows(true).iter().all(|shown| *shown));
}

/// The back-row check: in the usual room the last seat reads the figures of a face in a corner; a face
/// keeps to its place.
#[test]
fn the_last_seat_reads_a_face() {
    let (least, hour) = (Room::default().least_writing(), countdown(3600));
    for clock in [countdown(300), hour, watch()] {
        let corner = Clock {
            face: Place::Corner.face(area()),
            ..clock
        };
        let mut list = DisplayList::default();
        corner.paint(START, false, &mut list);
        let fills: Vec<Rect<Glass>> = list
            .items
            .iter()
            .map(|item| match item {
                Item::Fill { path, .. } => path.bounds(),
                other => panic!("{other:?}"),
            })
            .collect();
        assert!(fills[1].height() > 1.5 * least, "{:?} {least}", fills[1]);
        for fill in fills {
            assert_eq!(
                corner.face.inflate(0.01).union(&fill),
                corner.face.inflate(0.01)
            );
        }
    }
}

/// As RFC 4180 has it: quotes doubled, lines ended by CRLF; and no name is a formula.
#[test]
fn laps_as_a_table() {
    let mut clock = watch().pressed(&Press::Run(true), START);
    clock = clock.pressed(&Press::Lap, START + 12_340);
    clock = clock.pressed(&Press::Lap, START + 20_000);
    let Measures::Stopwatch(mut watch) = clock.measures else {
        panic!()
    };
    watch.laps[0].name = "the \"Orca\", tacking".to_owned();
    watch.laps[1].name = "=1+1".to_owned();
    assert_eq!(
        watch.table(','),
        "Lap,Name,Split (s),Total (s),\r\n\
         1,\"the \"\"Orca\"\", tacking\",12.34,12.34,worst\r\n\
         2,\"'=1+1\",7.66,20.00,best\r\n"
    );
}
