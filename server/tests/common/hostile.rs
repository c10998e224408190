//! Files that a stranger might send: small, well-formed, and made to take all there is.
#![allow(dead_code, reason = "each test file uses a part of it")]

use std::fmt::Write as _;
use std::io::Write as _;

use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;

/// All of them, by what they are called.
pub fn files() -> Vec<(&'static str, Vec<u8>)> {
    vec![
        ("turbulence.svg", turbulence()),
        ("within.svg", picture_within(12_000)),
        ("nested.svg", nested_uses()),
        ("deep.svg", deep_groups()),
        ("wide.png", wide_png(8_900)),
        ("fractal.pdf", fractal_pdf()),
        ("huge-image.pdf", huge_image_pdf()),
        (
            "broken.pdf",
            b"%PDF-1.7\n1 0 obj<</Type/Catalog/Pages 1 0 R>>endobj trailer<</Root 1 0 R>>".to_vec(),
        ),
        ("swelling.zip", swelling_zip()),
    ]
}

/// Noise of a hundred thousand octaves.
fn turbulence() -> Vec<u8> {
    br##"<svg xmlns="http://www.w3.org/2000/svg" width="1600" height="900"><filter id="f" x="0" y="0" width="1" height="1">
        <feTurbulence baseFrequency=".05" numOctaves="100000"/></filter><rect width="1600" height="900" filter="url(#f)"/></svg>"##
        .to_vec()
}

/// A vector picture with a black PNG file of so many pixels square in it.
fn picture_within(side: u32) -> Vec<u8> {
    let png = BASE64.encode(wide_png(side));
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="90" height="90"><image width="90" height="90" href="data:image/png;base64,{png}"/></svg>"#
    )
    .into_bytes()
}

/// Ten uses of ten uses of ten uses.
fn nested_uses() -> Vec<u8> {
    let mut svg = r#"<svg xmlns="http://www.w3.org/2000/svg" width="100" height="100"><defs><g id="l0"><path d="M0 0L50 50"/></g>"#.to_owned();
    for level in 1..9 {
        let _ = write!(svg, r#"<g id="l{level}">"#);
        for _ in 0..10 {
            let _ = write!(svg, r##"<use href="#l{}"/>"##, level - 1);
        }
        svg += "</g>";
    }
    (svg + r##"</defs><use href="#l8"/></svg>"##).into_bytes()
}

/// Groups in groups, each of which is drawn by itself.
fn deep_groups() -> Vec<u8> {
    let depth = 4000;
    let open = r#"<g opacity=".99" transform="rotate(1)">"#.repeat(depth);
    let close = "</g>".repeat(depth);
    format!(r#"<svg xmlns="http://www.w3.org/2000/svg" width="900" height="900">{open}<circle r="300"/>{close}</svg>"#).into_bytes()
}

/// A black picture, one bit to a pixel.
pub fn wide_png(side: u32) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, side, side);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.set_depth(png::BitDepth::One);
    let row = vec![0; side.div_ceil(8) as usize];
    let mut writer = encoder.write_header().unwrap();
    let mut stream = writer.stream_writer().unwrap();
    for _ in 0..side {
        stream.write_all(&row).unwrap();
    }
    stream.finish().unwrap();
    drop(writer);
    out
}

/// A PDF file of these objects, the first of which is its root.
fn pdf(objects: &[Vec<u8>]) -> Vec<u8> {
    let mut out = b"%PDF-1.7\n".to_vec();
    let mut at = Vec::new();
    for (i, object) in objects.iter().enumerate() {
        at.push(out.len());
        out.extend(format!("{} 0 obj\n", i + 1).bytes());
        out.extend(object);
        out.extend(b"\nendobj\n");
    }
    let table = out.len();
    out.extend(format!("xref\n0 {}\n0000000000 65535 f \n", at.len() + 1).bytes());
    for offset in at {
        out.extend(format!("{offset:010} 00000 n \n").bytes());
    }
    let size = objects.len() + 1;
    out.extend(format!("trailer<</Size {size}/Root 1 0 R>>\nstartxref\n{table}\n%%EOF").bytes());
    out
}

fn stream(head: &str, body: &[u8]) -> Vec<u8> {
    let mut out = format!("<<{head}/Length {}>>\nstream\n", body.len()).into_bytes();
    out.extend(body);
    out.extend(b"\nendstream");
    out
}

fn page(resources: &str) -> [Vec<u8>; 3] {
    [
        b"<</Type/Catalog/Pages 2 0 R>>".to_vec(),
        b"<</Type/Pages/Kids[3 0 R]/Count 1>>".to_vec(),
        format!("<</Type/Page/Parent 2 0 R/MediaBox[0 0 600 800]/Contents 4 0 R/Resources<<{resources}>>>>")
            .into_bytes(),
    ]
}

/// A page whose forms draw ten of the next, nine deep.
fn fractal_pdf() -> Vec<u8> {
    let mut objects = page("/XObject<</F 5 0 R>>").to_vec();
    objects.push(stream("", b"/F Do"));
    for level in 0..9 {
        let next = 6 + level;
        let head = format!(
            "/Type/XObject/Subtype/Form/BBox[0 0 600 800]/Resources<</XObject<</F {next} 0 R>>>>"
        );
        objects.push(stream(&head, "/F Do ".repeat(10).as_bytes()));
    }
    let last = "/Type/XObject/Subtype/Form/BBox[0 0 600 800]";
    objects.push(stream(last, b"0 0 600 800 re f"));
    pdf(&objects)
}

/// A page with a picture of 16 000 by 16 000 pixels, packed twice.
fn huge_image_pdf() -> Vec<u8> {
    let pack = |bytes: &[u8]| {
        let level = flate2::Compression::best();
        let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), level);
        packer.write_all(bytes).unwrap();
        packer.finish().unwrap()
    };
    let level = flate2::Compression::fast();
    let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), level);
    let rows = vec![0; 16_000 * 3 * 10];
    for _ in 0..1600 {
        packer.write_all(&rows).unwrap();
    }
    let pixels = pack(&packer.finish().unwrap());
    let mut objects = page("/XObject<</I 5 0 R>>").to_vec();
    objects.push(stream("", b"600 0 0 800 0 0 cm /I Do"));
    objects.push(stream(
        "/Type/XObject/Subtype/Image/Width 16000/Height 16000/ColorSpace/DeviceRGB/BitsPerComponent 8/Filter[/FlateDecode/FlateDecode]",
        &pixels,
    ));
    pdf(&objects)
}

/// 190 MB of nothing beside a page, in a few hundred kilobytes.
fn swelling_zip() -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let plain = zip::write::SimpleFileOptions::default();
    zip.start_file("index.html", plain).unwrap();
    zip.write_all(b"<!doctype html><p>Tides").unwrap();
    zip.start_file("zeros.bin", plain).unwrap();
    let zeros = vec![0; 1 << 20];
    for _ in 0..190 {
        zip.write_all(&zeros).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// Files of marks.
pub fn ink() -> Vec<(&'static str, Vec<u8>)> {
    let contexts = (0..9000).fold(String::new(), |mut s, i| {
        let _ = write!(s, "<context xml:id=\"c{i}\">");
        s
    });
    let nested = format!(
        "<ink>{contexts}<trace>1 2, 3 4</trace>{}</ink>",
        "</context>".repeat(9000)
    );
    let channels = "<channel name=\"X\"/><channel name=\"Y\"/>".repeat(5000);
    let points = "1 2,".repeat(60_000);
    let wide =
        format!("<ink><traceFormat>{channels}</traceFormat><trace>{points}1 2</trace></ink>");
    let zigzag = (0..120_000).fold(String::new(), |mut s, i| {
        let _ = write!(s, "{} {},", i % 7 * 90, i % 11 * 90);
        s
    });
    let thick = "<brush><brushProperty name=\"width\" value=\"1000\" units=\"px\"/></brush>";
    let thick = format!(
        "<ink><traceFormat><channel name=\"X\" units=\"px\"/><channel name=\"Y\" units=\"px\"/></traceFormat>{thick}<trace>{zigzag}0 0</trace></ink>"
    );
    let groups = "<traceGroup contextRef=\"#x\">".repeat(9000);
    let traces = "<trace>1 2</trace>".repeat(20_000);
    let deep = format!(
        "<ink>{groups}{traces}{}</ink>",
        "</traceGroup>".repeat(9000)
    );
    vec![
        ("nested.inkml", nested.into_bytes()),
        ("wide.inkml", wide.into_bytes()),
        ("thick.inkml", thick.into_bytes()),
        ("deep.inkml", deep.into_bytes()),
    ]
}
