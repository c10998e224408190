//! Made-up lessons to try everything with: an evening class in coastal pilotage at a harbour that
//! does not exist, and a meeting of its users.

use std::path::Path;

use anyhow::Context;
use bozzetto_core::board::Ruling;
use bozzetto_core::change::{Change, Deed, Op, SheetId, Step};
use bozzetto_core::frames::{Ink, Map, Point, Size, fit};
use bozzetto_core::ids::{AuthorId, BackdropId, ChangeId, MarkId};
use bozzetto_core::ink::{InkPoint, Points};
use bozzetto_core::mark::{Body, Mark};
use bozzetto_core::swatch::SWATCHES;

use crate::app::App;
use crate::captures::{self, Request};
use crate::lessons::queries;
use crate::live::log;
use crate::store::Store;

struct DemoPicture {
    file: &'static str,
    bytes: &'static [u8],
}

macro_rules! demo_picture {
    ($file:literal) => {
        DemoPicture {
            file: $file,
            bytes: include_bytes!(concat!("../../demo/", $file)),
        }
    };
}

static HARBOUR: DemoPicture = demo_picture!("Harbour approach.svg");
static WORKSHEET: DemoPicture = demo_picture!("Mark the safe water.svg");
static SOUNDER: DemoPicture = demo_picture!("Echo sounder, Isola Corda.png");
static BERTHS: DemoPicture = demo_picture!("Berth plan.svg");

/// Fills a new data folder.
pub async fn fill(data: &Path) -> anyhow::Result<()> {
    anyhow::ensure!(
        !data.join("bozzetto.db").exists(),
        "{} holds lessons already; give a new folder",
        data.display()
    );
    let app = App::open(data, "127.0.0.1:0".parse()?, false).await?;
    let class = lesson(&app.store, "Coastal pilotage, evening 3", "class").await?;
    let chart = add(&app, class, &HARBOUR).await?;
    add(&app, class, &WORKSHEET).await?;
    add(&app, class, &SOUNDER).await?;
    board(&app.store, class, Ruling::Squared).await?;
    mark_the_chart(&app.store, class, chart).await?;
    show(&app.store, class, chart).await?;
    take_captures(&app, class).await?;

    let meeting = lesson(&app.store, "Harbour users' meeting: berth plan", "meeting").await?;
    let plan = add(&app, meeting, &BERTHS).await?;
    board(&app.store, meeting, Ruling::Ruled).await?;
    show(&app.store, meeting, plan).await?;
    // The class is what is opened first.
    app.store
        .write(move |conn| queries::touch(conn, class))
        .await?;
    Ok(())
}

async fn lesson(store: &Store, name: &'static str, kind: &'static str) -> anyhow::Result<i64> {
    Ok(store
        .write(move |conn| queries::create_empty(conn, name, kind))
        .await?)
}

async fn add(app: &App, lesson: i64, picture: &DemoPicture) -> anyhow::Result<i64> {
    crate::stage::add_picture(app, lesson, picture.file, picture.bytes.to_vec())
        .await?
        .with_context(|| format!("the demo picture {}", picture.file))
}

async fn board(store: &Store, lesson: i64, ruling: Ruling) -> anyhow::Result<i64> {
    Ok(store
        .write(move |conn| queries::add_board(conn, lesson, ruling))
        .await?)
}

async fn show(store: &Store, lesson: i64, backdrop: i64) -> anyhow::Result<()> {
    store
        .write(move |conn| {
            conn.execute(
                "UPDATE lesson SET current = ?1 WHERE id = ?2",
                [backdrop, lesson],
            )?;
            Ok(())
        })
        .await?;
    Ok(())
}

/// The leading line from the light to the island, a ring round a buoy, and a warning highlighted.
async fn mark_the_chart(store: &Store, lesson: i64, chart: i64) -> anyhow::Result<()> {
    let course = curve(&[
        (668., 226.),
        (820., 330.),
        (1000., 500.),
        (1180., 585.),
        (1330., 595.),
        (1470., 520.),
        (1556., 452.),
    ]);
    let head = curve(&[(1500., 462.), (1560., 446.), (1556., 508.)]);
    let ring = curve(&[
        (905., 410.),
        (960., 396.),
        (992., 440.),
        (970., 500.),
        (915., 512.),
        (890., 470.),
        (902., 412.),
    ]);
    let band = curve(&[(1128., 224.), (1240., 222.), (1372., 225.)]);
    let view = fit(Size::new(1920., 1080.), Size::glass(16., 9.));
    let to_held = Map::<Ink, _>::coincident().then(&view.inverse().context("a view")?);
    let sheet = SheetId::Backdrop(BackdropId(chart as u64));
    let drawn = [(1, course), (1, head), (2, ring), (3, band)];
    let changes: Vec<(u64, Change)> = (1..)
        .zip(drawn)
        .map(|(seq, (swatch, line))| {
            let style = SWATCHES[swatch].style;
            let width = f64::from(style.width);
            let points = line.iter().map(|p| InkPoint::new(*p, width)).collect();
            let mark = Mark {
                id: MarkId(seq),
                author: AuthorId(1),
                style,
                body: Body::Stroke(Points(points)),
                transform: to_held,
                z: seq as i64,
            };
            let steps = vec![Step {
                sheet,
                op: Op::Add(mark),
            }];
            let change = Change {
                id: ChangeId(seq),
                author: AuthorId(1),
                at: crate::now() as u64,
                deed: Deed::Do,
                steps,
            };
            (seq, change)
        })
        .collect();
    Ok(store
        .write(move |conn| log::append(conn, lesson, &changes))
        .await?)
}

/// Points of a hand-like curve through a few places (Catmull and Rom).
fn curve(through: &[(f64, f64)]) -> Vec<Point<Ink>> {
    let at = |i: isize| through[i.clamp(0, through.len() as isize - 1) as usize];
    let mut points = Vec::new();
    for i in 0..through.len() as isize - 1 {
        let [p0, p1, p2, p3] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
        let blend = |a: f64, b: f64, c: f64, d: f64, t: f64| {
            0.5 * (2. * b
                + (c - a) * t
                + (2. * a - 5. * b + 4. * c - d) * t * t
                + (3. * b - a - 3. * c + d) * t * t * t)
        };
        for step in 0..12 {
            let t = f64::from(step) / 12.0;
            points.push(Point::new(
                blend(p0.0, p1.0, p2.0, p3.0, t),
                blend(p0.1, p1.1, p2.1, p3.1, t),
            ));
        }
    }
    points.extend(through.last().map(|(x, y)| Point::new(*x, *y)));
    points
}

async fn take_captures(app: &App, lesson: i64) -> anyhow::Result<()> {
    let boxes = [
        ("Approach, west side", (560., 150., 1240., 640.), true),
        ("Buoy 2, closer", (820., 340., 1100., 560.), true),
        ("To Isola Corda", (1080., 380., 1760., 760.), false),
    ];
    for (name, (x0, y0, x1, y1), out) in boxes {
        let request = Request {
            x0,
            y0,
            x1,
            y1,
            device: 1.0,
            ratio: 1.0,
        };
        let id = captures::take(app, lesson, request).await?;
        app.store
            .write(move |conn| {
                captures::rename(conn, lesson, id, name)?;
                captures::set_handed_out(conn, lesson, id, out)
            })
            .await?;
    }
    Ok(())
}
