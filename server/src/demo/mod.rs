//! Made-up lessons to try everything with: an evening class in coastal pilotage at a harbour that
//! does not exist, and a meeting of its users.

mod answers;
mod draw;
mod evening;

use std::path::Path;

use anyhow::Context;
use bozzetto_core::capture::way::Way;
use bozzetto_core::capture::{OnStage, Request};
use bozzetto_core::geometry::frames::{Ink, Map, Point, Rect, Size};
use bozzetto_core::geometry::ids::{AuthorId, BackdropId};
use bozzetto_core::geometry::zoom::Zoom;
use bozzetto_core::sheets::step::SheetId;
use bozzetto_core::stage::backdrop::{BackdropKind, ViewState};
use bozzetto_core::stage::board::{Board, Ruling};

use self::draw::{curve, strokes};
use crate::app::{App, Options};
use crate::backdrops::About;
use crate::backdrops::queries::{New, Whither};
use crate::captures;
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
            bytes: include_bytes!(concat!("../../../demo/", $file)),
        }
    };
}

static HARBOUR: DemoPicture = demo_picture!("Harbour approach.svg");
static WORKSHEET: DemoPicture = demo_picture!("Mark the safe water.svg");
static SOUNDER: DemoPicture = demo_picture!("Echo sounder, Isola Corda.png");
static BERTHS: DemoPicture = demo_picture!("Berth plan.svg");
static NOTICES: DemoPicture = demo_picture!("Notices to mariners.pdf");
static TIDE: DemoPicture = demo_picture!("Tide and lights.html");
static VESSEL: DemoPicture = demo_picture!("Vessel at the buoys.webm");
static VESSEL_POSTER: &[u8] = include_bytes!("../../../demo/Vessel at the buoys.png");

/// Fills a new data folder.
pub async fn fill(data: &Path) -> anyhow::Result<()> {
    anyhow::ensure!(
        !data.join("bozzetto.db").exists(),
        "{} holds lessons already; give a new folder",
        data.display()
    );
    let app = App::open(data, Options::new("127.0.0.1:0".parse()?)).await?;
    let class = lesson(&app.store, "Coastal pilotage, evening 3", "class").await?;
    let chart = add(&app, class, &HARBOUR).await?;
    add(&app, class, &TIDE).await?;
    add(&app, class, &NOTICES).await?;
    film(&app, Whither::End(class)).await?;
    source(
        &app.store,
        class,
        "Bench camera (simulated)",
        BackdropKind::Camera { simulated: true },
    )
    .await?;
    let worksheet = add(&app, class, &WORKSHEET).await?;
    add(&app, class, &SOUNDER).await?;
    source(&app.store, class, "Shared screen", BackdropKind::Share).await?;
    board(&app.store, class, Ruling::Squared).await?;
    mark_the_chart(&app.store, class, chart).await?;
    show(&app.store, class, chart).await?;
    take_captures(&app, class, chart).await?;

    let meeting = lesson(&app.store, "Harbour users' meeting: berth plan", "meeting").await?;
    let plan = add(&app, meeting, &BERTHS).await?;
    board(&app.store, meeting, Ruling::Ruled).await?;
    show(&app.store, meeting, plan).await?;
    evening::fill(&app).await?;
    for file in [&HARBOUR, &TIDE, &NOTICES] {
        keep(&app, Whither::Library, file).await?;
    }
    film(&app, Whither::Library).await?;
    answers::fill(&app, class, worksheet).await?;
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

async fn add(app: &App, lesson: i64, file: &DemoPicture) -> anyhow::Result<i64> {
    keep(app, Whither::End(lesson), file).await
}

async fn film(app: &App, whither: Whither) -> anyhow::Result<i64> {
    // What a browser finds out about it.
    let about = Some(About {
        width: 1280.0,
        height: 720.0,
        duration: 12.0,
        moments: vec![0.0, 0.04, 0.08],
    });
    let poster = Some(VESSEL_POSTER.to_vec());
    crate::backdrops::add(app, whither, VESSEL.file, VESSEL.bytes, about, poster)
        .await?
        .map_err(|why| anyhow::anyhow!("the demo film: {why}"))
}

/// A backdrop without a file.
async fn source(store: &Store, lesson: i64, name: &str, kind: BackdropKind) -> anyhow::Result<i64> {
    let new = New {
        name: name.to_owned(),
        kind,
        file: None,
        poster: None,
        width: 1920.0,
        height: 1080.0,
        seen: ViewState::default(),
    };
    Ok(store
        .write(move |conn| crate::backdrops::queries::add(conn, Whither::End(lesson), &new))
        .await?)
}

async fn keep(app: &App, whither: Whither, picture: &DemoPicture) -> anyhow::Result<i64> {
    crate::backdrops::add(app, whither, picture.file, picture.bytes, None, None)
        .await?
        .map_err(|why| anyhow::anyhow!("the demo file {}: {why}", picture.file))
}

async fn board(store: &Store, lesson: i64, ruling: Ruling) -> anyhow::Result<i64> {
    Ok(store
        .write(move |conn| {
            let board = Board {
                ruling,
                ..Board::default()
            };
            crate::backdrops::add_board(conn, lesson, board, false)
        })
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
    let view = Zoom::WHOLE.map(Size::new(1920., 1080.), Size::glass(16., 9.));
    let to_held = Map::<Ink, _>::coincident().then(&view.inverse().context("a view")?);
    let sheet = SheetId::Backdrop(BackdropId(chart as u64));
    let drawn = [(1, course), (1, head), (2, ring), (3, band)];
    let changes = strokes(sheet, to_held, AuthorId(1), drawn);
    Ok(store
        .write(move |conn| log::append(conn, lesson, &changes))
        .await?)
}

async fn take_captures(app: &App, lesson: i64, chart: i64) -> anyhow::Result<()> {
    let boxes = [
        ("Approach, west side", (560., 150., 1240., 640.), true),
        ("Buoy 1, closer", (820., 340., 1100., 560.), true),
        ("To Isola Corda", (1080., 380., 1760., 760.), false),
    ];
    for (name, (x0, y0, x1, y1), out) in boxes {
        let request = Request {
            area: Rect::from_corners(Point::new(x0, y0), Point::new(x1, y1)),
            device: 1.0,
            ratio: 1.0,
            stage: OnStage {
                current: Some(BackdropId(chart as u64)),
                ..OnStage::default()
            },
            way: Way::Box,
        };
        let id = captures::take(app, lesson, request, Vec::new()).await?;
        app.store
            .write(move |conn| {
                captures::rename(conn, lesson, id, name)?;
                captures::set_handed_out(conn, lesson, id, out)
            })
            .await?;
    }
    Ok(())
}
