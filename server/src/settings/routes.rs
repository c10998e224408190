//! The settings page, and where the stage keeps what was set on it.

use askama::Template;
use axum::extract::{Query, State};
use axum::http::{HeaderMap, StatusCode};
use axum::response::Html;
use axum::{Form, Json};
use bozzetto_core::capture::name::{Naming, PatternFault};
use bozzetto_core::geometry::frames::GLASS_WIDTH;
use bozzetto_core::marks::swatch;
use bozzetto_core::prefs::legibility::{Room, check};
use bozzetto_core::prefs::settings::FORGETS_AFTER;
use bozzetto_core::prefs::settings::{
    Capturing, Edge, Finger, Route, Routes as CaptureRoutes, Settings,
};
use bozzetto_core::stage::board;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Deserialize;
use serde_json::{Map, Value};

use crate::app::App;
use crate::auth::{presenter, sessions};
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};

pub fn routes() -> Routes {
    Routes::of(Access::Presenter)
        .get("/settings", page)
        .post("/settings", set)
        .get("/settings/names", names)
        .post("/settings/kept", keep)
        .post("/settings/originals", put_back)
}

#[derive(Template)]
#[template(path = "settings.html")]
struct Page {
    settings: Settings,
    kept: bool,
    /// Where presenters have entered; empty where nobody has to.
    sessions: Vec<SessionRow>,
}

/// A session as people recognise it.
struct SessionRow {
    id: i64,
    browser: String,
    began: String,
    seen: String,
    own: bool,
}

impl SessionRow {
    fn of(session: sessions::Session) -> Self {
        Self {
            id: session.id,
            browser: browser_in(&session.agent),
            began: moment(session.began_at),
            seen: moment(session.seen_at),
            own: session.own,
        }
    }
}

/// A moment as people say it.
fn moment(at: i64) -> String {
    Timestamp::from_millisecond(at)
        .unwrap_or(Timestamp::UNIX_EPOCH)
        .to_zoned_datetime(TimeZone::system())
        .strftime("%-d %B %Y, %H:%M")
        .to_string()
}

/// Which browser on which system says this of itself.
fn browser_in(agent: &str) -> String {
    // The more particular comes first: each names those that it wants to be taken for.
    let browsers = [
        ("Edg/", "Edge"),
        ("Firefox/", "Firefox"),
        ("Chrome/", "Chrome"),
        ("Safari/", "Safari"),
    ];
    let systems = [
        ("Android", "Android"),
        ("iPhone", "iPhone"),
        ("iPad", "iPad"),
        ("Windows", "Windows"),
        ("Mac OS", "macOS"),
        ("CrOS", "ChromeOS"),
        ("Linux", "Linux"),
    ];
    let find = |names: &[(&str, &'static str)]| {
        let found = names.iter().find(|(sign, _)| agent.contains(sign));
        found.map(|(_, name)| *name)
    };
    match (find(&browsers), find(&systems)) {
        (Some(browser), Some(system)) => format!("{browser} on {system}"),
        (Some(one), None) | (None, Some(one)) => one.to_owned(),
        (None, None) => "A browser".to_owned(),
    }
}

impl Page {
    /// A room's lengths as people say them.
    fn width_cm(&self) -> f64 {
        (self.settings.room.display_width / 10.0).round()
    }

    fn seat_m(&self) -> f64 {
        self.settings.room.farthest_seat / 1000.0
    }

    /// A length in glass units as millimetres on the display.
    fn on_display(&self, units: f64) -> String {
        let mm = units * self.settings.room.display_width / GLASS_WIDTH;
        format!("{mm:.0} mm")
    }

    fn units(&self, units: f64) -> String {
        format!("{units:.1}")
    }

    /// The swatches that the last seat would not see on an empty board, and why.
    fn short(&self) -> Vec<(String, String)> {
        let swatches = self.settings.swatches.iter();
        swatches
            .filter_map(|s| {
                let short = check(s, &self.settings.room, board::PAPER)?;
                Some((s.name(), short.why))
            })
            .collect()
    }

    fn at(&self, edge: &str) -> bool {
        let is = match self.settings.rail.edge {
            Edge::Bottom => "bottom",
            Edge::Left => "left",
            Edge::Right => "right",
        };
        is == edge
    }

    /// What becomes of captures: the field's name, the way of taking, and what is chosen.
    fn routes(&self) -> [(&'static str, &'static str, Route); 5] {
        let routes = &self.settings.capture.routes;
        [
            ("box", "After a box", routes.of_box),
            ("outline", "After an outline", routes.outline),
            ("pane", "After a pane", routes.pane),
            ("stage", "After the stage", routes.stage),
            ("whole", "After a whole backdrop", routes.whole),
        ]
    }

    /// Whether a text is typed on the screen, once that was asked.
    fn screen_keys(&self, wanted: bool) -> bool {
        self.settings.screen_keys.wanted == Some(wanted)
    }

    fn finger_moves(&self) -> bool {
        self.settings.finger == Finger::Moves
    }
}

async fn page(State(app): State<App>, headers: HeaderMap) -> Result<Html<String>> {
    let settings = app.store.read(super::read).await?;
    shown(&app, settings, false, &headers).await
}

async fn shown(
    app: &App,
    settings: Settings,
    kept: bool,
    headers: &HeaderMap,
) -> Result<Html<String>> {
    let sessions = match app.open {
        true => Vec::new(),
        false => {
            let own = presenter::session(app, headers).unwrap_or_default();
            app.store
                .read(move |conn| sessions::all(conn, &own))
                .await?
        }
    };
    let page = Page {
        settings,
        kept,
        sessions: sessions.into_iter().map(SessionRow::of).collect(),
    };
    Ok(Html(page.render()?))
}

#[derive(Deserialize)]
struct Set {
    display_width_cm: String,
    farthest_seat_m: String,
    finger: Finger,
    screen_keys: Option<String>,
    edge: Edge,
    forgets_after: Option<u32>,
    // What is not ticked is not sent.
    flash: Option<bool>,
    sound: Option<bool>,
    at_wipe: Option<bool>,
    names: String,
    #[serde(flatten)]
    routes: CaptureRoutes,
}

impl Set {
    fn capture(&self) -> Capturing {
        Capturing {
            flash: self.flash.unwrap_or_default(),
            sound: self.sound.unwrap_or_default(),
            at_wipe: self.at_wipe.unwrap_or_default(),
            routes: self.routes,
            names: self.names.trim().to_owned(),
        }
    }
}

/// A length as somebody typed it, in its unit; says what is wrong with it otherwise.
fn length(typed: &str, what: &str, unit: &str, low: f64, high: f64) -> Result<f64> {
    let number = typed.trim().replace(',', ".").parse::<f64>();
    number
        .ok()
        .filter(|v| (low..=high).contains(v))
        .ok_or_else(|| AppError::Unusable(format!("{what}: please give {low} to {high} {unit}.")))
}

async fn set(
    State(app): State<App>,
    headers: HeaderMap,
    Form(form): Form<Set>,
) -> Result<Html<String>> {
    let (width, seat) = (&form.display_width_cm, &form.farthest_seat_m);
    let room = Room {
        display_width: 10.0 * length(width, "Width of the display", "cm", 20.0, 3000.0)?,
        farthest_seat: 1000.0 * length(seat, "Farthest seat", "m", 0.5, 100.0)?,
    };
    let fault = |e| AppError::Unusable(format!("Names of captures: {e}"));
    Naming::example().name(&form.names).map_err(fault)?;
    change(&app, &headers, move |settings| {
        settings.room = room;
        settings.finger = form.finger;
        if let Some(on_screen) = &form.screen_keys {
            settings.screen_keys.wanted = Some(on_screen == "on");
        }
        settings.rail.edge = form.edge;
        settings.capture = form.capture();
        if let Some(days) = form.forgets_after {
            settings.forgets_after = days;
        }
    })
    .await
}

#[derive(Deserialize)]
struct Pattern {
    names: String,
}

#[derive(Template)]
#[template(path = "settings_names.html")]
struct Names {
    /// A name that the pattern makes, or why it makes none.
    name: std::result::Result<String, PatternFault>,
}

/// What a pattern makes of a name, while it is typed.
async fn names(Query(Pattern { names }): Query<Pattern>) -> Result<Html<String>> {
    let name = Naming::example().name(&names);
    Ok(Html(Names { name }.render()?))
}

async fn put_back(State(app): State<App>, headers: HeaderMap) -> Result<Html<String>> {
    change(&app, &headers, |s| s.swatches = swatch::ORIGINALS.to_vec()).await
}

async fn change(
    app: &App,
    headers: &HeaderMap,
    change: impl FnOnce(&mut Settings) + Send + 'static,
) -> Result<Html<String>> {
    let settings = app
        .store
        .write(move |conn| {
            let mut settings = super::read(conn)?;
            change(&mut settings);
            let settings = settings.settled();
            super::keep(conn, &settings)?;
            Ok(settings)
        })
        .await?;
    app.settings.send_replace(());
    shown(app, settings, true, headers).await
}

/// The fields that were set on a stage; what was set elsewhere meanwhile stays.
async fn keep(
    State(app): State<App>,
    Json(fields): Json<Map<String, Value>>,
) -> Result<StatusCode> {
    app.store
        .write(move |conn| {
            let settings = super::merged(&super::read(conn)?, fields);
            super::keep(conn, &settings)
        })
        .await?;
    app.settings.send_replace(());
    Ok(StatusCode::NO_CONTENT)
}
