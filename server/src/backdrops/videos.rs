//! Videos: kept as they are, and given out piece by piece.

use super::bring::About;

/// What kind of video a file is, by how it begins; `None` when it is none.
///
/// Matroska begins with an EBML head (RFC 8794), MP4 with a box of type `ftyp` (ISO 14496-12), Ogg
/// with `OggS` (RFC 3533).
pub fn mime_of(head: &[u8]) -> Option<&'static str> {
    let still = |brand: &[u8]| [&b"avif"[..], b"avis", b"heic", b"mif1"].contains(&brand);
    match head {
        [0x1A, 0x45, 0xDF, 0xA3, ..] => Some("video/webm"),
        [b'O', b'g', b'g', b'S', ..] => Some("video/ogg"),
        [_, _, _, _, b'f', b't', b'y', b'p', rest @ ..] if !still(rest.get(..4)?) => {
            Some("video/mp4")
        }
        _ => None,
    }
}

/// The longest video, in seconds.
const LONGEST: f64 = 6.0 * 3600.0;

/// What the browser says of a video that it has opened, if that can be.
pub fn checked(about: Option<About>) -> std::result::Result<About, String> {
    let about = about.ok_or_else(|| {
        "This video was brought in a way that leaves open how long it is. Add it on the stage or \
         the running order."
            .to_owned()
    })?;
    let side = |v: f64| (16.0..=8192.0).contains(&v);
    if !side(about.width) || !side(about.height) {
        return Err("This file has sound, but no picture that can be shown.".to_owned());
    }
    if !(0.05..=LONGEST).contains(&about.duration) {
        return Err("The video's length cannot be told, or is more than six hours.".to_owned());
    }
    Ok(about)
}
