//! What pages are made of: styles, scripts, fonts, icons and the WebAssembly module, all inside the
//! binary.
//!
//! Addresses carry a fingerprint of everything together, so that browsers may keep files for ever
//! and a page never mixes parts of two versions.

use std::collections::HashMap;
use std::io::Write;
use std::sync::{LazyLock, Mutex};

use axum::extract::Path;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use bytes::Bytes;
use rust_embed::RustEmbed;
use sha2::{Digest, Sha256};

#[derive(RustEmbed)]
#[folder = "../web/static"]
struct Files;

static BUILD: LazyLock<String> = LazyLock::new(|| {
    let mut names: Vec<_> = Files::iter().collect();
    names.sort();
    let mut all = Sha256::new();
    for name in names {
        all.update(name.as_bytes());
        if let Some(file) = Files::get(&name) {
            all.update(file.metadata.sha256_hash());
        }
    }
    crate::media::hex(&all.finalize()[..6])
});

/// Files as they go over the wire, packed once; the WebAssembly modules are when they are built.
static PACKED: LazyLock<Mutex<HashMap<String, Bytes>>> = LazyLock::new(Mutex::default);

/// The address of a file, for templates.
pub fn url(path: &str) -> String {
    format!("/static/{}/{path}", *BUILD)
}

/// Packs everything that stands between a presenter and the first stroke; slow, so it is done aside.
pub fn warm_up() {
    for name in Files::iter() {
        if packs(&name) {
            packed(&name);
        }
    }
}

pub async fn serve(Path((_, path)): Path<(String, String)>, headers: HeaderMap) -> Response {
    let Some(file) = Files::get(&path) else {
        return StatusCode::NOT_FOUND.into_response();
    };
    let mime = match path.rsplit('.').next() {
        Some("wasm") => "application/wasm".to_owned(),
        Some("js") => "text/javascript; charset=utf-8".to_owned(),
        _ => mime_guess::from_path(&path)
            .first_or_octet_stream()
            .to_string(),
    };
    let forever = "public, max-age=31536000, immutable";
    let common = [
        (header::CONTENT_TYPE, mime),
        (header::CACHE_CONTROL, forever.to_owned()),
        (header::VARY, "accept-encoding".to_owned()),
    ];
    let accepts = headers
        .get(header::ACCEPT_ENCODING)
        .and_then(|v| v.to_str().ok())
        .is_some_and(|v| v.split(',').any(|e| e.trim().starts_with("br")));
    if accepts && packs(&path) {
        let name = path.clone();
        if let Ok(Some(bytes)) = tokio::task::spawn_blocking(move || packed(&name)).await {
            return (common, [(header::CONTENT_ENCODING, "br")], bytes).into_response();
        }
    }
    (common, Bytes::from(file.data.into_owned())).into_response()
}

/// Whether a file becomes so much smaller that packing it is worth its time. The fonts for typing are
/// megabytes that only who types their letters fetches, once: that would wait for the packing.
fn packs(path: &str) -> bool {
    let as_they_are = [".br", ".woff2", ".png", ".webp", ".jpg", ".ttf"];
    !as_they_are.iter().any(|e| path.ends_with(e))
}

fn packed(path: &str) -> Option<Bytes> {
    if let Some(bytes) = PACKED.lock().expect("packing does not panic").get(path) {
        return Some(bytes.clone());
    }
    if let Some(ready) = Files::get(&format!("{path}.br")) {
        return Some(Bytes::from(ready.data.into_owned()));
    }
    let file = Files::get(path)?;
    let mut out = brotli::CompressorWriter::new(Vec::new(), 1 << 16, 9, 22);
    out.write_all(&file.data).ok()?;
    let bytes = Bytes::from(out.into_inner());
    let mut all = PACKED.lock().expect("packing does not panic");
    all.insert(path.to_owned(), bytes.clone());
    Some(bytes)
}
