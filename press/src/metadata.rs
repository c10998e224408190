//! What a picture's file says beside its pixels: where and when it was taken, with what, and by
//! whom. None of it is kept, since pictures are handed on to a room full of people.
//!
//! Nothing is decoded anew: the parts of the file that hold such things are left out and all others
//! stay as they are, byte by byte. What is needed to show the picture stays: colour profiles, and
//! which way up it is. Of a PNG file that moves only the picture that stands still stays.

use img_parts::jpeg::{Jpeg, markers};
use img_parts::png::Png;
use img_parts::webp::WebP;
use img_parts::{Bytes, ImageEXIF};

/// Which way up a picture is, as Exif numbers it: 1 is upright. Source: CIPA DC-008 (Exif 2.32), tag
/// `Orientation`.
pub type Orientation = u8;

/// The chunks of a PNG file that say how its pixels are shown. Source: W3C PNG, third edition.
const PNG_SHOWN: [&[u8; 4]; 15] = [
    b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"cHRM", b"gAMA", b"iCCP", b"sBIT", b"sRGB",
    b"cICP", b"mDCV", b"cLLI", b"bKGD", b"pHYs",
];

/// Those of a WebP file. Source: RFC 9649, section 2.7.
const WEBP_SHOWN: [&[u8; 4]; 7] = [
    b"VP8 ", b"VP8L", b"VP8X", b"ALPH", b"ANIM", b"ANMF", b"ICCP",
];

/// The file without what it says beside its pixels; `None` when it is of no known kind or its parts
/// cannot be told apart.
pub fn stripped(bytes: &[u8], mime: &str, orientation: Orientation) -> Option<Vec<u8>> {
    let bytes = Bytes::copy_from_slice(bytes);
    let upright = (orientation > 1).then(|| exif(orientation));
    Some(match mime {
        "image/jpeg" => {
            let mut jpeg = Jpeg::from_bytes(bytes).ok()?;
            jpeg.segments_mut().retain(|s| match s.marker() {
                // Colour profiles; other things may be in APP2 as well, such as further pictures.
                markers::APP2 => s.contents().starts_with(b"ICC_PROFILE\0"),
                // JFIF, and how Adobe's programs say what the colours mean.
                markers::APP0 | markers::APP14 => true,
                markers::APP1..=markers::APP15 | markers::COM => false,
                _ => true,
            });
            jpeg.set_exif(upright);
            let mut bytes = jpeg.encoder().bytes().to_vec();
            // Behind the end there may be whole pictures more, with all that they say.
            let end = end_of_jpeg(&bytes).unwrap_or(bytes.len());
            bytes.truncate(end);
            bytes
        }
        "image/png" => {
            let mut png = Png::from_bytes(bytes).ok()?;
            let shown = |kind: [u8; 4]| PNG_SHOWN.iter().any(|k| **k == kind);
            png.chunks_mut().retain(|c| shown(c.kind()));
            png.set_exif(upright);
            png.encoder().bytes().to_vec()
        }
        "image/webp" => {
            let mut webp = WebP::from_bytes(bytes).ok()?;
            webp.set_exif(None);
            let shown = |id: [u8; 4]| WEBP_SHOWN.iter().any(|k| **k == id);
            webp.chunks_mut().retain(|c| shown(c.id()));
            // The bit that says there is XMP. Source: RFC 9649, figure 7.
            for chunk in webp.chunks_mut() {
                if chunk.id() == *b"VP8X"
                    && let Some(data) = chunk.content().data()
                {
                    let mut data = data.to_vec();
                    data[0] &= !0b0000_0100;
                    *chunk = img_parts::riff::RiffChunk::new(
                        *b"VP8X",
                        img_parts::riff::RiffContent::Data(data.into()),
                    );
                }
            }
            webp.set_exif(upright);
            webp.encoder().bytes().to_vec()
        }
        _ => return None,
    })
}

/// Whether a JPEG file holds four colours, as printers mix them, instead of a screen's three. Source:
/// ITU-T T.81, B.2.2: the head of a frame (SOF), whose sixth byte is the number of its components.
pub fn is_for_printers(bytes: &[u8]) -> bool {
    let jpeg = Jpeg::from_bytes(Bytes::copy_from_slice(bytes));
    let frame = |marker: u8| {
        (markers::SOF0..=markers::SOF15).contains(&marker)
            && ![markers::DHT, markers::JPG, markers::DAC].contains(&marker)
    };
    jpeg.is_ok_and(|jpeg| {
        let mut heads = jpeg.segments().iter().filter(|s| frame(s.marker()));
        heads.any(|s| s.contents().get(5) == Some(&4))
    })
}

/// Where a JPEG file ends: behind the marker EOI. Source: ITU-T T.81, annex B; in the data of a scan a
/// byte FF is followed by 00, or by a restart marker (D0 to D7).
fn end_of_jpeg(bytes: &[u8]) -> Option<usize> {
    let mut at = 2;
    loop {
        let (first, marker) = (*bytes.get(at)?, *bytes.get(at + 1)?);
        match (first, marker) {
            (0xFF, 0xD9) => return Some(at + 2),
            // Data of a scan, fill bytes, and markers without a length.
            (0xFF, 0x00 | 0x01 | 0xD0..=0xD8) => at += 2,
            (0xFF, 0xFF) => at += 1,
            (0xFF, _) => {
                let length = [*bytes.get(at + 2)?, *bytes.get(at + 3)?];
                at += 2 + usize::from(u16::from_be_bytes(length));
            }
            _ => at += 1,
        }
    }
}

/// Exif data that say nothing but which way up a picture is: a TIFF header and a directory with one
/// entry.
fn exif(orientation: Orientation) -> Bytes {
    let mut tiff = b"II*\0\x08\0\0\0\x01\0".to_vec();
    // Tag 0x0112, a SHORT, one of it.
    tiff.extend(b"\x12\x01\x03\0\x01\0\0\0");
    tiff.extend([orientation, 0, 0, 0]);
    // There is no further directory.
    tiff.extend([0; 4]);
    tiff.into()
}
