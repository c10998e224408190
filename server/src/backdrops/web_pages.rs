//! Web pages as backdrops: one HTML file or a ZIP of files that somebody brings, or an address.
//!
//! What is brought runs in a sandboxed frame with an opaque origin and a policy of its own that
//! lets it load its own files and nothing else: not our pages, cookies, sockets, nor what others
//! have brought. Its files are served under a name that cannot be guessed, since a page without an
//! origin sends no cookies. A small script is put into its HTML: the bridge, which tells the stage
//! how far the page is scrolled.

use std::collections::BTreeMap;
use std::io::{Cursor, Read};
use std::time::Duration;

use axum::Json;
use axum::extract::{Form, Path, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{IntoResponse, Response};
use bozzetto_core::backdrop::{BackdropKind, Page, Seen};
use bozzetto_core::ids::BackdropId;
use bozzetto_core::naming::tidy;
use rusqlite::{OptionalExtension, params};
use serde::{Deserialize, Serialize};

use super::queries::{self, New, Whither};
use crate::app::App;
use crate::error::{AppError, Result};
use crate::live::lesson::Command;
use crate::media::{Media, Written, hex};

/// The most that a ZIP may unpack to, in bytes, and the most files in it.
const MOST_BYTES: u64 = 200 * 1024 * 1024;
const MOST_FILES: usize = 2000;

/// Where the bridge is found among a page's own files.
const BRIDGE: &str = "bozzetto-bridge.js";
const BRIDGE_SCRIPT: &str = include_str!("../../../web/static/js/bridge.js");

/// A page that has been read through: its files by their paths, and the one that it begins with.
pub struct Brought {
    files: BTreeMap<String, Vec<u8>>,
    entry: String,
}

/// Whether a file may be a page or a ZIP of one, by how it begins.
pub fn is_one(head: &[u8]) -> bool {
    head.starts_with(b"PK\x03\x04") || is_html(head)
}

fn is_html(head: &[u8]) -> bool {
    let text = String::from_utf8_lossy(head);
    let mut text = text.trim_start_matches('\u{feff}').trim_start();
    while let Some(rest) = text.strip_prefix("<!--") {
        text = rest.split_once("-->").map_or("", |(_, r)| r).trim_start();
    }
    let begins = |tag: &str| {
        text.get(..tag.len())
            .is_some_and(|t| t.eq_ignore_ascii_case(tag))
    };
    [
        "<!doctype html",
        "<html",
        "<head",
        "<body",
        "<title",
        "<meta",
    ]
    .iter()
    .any(|tag| begins(tag))
}

/// Reads a page, or says why it cannot be shown.
pub fn read(bytes: &[u8]) -> std::result::Result<Brought, String> {
    if is_html(&bytes[..bytes.len().min(4096)]) {
        let entry = "index.html".to_owned();
        let files = BTreeMap::from([(entry.clone(), bytes.to_vec())]);
        return Ok(Brought { files, entry });
    }
    let files = unpack(bytes)?;
    let pages = || files.keys().filter(|path| is_page(path));
    // The nearest to the top; among those, what a server would show first.
    let entry = pages()
        .min_by_key(|path| {
            let name = path.rsplit('/').next().unwrap_or(path);
            (path.matches('/').count(), name != "index.html", path.len())
        })
        .cloned()
        .ok_or("The ZIP has no web page in it: a file whose name ends in .html is needed.")?;
    Ok(Brought { files, entry })
}

fn is_page(path: &str) -> bool {
    [".html", ".htm"]
        .iter()
        .any(|e| path.to_lowercase().ends_with(e))
}

fn unpack(bytes: &[u8]) -> std::result::Result<BTreeMap<String, Vec<u8>>, String> {
    let damaged = |_| "The ZIP is damaged: it could not be read to its end.".to_owned();
    let mut archive = zip::ZipArchive::new(Cursor::new(bytes)).map_err(damaged)?;
    if archive.len() > MOST_FILES {
        return Err(format!(
            "The ZIP has {} files in it; up to {MOST_FILES} work.",
            archive.len()
        ));
    }
    let mut files = BTreeMap::new();
    let mut left = MOST_BYTES;
    for i in 0..archive.len() {
        let file = archive.by_index(i).map_err(damaged)?;
        let said = String::from_utf8_lossy(file.name_raw()).into_owned();
        let inside = file
            .enclosed_name()
            .filter(|_| !said.contains('\\') && !said.starts_with('/') && !file.is_symlink())
            .ok_or_else(|| {
                format!(
                    "The ZIP has a file that would lie outside of it ({}). Nothing of it was kept.",
                    said.chars().take(60).collect::<String>()
                )
            })?;
        if file.is_dir() {
            continue;
        }
        let path = inside.to_string_lossy().into_owned();
        // What it says of its size may be a lie: what comes out is counted.
        let mut out = Vec::new();
        let read = file.take(left + 1).read_to_end(&mut out);
        let read = read.map_err(|_| "The ZIP is damaged: it could not be read to its end.")?;
        left = left.checked_sub(read as u64).ok_or_else(|| {
            "The ZIP unpacks to more than 200 MB. Make it smaller and try again.".to_owned()
        })?;
        files.insert(path, out);
    }
    Ok(files)
}

/// Keeps a page's files; gives what is to be added.
pub async fn keep(app: &App, name: String, page: Brought) -> Result<New> {
    let media = app.media.clone();
    let Brought { files, entry } = page;
    let others = files.keys().filter(|path| is_page(path) && **path != entry);
    let others: Vec<String> = others.cloned().collect();
    let written = tokio::task::spawn_blocking(move || write(&media, files))
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    let key = hex(&rand::random::<[u8; 16]>());
    let page = key.clone();
    app.store
        .write(move |conn| {
            conn.execute(
                "INSERT INTO web_page (name, created_at) VALUES (?1, ?2)",
                params![page, crate::now()],
            )?;
            let mut insert = conn.prepare_cached(
                "INSERT INTO web_page_file (page, path, media, mime) VALUES (?1, ?2, ?3, ?4)",
            )?;
            for (path, mime, file) in &written {
                file.enter(conn)?;
                insert.execute(params![page, path, file.sha, mime])?;
            }
            Ok(())
        })
        .await?;
    Ok(new(
        name,
        Page::Kept {
            name: key,
            entry,
            others,
        },
    ))
}

type Kept = (String, String, Written);

fn write(media: &Media, files: BTreeMap<String, Vec<u8>>) -> std::io::Result<Vec<Kept>> {
    files
        .into_iter()
        .map(|(path, bytes)| {
            let mime = mime_guess::from_path(&path).first_or_octet_stream();
            let mime = match mime.type_() {
                mime_guess::mime::TEXT => format!("{}; charset=utf-8", mime.essence_str()),
                _ => mime.essence_str().to_owned(),
            };
            let file = media.write(&bytes, "application/octet-stream")?;
            Ok((path, mime, file))
        })
        .collect()
}

fn new(name: String, page: Page) -> New {
    New {
        name,
        kind: BackdropKind::Page(page),
        file: None,
        poster: None,
        width: 1280.0,
        height: 720.0,
        seen: Seen::default(),
    }
}

/// A file of a page. Whoever knows the page's name may have it.
pub async fn serve(
    State(app): State<App>,
    Path((page, path)): Path<(String, String)>,
    headers: HeaderMap,
) -> Result<Response> {
    let policy = policy(&app, &page, &headers)?;
    if path == BRIDGE {
        return Ok(dressed(
            BRIDGE_SCRIPT.into(),
            "text/javascript; charset=utf-8",
            policy,
        ));
    }
    let (key, wanted) = (page, path.clone());
    let found: Option<(String, String)> = app
        .store
        .read(move |conn| {
            Ok(conn
                .prepare_cached(
                    "SELECT media, mime FROM web_page_file WHERE page = ?1 AND path = ?2",
                )?
                .query_row([key, wanted], |row| Ok((row.get(0)?, row.get(1)?)))
                .optional()?)
        })
        .await?;
    let (sha, mime) = found.ok_or(AppError::NotFound)?;
    let media = app.media.clone();
    let bytes = tokio::task::spawn_blocking(move || media.read(&sha))
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    let bytes = match is_page(&path) {
        true => bridged(&bytes, path.matches('/').count()),
        false => bytes,
    };
    Ok(dressed(bytes, &mime, policy))
}

/// Puts the bridge at the beginning of a page, `depth` folders down.
fn bridged(html: &[u8], depth: usize) -> Vec<u8> {
    let script = format!(r#"<script src="{}{BRIDGE}"></script>"#, "../".repeat(depth));
    let lower = html[..html.len().min(8192)].to_ascii_lowercase();
    let tag = |name: &[u8]| {
        let begins = lower.windows(name.len()).position(|w| w == name)?;
        let end = lower[begins..].iter().position(|b| *b == b'>')?;
        Some(begins + end + 1)
    };
    let at = tag(b"<head")
        .or_else(|| tag(b"<html"))
        .or_else(|| tag(b"<!doctype"));
    let (before, after) = html.split_at(at.unwrap_or(0));
    [before, script.as_bytes(), after].concat()
}

/// What a page may do: load and run its own files. Source: Content Security Policy Level 3; a path
/// that ends in a slash matches everything below it.
fn policy(app: &App, page: &str, headers: &HeaderMap) -> Result<HeaderValue> {
    let host = headers.get(header::HOST).and_then(|v| v.to_str().ok());
    let plain = |c: char| c.is_ascii_alphanumeric() || ".-:[]".contains(c);
    let host = host.filter(|h| h.chars().all(plain));
    if !page.chars().all(|c| c.is_ascii_hexdigit()) {
        return Err(AppError::NotFound);
    }
    let scheme = if app.tls { "https" } else { "http" };
    let own = format!(
        "{scheme}://{}/pages/{page}/",
        host.ok_or(AppError::NotFound)?
    );
    let policy = format!(
        "sandbox allow-scripts allow-forms allow-pointer-lock; default-src 'none'; \
         script-src {own} 'unsafe-inline' 'unsafe-eval' blob:; style-src {own} 'unsafe-inline'; \
         img-src {own} data: blob:; font-src {own} data:; media-src {own} data: blob:; \
         connect-src {own} data: blob:; worker-src {own} blob:; frame-src {own}; \
         form-action 'none'; base-uri {own}; frame-ancestors 'self'"
    );
    HeaderValue::from_str(&policy).map_err(|e| AppError::Internal(e.to_string()))
}

fn dressed(bytes: Vec<u8>, mime: &str, policy: HeaderValue) -> Response {
    let mime =
        HeaderValue::from_str(mime).unwrap_or(HeaderValue::from_static("application/octet-stream"));
    let fixed = HeaderValue::from_static;
    let headers = [
        (header::CONTENT_TYPE, mime),
        (header::CONTENT_SECURITY_POLICY, policy),
        // A page without an origin asks for its own files as a stranger would.
        (header::ACCESS_CONTROL_ALLOW_ORIGIN, fixed("*")),
        (
            header::HeaderName::from_static("cross-origin-resource-policy"),
            fixed("cross-origin"),
        ),
        (header::REFERRER_POLICY, fixed("no-referrer")),
        (header::CACHE_CONTROL, fixed("private, max-age=3600")),
    ];
    (headers, bytes).into_response()
}

// ---- Addresses -----------------------------------------------------------------------------------

#[derive(Deserialize)]
pub struct Address {
    address: String,
    /// Add it though it will not be framed.
    #[serde(default)]
    anyway: bool,
}

/// What came of an address.
#[derive(Serialize)]
pub struct Answer {
    added: bool,
    /// Why it was not, or what may go wrong.
    why: Option<String>,
}

/// How long a site may take to answer.
const PATIENCE: Duration = Duration::from_secs(8);

/// Adds a page that stays where it is, if it lets itself be framed.
pub async fn add_address(
    State(app): State<App>,
    Path(lesson): Path<i64>,
    headers: HeaderMap,
    Form(wanted): Form<Address>,
) -> Result<Json<Answer>> {
    let address = with_scheme(&wanted.address)?;
    let own = headers.get(header::HOST).and_then(|v| v.to_str().ok());
    if own.is_some_and(|own| host_of(&address).eq_ignore_ascii_case(own)) {
        return Err(AppError::Unusable(
            "This is an address of Bozzetto itself. A stage on a stage shows nothing.".to_owned(),
        ));
    }
    let asked = address.clone();
    let asks = tokio::task::spawn_blocking(move || asks(&asked))
        .await
        .map_err(|e| AppError::Internal(e.to_string()))?;
    let refused = |why: String| {
        Json(Answer {
            added: false,
            why: Some(why),
        })
    };
    let why = match asks {
        Found::Framed => None,
        Found::Refuses if !wanted.anyway => {
            return Ok(refused(format!(
                "{} does not let itself be shown inside other pages. Two ways out: open it in a tab \
                 of its own and share that tab, or take a picture of it and bring that.",
                host_of(&address)
            )));
        }
        Found::Silent(why) if !wanted.anyway => return Ok(refused(why)),
        Found::Refuses | Found::Silent(_) => None,
    };
    let name = tidy(host_of(&address)).unwrap_or_else(|| "Page".to_owned());
    let new = new(name, Page::Address(address));
    let id = app
        .store
        .write(move |conn| queries::add(conn, Whither::Lesson(lesson), &new))
        .await?;
    let goto = Some(BackdropId(id as u64));
    app.live.tell(lesson, Command::Changed { goto }).await;
    Ok(Json(Answer { added: true, why }))
}

fn with_scheme(typed: &str) -> Result<String> {
    let typed = typed.trim();
    let address = match typed.split_once("://") {
        Some(("http" | "https", _)) => typed.to_owned(),
        Some(_) => String::new(),
        None => format!("https://{typed}"),
    };
    let host = host_of(&address);
    let fits =
        address.len() <= 2000 && !address.chars().any(|c| c.is_whitespace() || c.is_control());
    match fits && host.chars().any(|c| c.is_alphanumeric()) {
        true => Ok(address),
        false => Err(AppError::Unusable(
            "This is no address of a web page. One looks like https://example.org/tides".to_owned(),
        )),
    }
}

fn host_of(address: &str) -> &str {
    let rest = address.split_once("://").map_or("", |(_, rest)| rest);
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    rest[..end].rsplit('@').next().unwrap_or("")
}

/// What a site says when it is asked for a page.
enum Found {
    Framed,
    Refuses,
    /// It could not be asked, and why.
    Silent(String),
}

/// Asks for a page as a browser would, and reads of its head whether it may be framed: by
/// `X-Frame-Options` (RFC 7034) or `frame-ancestors` of a content policy, which comes before it.
fn asks(address: &str) -> Found {
    let agent: ureq::Agent = ureq::Agent::config_builder()
        .timeout_global(Some(PATIENCE))
        .http_status_as_error(false)
        .build()
        .into();
    let answer = match agent.get(address).call() {
        Ok(answer) => answer,
        Err(ureq::Error::Timeout(_)) => {
            return Found::Silent(
                "The page did not answer within eight seconds. Try again, or share its tab."
                    .to_owned(),
            );
        }
        Err(e) => {
            tracing::debug!("{address}: {e}");
            return Found::Silent(
                "The page could not be reached from this server. Look at the address again; if it \
                 opens in your browser, it can still be tried."
                    .to_owned(),
            );
        }
    };
    let all = |name: &str| -> Vec<String> {
        let values = answer.headers().get_all(name).iter();
        values
            .filter_map(|v| v.to_str().ok())
            .map(str::to_lowercase)
            .collect()
    };
    match may_frame(&all("x-frame-options"), &all("content-security-policy")) {
        true => Found::Framed,
        false => Found::Refuses,
    }
}

/// Whether a site with these headers, in small letters, lets itself be framed by another.
fn may_frame(options: &[String], policies: &[String]) -> bool {
    let ancestors: Vec<&str> = policies
        .iter()
        .flat_map(|p| p.split([';', ',']))
        .filter_map(|d| d.trim().strip_prefix("frame-ancestors"))
        .collect();
    if ancestors.is_empty() {
        return !options
            .iter()
            .any(|o| o.contains("deny") || o.contains("sameorigin"));
    }
    // A list of hosts may name this one; hardly ever does.
    ancestors.iter().all(|a| {
        a.split_whitespace()
            .any(|s| matches!(s, "*" | "http:" | "https:"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    fn zipped(files: &[(&str, &[u8])]) -> Vec<u8> {
        let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
        for (name, bytes) in files {
            let plain = zip::write::SimpleFileOptions::default();
            zip.start_file(*name, plain).unwrap();
            zip.write_all(bytes).unwrap();
        }
        zip.finish().unwrap().into_inner()
    }

    #[test]
    fn the_page_nearest_to_the_top_is_shown_first() {
        let page = &b"<!doctype html><p>Tides"[..];
        let zip = zipped(&[
            ("sim/parts/index.html", page),
            ("sim/main.html", page),
            ("sim/index.html", page),
            ("sim/tide.js", b"1"),
        ]);
        let read = read(&zip).unwrap();
        assert_eq!(read.entry, "sim/index.html");
        assert_eq!(read.files.len(), 4);
    }

    #[test]
    fn what_climbs_out_or_swells_is_refused() {
        let page = &b"<p>"[..];
        for name in [
            "../evil.html",
            "/etc/evil.html",
            "a/../../evil.html",
            "..\\evil.html",
        ] {
            let why = read(&zipped(&[("index.html", page), (name, page)]))
                .err()
                .unwrap();
            assert!(why.contains("outside"), "{name}: {why}");
        }
        // 210 MB of nothing pack into a few hundred KB.
        let zeros = vec![0; 210 * 1024 * 1024];
        let bomb = zipped(&[("index.html", page), ("zeros.bin", &zeros)]);
        assert!(bomb.len() < 1024 * 1024);
        assert!(read(&bomb).err().unwrap().contains("200 MB"));
        assert!(
            read(&zipped(&[("notes.txt", b"no page")]))
                .err()
                .unwrap()
                .contains(".html")
        );
    }

    #[test]
    fn frames_are_refused_as_browsers_refuse_them() {
        let s = |v: &[&str]| v.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
        assert!(may_frame(&[], &[]));
        assert!(!may_frame(&s(&["deny"]), &[]));
        assert!(!may_frame(&s(&["sameorigin"]), &s(&["default-src 'self'"])));
        assert!(!may_frame(&[], &s(&["frame-ancestors 'none'"])));
        assert!(!may_frame(
            &[],
            &s(&["default-src *; frame-ancestors 'self' https://a.example"])
        ));
        // The policy comes before the older header.
        assert!(may_frame(&s(&["deny"]), &s(&["frame-ancestors *"])));
    }

    #[test]
    fn the_bridge_comes_first() {
        let html = bridged(b"<!DOCTYPE html><html lang=en><HEAD><script>1</script>", 1);
        let text = String::from_utf8(html).unwrap();
        assert!(text.contains("<HEAD><script src=\"../bozzetto-bridge.js\"></script><script>1"));
        assert!(bridged(b"<p>bare", 0).starts_with(b"<script src=\"bozzetto-bridge.js\">"));
    }
}
