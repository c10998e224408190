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

/// How well files are packed (of 11). While this is worked on and tried, servers start by the hundred and nobody's line is lean.
const PACKING: u32 = if cfg!(debug_assertions) { 1 } else { 9 };

/// Files as they go over the wire, packed once; the WebAssembly modules are when they are built.
static PACKED: LazyLock<Mutex<HashMap<String, Bytes>>> = LazyLock::new(Mutex::default);

/// What is in a file.
pub fn contents(path: &str) -> Option<Vec<u8>> {
    Files::get(path).map(|file| file.data.into_owned())
}

/// The address of a file, for templates.
pub fn url(path: &str) -> String {
    format!("/static/{}/{path}", *BUILD)
}

/// The addresses of all modules that a page's script is made of, for templates: a browser that is told of
/// them at once need not find one import after the other. What is fetched only when it is wanted is not
/// among them.
pub fn modules(script: &str) -> &'static [String] {
    type Known = HashMap<String, &'static [String]>;
    static KNOWN: LazyLock<Mutex<Known>> = LazyLock::new(Mutex::default);
    let mut known = KNOWN.lock().expect("reading imports does not panic");
    known.entry(script.to_owned()).or_insert_with(|| {
        let mut found = vec![script.to_owned()];
        let mut at = 0;
        while let Some(module) = found.get(at).cloned() {
            for import in imports(&module) {
                if !found.contains(&import) {
                    found.push(import);
                }
            }
            at += 1;
        }
        let addresses: Vec<String> = found.iter().map(|path| url(path)).collect();
        addresses.leak()
    })
}

/// What a module imports when it is loaded, as files.
fn imports(module: &str) -> Vec<String> {
    let Some(file) = Files::get(module) else {
        return Vec::new();
    };
    let text = String::from_utf8_lossy(&file.data);
    let lines = text.lines().filter_map(|line| {
        let import = line.starts_with("import ") || line.starts_with("} from ");
        let (_, path) = line.strip_suffix("\";")?.rsplit_once('"')?;
        import.then(|| beside(module, path))
    });
    lines.collect()
}

/// The file that a relative address means in another.
fn beside(file: &str, address: &str) -> String {
    let mut parts: Vec<&str> = file.split('/').collect();
    parts.pop();
    for part in address.split('/') {
        match part {
            "." => {}
            ".." => drop(parts.pop()),
            name => parts.push(name),
        }
    }
    parts.join("/")
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
    let mut out = brotli::CompressorWriter::new(Vec::new(), 1 << 16, PACKING, 22);
    out.write_all(&file.data).ok()?;
    let bytes = Bytes::from(out.into_inner());
    let mut all = PACKED.lock().expect("packing does not panic");
    all.insert(path.to_owned(), bytes.clone());
    Some(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every module that a page is told of is there, the glass among them, and nothing that is fetched
    /// only when it is wanted.
    #[test]
    fn a_page_is_told_of_its_modules() {
        for script in ["js/stage.js", "js/follow.js", "js/pages.js"] {
            let told = modules(script);
            for address in told {
                let path = address.split('/').skip(3).collect::<Vec<_>>().join("/");
                assert!(Files::get(&path).is_some(), "{path}");
            }
            let later = [
                "bringing.js",
                "bench_camera.js",
                "glass/text.js",
                "glass/cut.js",
            ];
            assert!(later.iter().all(|l| !told.iter().any(|t| t.ends_with(l))));
        }
        let stage = modules("js/stage.js");
        for part in [
            "glass/glass.js",
            "js/picture/printer.js",
            "js/panels/panels.js",
        ] {
            assert!(stage.contains(&url(part)), "{part}");
        }
    }
}
