//! Web pages that somebody brings: one HTML file or a ZIP of files.
//!
//! They run in a sandboxed frame with an opaque origin and a policy of its own that
//! lets it load its own files and nothing else: not our pages, cookies, sockets, nor what others
//! have brought. A page without an origin sends no cookies, so its files are served to whoever has a
//! key: it is signed, ends after some hours, and opens nothing once the backdrop is removed. Only a
//! presenter's frame is given one. A small script is put into its HTML: the bridge, which tells the
//! stage how far the page is scrolled.

use std::fs::File;
use std::io::{BufReader, Read};
use std::path::Path as FilePath;

use axum::body::Body;
use axum::extract::{Path, Request, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{IntoResponse, Redirect, Response};
use bozzetto_core::stage::backdrop::{BackdropKind, Page, ViewState};
use mime_guess::mime::{self, Mime};
use rusqlite::{Connection, OptionalExtension, params};
use tower::ServiceExt;
use tower_http::services::ServeFile;

use super::queries::{self, New};
use crate::app::App;
use crate::auth::signing;
use crate::error::{AppError, Result};
use crate::media::{Incoming, Media, Written, hex};

/// The most that a ZIP may unpack to, in bytes, the most of one page in it, and the most files.
const MOST_BYTES: u64 = 200 * 1024 * 1024;
const MOST_HTML: u64 = 16 * 1024 * 1024;
const MOST_FILES: usize = 2000;

/// How long a key opens a page's files, in milliseconds: a day at school.
const OPENS: i64 = 12 * 3600 * 1000;

/// Where the bridge is found among a page's own files.
const BRIDGE: &str = "bozzetto-bridge.js";
const BRIDGE_SCRIPT: &str = include_str!("../../../web/static/js/bridge.js");

/// A page that has been read through: its files, where each is in the ZIP, and the one that it begins
/// with.
#[derive(Debug)]
struct Brought {
    files: Vec<(String, Option<usize>)>,
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

/// Reads a page, or says why it cannot be shown. Nothing is unpacked into memory: what comes out is
/// counted, and written by a second reading.
fn read(path: &FilePath, head: &[u8]) -> std::result::Result<Brought, String> {
    if is_html(head) {
        if std::fs::metadata(path).is_ok_and(|m| m.len() > MOST_HTML) {
            return Err("The page is larger than 16 MB.".to_owned());
        }
        let entry = "index.html".to_owned();
        let files = vec![(entry.clone(), None)];
        return Ok(Brought { files, entry });
    }
    let files = listed(path)?;
    let pages = files.iter().map(|(path, _)| path).filter(|p| is_page(p));
    // The nearest to the top; among those, what a server would show first.
    let entry = pages
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

fn damaged<E>(_: E) -> String {
    "The ZIP is damaged: it could not be read to its end.".to_owned()
}

type Zip = zip::ZipArchive<BufReader<File>>;

fn opened(path: &FilePath) -> std::result::Result<Zip, String> {
    let file = File::open(path).map_err(damaged)?;
    zip::ZipArchive::new(BufReader::new(file)).map_err(damaged)
}

/// The files of a ZIP, each read to its end.
fn listed(path: &FilePath) -> std::result::Result<Vec<(String, Option<usize>)>, String> {
    let mut archive = opened(path)?;
    if archive.len() > MOST_FILES {
        return Err(format!(
            "The ZIP has {} files in it; up to {MOST_FILES} work.",
            archive.len()
        ));
    }
    let mut files = Vec::new();
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
        let read = std::io::copy(&mut file.take(left + 1), &mut std::io::sink());
        let read = read.map_err(damaged)?;
        left = left.checked_sub(read).ok_or_else(|| {
            "The ZIP unpacks to more than 200 MB. Make it smaller and try again.".to_owned()
        })?;
        if is_page(&path) && read > MOST_HTML {
            return Err(format!("{path} is larger than 16 MB."));
        }
        files.retain(|(known, _)| *known != path);
        files.push((path, Some(i)));
    }
    Ok(files)
}

/// Reads and keeps a page; gives what is to be added, or why it cannot be shown.
pub async fn bring(
    app: &App,
    name: String,
    incoming: Incoming,
) -> Result<std::result::Result<New, String>> {
    let _turn = app.unpacking.acquire().await;
    let media = app.media.clone();
    type Done = std::io::Result<std::result::Result<(Brought, Vec<Kept>), String>>;
    let done = tokio::task::spawn_blocking(move || -> Done {
        let brought = match read(incoming.path(), incoming.head()) {
            Ok(brought) => brought,
            Err(why) => return Ok(Err(why)),
        };
        match write(&media, incoming.path(), &brought) {
            Ok(Ok(written)) => Ok(Ok((brought, written))),
            Ok(Err(why)) => Ok(Err(why)),
            Err(e) => Err(e),
        }
    });
    let done = done
        .await
        .map_err(|e| AppError::Internal(e.to_string()))??;
    let (Brought { files, entry }, written) = match done {
        Ok(done) => done,
        Err(why) => return Ok(Err(why)),
    };
    let mut others: Vec<String> = files.into_iter().map(|(path, _)| path).collect();
    others.retain(|path| is_page(path) && *path != entry);
    others.sort();
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
    let page = Page::Kept {
        name: key,
        entry,
        others,
    };
    Ok(Ok(backdrop(name, page)))
}

/// A file of a page: its path, its kind, and where it is kept.
type Kept = (String, String, Written);

fn write(
    media: &Media,
    path: &FilePath,
    brought: &Brought,
) -> std::io::Result<std::result::Result<Vec<Kept>, String>> {
    let mut archive: Option<Zip> = None;
    let mut all = Vec::new();
    for (name, place) in &brought.files {
        let mut incoming = media.receive()?;
        let mut copy = |from: &mut dyn Read| -> std::io::Result<()> {
            let mut piece = vec![0; 64 * 1024];
            loop {
                match from.read(&mut piece)? {
                    0 => return Ok(()),
                    n => incoming.push(&piece[..n])?,
                }
            }
        };
        match place {
            None => copy(&mut File::open(path)?)?,
            Some(i) => {
                if archive.is_none() {
                    match opened(path) {
                        Ok(opened) => archive = Some(opened),
                        Err(why) => return Ok(Err(why)),
                    }
                }
                let file = archive.as_mut().map(|a| a.by_index(*i));
                let Some(Ok(mut file)) = file else {
                    return Ok(Err(damaged(())));
                };
                copy(&mut file)?;
            }
        }
        let kind = mime_guess::from_path(name).first_or_octet_stream();
        let kind = match kind.type_() {
            mime::TEXT => format!("{}; charset=utf-8", kind.essence_str()),
            _ => kind.essence_str().to_owned(),
        };
        let file = incoming.keep("application/octet-stream")?;
        all.push((name.clone(), kind, file));
    }
    Ok(Ok(all))
}

/// A web page as a backdrop.
pub fn backdrop(name: String, page: Page) -> New {
    New {
        name,
        kind: BackdropKind::Page(page),
        file: None,
        poster: None,
        width: 1280.0,
        height: 720.0,
        seen: ViewState::default(),
    }
}

/// Sends a presenter's frame to a page's files, with a key for them.
pub async fn frame(
    State(app): State<App>,
    Path((_, backdrop, path)): Path<(i64, i64, String)>,
) -> Result<Redirect> {
    let key = key(&app, backdrop, crate::now() + OPENS);
    let path: Vec<String> = path.split('/').map(coded).collect();
    Ok(Redirect::to(&format!("/pages/{key}/{}", path.join("/"))))
}

/// A part of a path as an address has it. Source: RFC 3986, section 2.3.
fn coded(part: &str) -> String {
    let plain = |b: u8| b.is_ascii_alphanumeric() || b"-._~".contains(&b);
    part.bytes()
        .map(|b| match plain(b) {
            true => char::from(b).to_string(),
            false => format!("%{b:02X}"),
        })
        .collect()
}

/// What opens the files of a backdrop's page until a moment, in milliseconds since 1970.
pub fn key(app: &App, backdrop: i64, until: i64) -> String {
    let said = format!("{backdrop:x}-{until:x}");
    let mark = signing::mark(&app.secret, "page", &said);
    format!("{said}-{mark}")
}

/// The backdrop that a key opens, if it is one of ours and its time is not over.
fn opened_by(app: &App, key: &str) -> Option<i64> {
    let (said, mark) = key.rsplit_once('-')?;
    let (backdrop, until) = said.split_once('-')?;
    if !signing::is_ours(&app.secret, "page", said, mark) {
        return None;
    }
    let until = i64::from_str_radix(until, 16).ok()?;
    let backdrop = i64::from_str_radix(backdrop, 16).ok()?;
    (until > crate::now()).then_some(backdrop)
}

/// A page's file, as long as its backdrop and its lesson are there.
fn file_of(
    conn: &Connection,
    backdrop: i64,
    path: &str,
) -> crate::store::Result<Option<(String, String)>> {
    let there = conn
        .prepare_cached(
            "SELECT 1 FROM backdrop b LEFT JOIN lesson l ON l.id = b.lesson
             WHERE b.id = ?1 AND b.deleted_at IS NULL AND l.deleted_at IS NULL",
        )?
        .exists([backdrop])?;
    let view = queries::one(conn, backdrop)?.filter(|_| there);
    let Some(BackdropKind::Page(Page::Kept { name, .. })) = view.map(|v| v.kind) else {
        return Ok(None);
    };
    Ok(conn
        .prepare_cached("SELECT media, mime FROM web_page_file WHERE page = ?1 AND path = ?2")?
        .query_row([name.as_str(), path], |row| Ok((row.get(0)?, row.get(1)?)))
        .optional()?)
}

/// A file of a page, for whoever has a key to it.
pub async fn serve(
    State(app): State<App>,
    Path((key, path)): Path<(String, String)>,
    headers: HeaderMap,
) -> Result<Response> {
    let backdrop = opened_by(&app, &key).ok_or(AppError::NotFound)?;
    let policy = policy(&app, &key, &headers)?;
    if path == BRIDGE {
        let mut answer = BRIDGE_SCRIPT.into_response();
        dress(&mut answer, "text/javascript; charset=utf-8", policy);
        return Ok(answer);
    }
    let wanted = path.clone();
    let found = app
        .store
        .read(move |conn| file_of(conn, backdrop, &wanted))
        .await?;
    let (sha, mime) = found.ok_or(AppError::NotFound)?;
    let mut answer = if is_page(&path) {
        let media = app.media.clone();
        let bytes = tokio::task::spawn_blocking(move || media.read(&sha));
        let bytes = bytes
            .await
            .map_err(|e| AppError::Internal(e.to_string()))??;
        bridged(&bytes, path.matches('/').count()).into_response()
    } else {
        let kind: Mime = mime.parse().unwrap_or(mime::APPLICATION_OCTET_STREAM);
        let mut request = Request::new(Body::empty());
        let range = headers.get(header::RANGE).cloned();
        request
            .headers_mut()
            .extend(range.map(|range| (header::RANGE, range)));
        let file = ServeFile::new_with_mime(app.media.path_of(&sha), &kind);
        file.oneshot(request).await.into_response().into_response()
    };
    dress(&mut answer, &mime, policy);
    Ok(answer)
}

/// Puts the bridge at the beginning of a page, `depth` folders down.
fn bridged(html: &[u8], depth: usize) -> Vec<u8> {
    let script = format!(r#"<script src="{}{BRIDGE}"></script>"#, "../".repeat(depth));
    let lower = html[..html.len().min(8192)].to_ascii_lowercase();
    let tag = |name: &[u8]| {
        // The name ends there: `<header>` is no head.
        let begins = lower.windows(name.len() + 1).position(|w| {
            w.starts_with(name) && !w[name.len()].is_ascii_alphanumeric() && w[name.len()] != b'-'
        })?;
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
fn policy(app: &App, key: &str, headers: &HeaderMap) -> Result<HeaderValue> {
    let host = headers.get(header::HOST).and_then(|v| v.to_str().ok());
    let plain = |c: char| c.is_ascii_alphanumeric() || ".-:[]".contains(c);
    let host = host.filter(|h| h.chars().all(plain));
    let scheme = if app.tls { "https" } else { "http" };
    let own = format!(
        "{scheme}://{}/pages/{key}/",
        host.ok_or(AppError::NotFound)?
    );
    let policy = format!(
        "sandbox allow-scripts allow-forms allow-pointer-lock; default-src 'none'; \
         script-src {own} 'unsafe-inline' 'unsafe-eval' blob:; style-src {own} 'unsafe-inline'; \
         img-src {own} data: blob:; font-src {own} data:; media-src {own} data: blob:; \
         connect-src {own} data: blob:; worker-src {own} blob:; frame-src {own}; \
         form-action 'none'; base-uri {own}; webrtc 'block'; frame-ancestors 'self'"
    );
    HeaderValue::from_str(&policy).map_err(|e| AppError::Internal(e.to_string()))
}

fn dress(answer: &mut Response, mime: &str, policy: HeaderValue) {
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
        (header::CACHE_CONTROL, fixed("private, no-cache")),
    ];
    for (name, value) in headers {
        answer.headers_mut().insert(name, value);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{Cursor, Write};

    fn read_bytes(zip: &[u8]) -> std::result::Result<Brought, String> {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        file.write_all(zip).unwrap();
        read(file.path(), &zip[..zip.len().min(4096)])
    }

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
        let read = read_bytes(&zip).unwrap();
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
            let why = read_bytes(&zipped(&[("index.html", page), (name, page)]))
                .err()
                .unwrap();
            assert!(why.contains("outside"), "{name}: {why}");
        }
        // 210 MB of nothing pack into a few hundred KB.
        let zeros = vec![0; 210 * 1024 * 1024];
        let bomb = zipped(&[("index.html", page), ("zeros.bin", &zeros)]);
        assert!(bomb.len() < 1024 * 1024);
        assert!(read_bytes(&bomb).err().unwrap().contains("200 MB"));
        assert!(
            read_bytes(&zipped(&[("notes.txt", b"no page")]))
                .err()
                .unwrap()
                .contains(".html")
        );
    }

    #[test]
    fn the_bridge_comes_first() {
        let html = bridged(b"<!DOCTYPE html><html lang=en><HEAD><script>1</script>", 1);
        let text = String::from_utf8(html).unwrap();
        assert!(text.contains("<HEAD><script src=\"../bozzetto-bridge.js\"></script><script>1"));
        // A page without a head, that begins with a heading.
        let html = bridged(b"<html><body><header>Tides</header>", 0);
        assert!(html.starts_with(b"<html><script"));
        assert!(bridged(b"<p>bare", 0).starts_with(b"<script src=\"bozzetto-bridge.js\">"));
    }
}
