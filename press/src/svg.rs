//! Vector pictures: read, and written anew.
//!
//! What is served is never what was brought. The file is parsed into shapes and written again from
//! these, which leaves out scripts, animation, links and everything that would be fetched from
//! elsewhere, and turns text into outlines from our own fonts: so a browser and the server show
//! the same picture.

use std::sync::{Arc, LazyLock};

use resvg::tiny_skia::{Pixmap, Transform};
use resvg::usvg::{self, fontdb};

use crate::picture::{MAX_SIDE, PictureFault};

static FONTS: LazyLock<Arc<fontdb::Database>> = LazyLock::new(|| {
    let mut db = fontdb::Database::new();
    for font in [
        &include_bytes!("../fonts/AtkinsonHyperlegibleNext-Regular.ttf")[..],
        &include_bytes!("../fonts/AtkinsonHyperlegibleNext-Bold.ttf")[..],
        &include_bytes!("../fonts/AtkinsonHyperlegibleNext-Italic.ttf")[..],
    ] {
        db.load_font_data(font.to_vec());
    }
    const FAMILY: &str = "Atkinson Hyperlegible Next";
    db.set_sans_serif_family(FAMILY);
    db.set_serif_family(FAMILY);
    db.set_monospace_family(FAMILY);
    db.set_cursive_family(FAMILY);
    db.set_fantasy_family(FAMILY);
    Arc::new(db)
});

/// Whether a file says that it is SVG.
pub fn looks_like(bytes: &[u8]) -> bool {
    let head = &bytes[..bytes.len().min(4096)];
    let text = String::from_utf8_lossy(head);
    let text = text.trim_start_matches('\u{feff}').trim_start();
    text.starts_with('<') && text.contains("<svg")
}

/// The shapes of an SVG file.
pub fn tree(bytes: &[u8]) -> Result<usvg::Tree, PictureFault> {
    let options = usvg::Options {
        font_family: "Atkinson Hyperlegible Next".to_owned(),
        fontdb: FONTS.clone(),
        image_href_resolver: usvg::ImageHrefResolver {
            resolve_data: usvg::ImageHrefResolver::default_data_resolver(),
            // Nothing outside the file is read, neither from disk nor from elsewhere.
            resolve_string: Box::new(|_, _| None),
        },
        ..Default::default()
    };
    usvg::Tree::from_data(bytes, &options).map_err(|e| PictureFault::Svg(e.to_string()))
}

/// How wide a vector picture is drawn to find out whether it can be, in pixels.
const TRIED: f32 = 1600.0;

/// The file written anew, with its width and height in CSS pixels. It has been drawn once by then:
/// whoever calls this sets a limit of time and memory, and a picture that does not keep within it
/// never reaches anybody's screen.
pub fn rewrite(bytes: &[u8]) -> Result<(Vec<u8>, u32, u32), PictureFault> {
    let tree = tree(bytes)?;
    let (width, height) = (tree.size().width(), tree.size().height());
    if width > MAX_SIDE as f32 || height > MAX_SIDE as f32 {
        let (width, height) = (width as u32, height as u32);
        return Err(PictureFault::TooManyPixels { width, height });
    }
    let by = TRIED / width.max(height);
    let size = tree.size().to_int_size().scale_by(by);
    if let Some(mut tried) = size.and_then(|s| Pixmap::new(s.width(), s.height())) {
        let at = Transform::from_scale(by, by);
        resvg::render(&tree, at, &mut tried.as_mut());
    }
    let text = tree.to_string(&usvg::WriteOptions {
        preserve_text: false,
        indent: usvg::Indent::None,
        attributes_indent: usvg::Indent::None,
        ..Default::default()
    });
    let whole = |v: f32| (v.round() as u32).max(1);
    Ok((text.into_bytes(), whole(width), whole(height)))
}
