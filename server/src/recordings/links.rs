//! Links to recordings: addresses that nobody guesses, which can end and be taken back, and the pages that they lead to.

use askama::Template;
use axum::Form;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{Html, IntoResponse, Response};
use rusqlite::{Connection, OptionalExtension, params};
use serde::Deserialize;

use super::film::{self, How};
use super::pages::back;
use super::queries::{self, Recording};
use super::watch::Watch;
use crate::app::App;
use crate::door::{Access, Routes};
use crate::error::{AppError, Result};
use crate::headers::film_policy;
use crate::media::hex;
use crate::store;
use crate::table::{To, moment};

/// The most links of a recording.
const MOST: usize = 20;
/// The most sites that may frame one, in characters.
const MOST_SITES: usize = 500;
/// How long a link can last, in days.
pub const DAYS: [(u32, &str); 4] = [
    (7, "a week"),
    (31, "a month"),
    (365, "a year"),
    (0, "until it is taken back"),
];

pub fn for_presenters() -> Routes {
    const ALL: &str = "/lessons/{lesson}/recordings/{recording}/links";
    Routes::of(Access::Presenter)
        .post(ALL, make)
        .post(&format!("{ALL}/{{link}}/delete"), take_back)
}

pub fn for_anybody() -> Routes {
    const FILM: &str = "/film/{token}";
    Routes::of(Access::Anybody)
        .get(FILM, page)
        .get(&format!("{FILM}/embed"), embedded)
        .get(&format!("{FILM}/files/{{file}}"), file)
}

/// A link to a recording.
pub struct Link {
    pub id: i64,
    recording: i64,
    token: String,
    ends_at: Option<i64>,
    /// The sites that may frame it, with spaces between.
    pub framed_by: String,
}

impl Link {
    /// Where it leads.
    pub fn path(&self) -> String {
        format!("/film/{}", self.token)
    }

    /// Until when, in words.
    pub fn until(&self) -> String {
        match self.ends_at {
            Some(at) => format!("until {}", moment(at, To::Minute)),
            None => "until it is taken back".to_owned(),
        }
    }
}

/// The links of a recording that still lead to it.
pub fn of(conn: &Connection, recording: i64) -> store::Result<Vec<Link>> {
    let mut statement = conn.prepare_cached(
        "SELECT id, recording, token, ends_at, framed_by FROM film_link
         WHERE recording = ?1 AND (ends_at IS NULL OR ends_at > ?2) ORDER BY id",
    )?;
    let rows = statement.query_map([recording, crate::now()], link)?;
    Ok(rows.collect::<rusqlite::Result<_>>()?)
}

fn link(row: &rusqlite::Row) -> rusqlite::Result<Link> {
    Ok(Link {
        id: row.get(0)?,
        recording: row.get(1)?,
        token: row.get(2)?,
        ends_at: row.get(3)?,
        framed_by: row.get(4)?,
    })
}

/// Where a link leads: nowhere when it was taken back or has ended, or its recording or lesson is gone.
fn followed(conn: &Connection, token: &str) -> store::Result<Option<(Link, Recording)>> {
    let found = conn
        .prepare_cached(
            "SELECT l.id, l.recording, l.token, l.ends_at, l.framed_by
             FROM film_link l JOIN recording r ON r.id = l.recording JOIN lesson s ON s.id = r.lesson
             WHERE l.token = ?1 AND (l.ends_at IS NULL OR l.ends_at > ?2)
               AND (r.forget_at IS NULL OR r.forget_at > ?2) AND r.deleted_at IS NULL AND s.deleted_at IS NULL",
        )?
        .query_row(params![token, crate::now()], link)
        .optional()?;
    let Some(link) = found else {
        return Ok(None);
    };
    let recording = queries::one(conn, link.recording)?;
    Ok(recording.map(|recording| (link, recording)))
}

#[derive(Deserialize)]
struct New {
    /// For how many days; 0 for ever.
    days: u32,
    #[serde(default)]
    framed_by: String,
}

async fn make(
    State(app): State<App>,
    Path((lesson, recording)): Path<(i64, i64)>,
    Form(new): Form<New>,
) -> Result<Response> {
    let framed_by = sites(&new.framed_by)?;
    let ends_at = (new.days > 0).then(|| crate::now() + i64::from(new.days.min(3650)) * 86_400_000);
    let write = move |conn: &Connection| {
        if of(conn, recording)?.len() >= MOST {
            return Ok(false);
        }
        let token = hex(&rand::random::<[u8; 16]>());
        conn.prepare_cached(
            "INSERT INTO film_link (recording, token, made_at, ends_at, framed_by) VALUES (?1, ?2, ?3, ?4, ?5)",
        )?
        .execute(params![recording, token, crate::now(), ends_at, framed_by])?;
        Ok(true)
    };
    match app.store.write(write).await? {
        true => Ok(back(lesson, recording)),
        false => Err(AppError::Unusable(format!(
            "There are {MOST} links to this recording: take some of them back first."
        ))),
    }
}

/// The sites that may frame a page, as a policy names them: scheme and host, perhaps a port.
fn sites(said: &str) -> Result<String> {
    let wrong = |site: &str| {
        AppError::Unusable(format!(
            "{site} is no site. Write it like https://school.example, and nothing behind that."
        ))
    };
    let mut all = Vec::new();
    for site in said.split([' ', ',', ';', '\n', '\r', '\t']) {
        if site.is_empty() {
            continue;
        }
        let with = match site.contains("://") {
            true => site.to_owned(),
            false => format!("https://{site}"),
        };
        let parsed = url::Url::parse(&with).map_err(|_| wrong(site))?;
        // A policy reads more into other signs than a site.
        let plain = |c: char| c.is_ascii_alphanumeric() || ".-[]:".contains(c);
        let is_site = matches!(parsed.scheme(), "http" | "https")
            && parsed
                .host_str()
                .is_some_and(|host| host.chars().all(plain))
            && parsed.path() == "/"
            && parsed.username().is_empty()
            && parsed.query().is_none();
        if !is_site {
            return Err(wrong(site));
        }
        all.push(parsed.origin().ascii_serialization());
    }
    let all = all.join(" ");
    match all.len() <= MOST_SITES {
        true => Ok(all),
        false => Err(AppError::Unusable("Those are too many sites.".to_owned())),
    }
}

async fn take_back(
    State(app): State<App>,
    Path((lesson, recording, link)): Path<(i64, i64, i64)>,
) -> Result<Response> {
    let delete = move |conn: &Connection| {
        conn.prepare_cached("DELETE FROM film_link WHERE id = ?1 AND recording = ?2")?
            .execute([link, recording])?;
        Ok(())
    };
    app.store.write(delete).await?;
    Ok(back(lesson, recording))
}

async fn find(app: &App, token: String) -> Result<(Link, Recording)> {
    let found = app.store.read(move |conn| followed(conn, &token)).await?;
    found.ok_or(AppError::NotFound)
}

async fn page(State(app): State<App>, Path(token): Path<String>) -> Result<Response> {
    show(&app, token, false).await
}

/// The film alone, for another site's page.
async fn embedded(State(app): State<App>, Path(token): Path<String>) -> Result<Response> {
    show(&app, token, true).await
}

async fn show(app: &App, token: String, alone: bool) -> Result<Response> {
    let (link, recording) = find(app, token).await?;
    let watch = Watch::new(app, &recording, link.path(), alone).await?;
    let framed_by = if alone { &link.framed_by } else { "" };
    let policy = HeaderValue::from_str(&film_policy(framed_by))
        .map_err(|e| AppError::Internal(e.to_string()))?;
    let mut response = Html(watch.render()?).into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, policy);
    // Where the film is seen from is nobody's business, and search engines are nobody it was given to.
    headers.insert(
        header::REFERRER_POLICY,
        HeaderValue::from_static("no-referrer"),
    );
    headers.insert("x-robots-tag", HeaderValue::from_static("noindex"));
    Ok(response)
}

async fn file(
    State(app): State<App>,
    Path((token, name)): Path<(String, String)>,
    Query(how): Query<How>,
    asked: HeaderMap,
) -> Result<Response> {
    let (_, recording) = find(&app, token).await?;
    film::file(&app, &recording, &name, how, &asked).await
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_sites_frame_a_film() {
        let ok = |said: &str| sites(said).ok();
        assert_eq!(ok("").as_deref(), Some(""));
        let two = ok("school.example, http://learn.example:8080/");
        assert_eq!(
            two.as_deref(),
            Some("https://school.example http://learn.example:8080")
        );
        for wrong in [
            "*",
            "javascript://x",
            "https://a.example/path",
            "https://*.example",
            "https://me@a.example",
            "'self'",
        ] {
            assert!(ok(wrong).is_none(), "{wrong}");
        }
    }
}
