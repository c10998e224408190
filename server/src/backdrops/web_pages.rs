//! Web pages that somebody brings: one HTML file or a ZIP of files.
//!
//! They run in a sandboxed frame with an opaque origin and a policy of its own that
//! lets it load its own files and nothing else: not our pages, cookies, sockets, nor what others
//! have brought. Its files are served under a name that cannot be guessed, since a page without an
//! origin sends no cookies. A small script is put into its HTML: the bridge, which tells the stage
//! how far the page is scrolled.

use std::collections::BTreeMap;
use std::io::{Cursor, Read};

use axum::extract::{Path, State};
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::{IntoResponse, Response};
use bozzetto_core::backdrop::{BackdropKind, Page, Seen};
use rusqlite::{OptionalExtension, params};

use super::queries::New;
use crate::app::App;
use crate::error::{AppError, Result};
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
    Ok(backdrop(
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

/// A web page as a backdrop.
pub fn backdrop(name: String, page: Page) -> New {
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
    fn the_bridge_comes_first() {
        let html = bridged(b"<!DOCTYPE html><html lang=en><HEAD><script>1</script>", 1);
        let text = String::from_utf8(html).unwrap();
        assert!(text.contains("<HEAD><script src=\"../bozzetto-bridge.js\"></script><script>1"));
        assert!(bridged(b"<p>bare", 0).starts_with(b"<script src=\"bozzetto-bridge.js\">"));
    }
}
