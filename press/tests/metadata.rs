//! What pictures say beside what they show, held against Pillow, which wrote it.

use std::path::Path;
use std::process::Command;

use bozzetto_press::picture;

fn python(folder: &Path, script: &str) -> String {
    let script = format!(
        "import sys, os\nfrom PIL import Image, PngImagePlugin, ImageOps\nos.chdir(sys.argv[1])\n{script}"
    );
    let out = Command::new("/usr/bin/python3")
        .args(["-c", &script, &folder.to_string_lossy()])
        .output()
        .expect("Python");
    let said = String::from_utf8_lossy(&out.stdout).into_owned();
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    said
}

/// Pictures with all that a camera and an editor write: where and when, with what, by whom, a
/// comment, text behind the end. Afterwards none of it is there, the pixels are the same to the
/// last, and so are the colour profile and which way up it is.
#[test]
fn pictures_say_nothing_but_what_they_show() {
    let folder = tempfile::tempdir().unwrap();
    python(
        folder.path(),
        r#"
import random
from PIL import ImageCms
random.seed(3)
profile = ImageCms.ImageCmsProfile(ImageCms.createProfile('sRGB')).tobytes()
i = Image.frombytes('RGB', (60, 40), bytes(random.randrange(256) for _ in range(7200)))
e = Image.Exif()
e[0x010F] = 'SecretCamera'
e[0x0132] = '2026:11:26 10:00:00'
e[0x013B] = 'SecretArtist'
e[0x0112] = 6
e[0x8825] = {1: 'N', 2: (44.0, 5.0, 6.0), 3: 'E', 4: (8.0, 1.0, 2.0)}
i.save('a.jpg', exif=e.tobytes(), icc_profile=profile, comment=b'SecretComment', quality=90)
text = PngImagePlugin.PngInfo()
text.add_text('Comment', 'SecretComment')
text.add_itxt('XML:com.adobe.xmp', '<x:xmpmeta>SecretXmp</x:xmpmeta>')
i.save('a.png', exif=e.tobytes(), icc_profile=profile, pnginfo=text)
i.save('a.webp', exif=e.tobytes(), icc_profile=profile, xmp=b'<x:xmpmeta>SecretXmp</x:xmpmeta>', lossless=True)
for n in ('a.jpg', 'a.png'):
    open(n, 'ab').write(b'SecretTail')
"#,
    );
    for name in ["a.jpg", "a.png", "a.webp"] {
        let before = std::fs::read(folder.path().join(name)).unwrap();
        assert!(
            String::from_utf8_lossy(&before).contains("Secret"),
            "{name}"
        );
        let read = picture::read(before.clone()).unwrap();
        let said = String::from_utf8_lossy(&read.bytes).into_owned();
        assert!(!said.contains("Secret") && !said.contains("2026"), "{name}");
        assert_eq!((read.width, read.height), (40, 60), "{name} is turned");
        std::fs::write(folder.path().join(format!("clean-{name}")), &read.bytes).unwrap();
        // What was kept before this was done comes out the same.
        let mime = format!("image/{}", name[2..].replace("jpg", "jpeg"));
        assert_eq!(picture::stripped(before, &mime), read.bytes);
    }
    let said = python(
        folder.path(),
        r#"
for n in ('a.jpg', 'a.png', 'a.webp'):
    a, b = Image.open(n), Image.open('clean-' + n)
    assert a.tobytes() == b.tobytes(), n
    assert a.info['icc_profile'] == b.info['icc_profile'], n
    assert dict(b.getexif()) == {0x0112: 6}, (n, dict(b.getexif()))
    assert not b.getexif().get_ifd(0x8825), n
    assert ImageOps.exif_transpose(b).size == (40, 60), n
    assert not any(k in b.info for k in ('comment', 'Comment', 'xmp', 'XML:com.adobe.xmp')), (n, b.info)
print('sound')
"#,
    );
    assert_eq!(said.trim(), "sound");
}

/// What moves is kept as its first picture, and pictures for printers in a screen's colours, so that
/// the stage shows what a capture contains: the files come from Pillow, and it says what became of them.
#[test]
fn what_moves_or_is_for_printers_is_kept_as_it_is_captured() {
    let folder = tempfile::tempdir().unwrap();
    python(
        folder.path(),
        r#"
one, two = (Image.new('RGB', (32, 20), c) for c in ((200, 30, 40), (20, 90, 210)))
for n in ('a.gif', 'a.webp', 'a.png'):
    more = {'lossless': True} if n == 'a.webp' else {}
    one.save('moves-' + n, save_all=True, append_images=[two], duration=100, loop=0, **more)
    one.save('still-' + n, **more)
Image.new('CMYK', (32, 20), (10, 200, 60, 30)).save('print.jpg', quality=95)
"#,
    );
    let kept = |name: &str| {
        let read = picture::read(std::fs::read(folder.path().join(name)).unwrap()).unwrap();
        std::fs::write(folder.path().join(format!("{name}.kept")), &read.bytes).unwrap();
        (read.mime, read.moved)
    };
    for name in ["a.gif", "a.webp", "a.png"] {
        assert_eq!(
            kept(&format!("moves-{name}")),
            ("image/png", true),
            "{name}"
        );
        assert!(!kept(&format!("still-{name}")).1, "{name}");
    }
    assert_eq!(kept("print.jpg"), ("image/png", false));
    let said = python(
        folder.path(),
        r#"
for n in ('a.gif', 'a.webp', 'a.png'):
    i = Image.open('moves-' + n + '.kept')
    assert getattr(i, 'n_frames', 1) == 1, n
    assert max(abs(a - b) for a, b in zip(i.convert('RGB').getpixel((5, 5)), (200, 30, 40))) < 6, n
i = Image.open('print.jpg.kept')
assert i.mode in ('RGB', 'RGBA'), i.mode
want = Image.open('print.jpg').convert('RGB').getpixel((5, 5))
assert max(abs(a - b) for a, b in zip(i.getpixel((5, 5)), want)) < 12, (i.getpixel((5, 5)), want)
print('sound')
"#,
    );
    assert_eq!(said.trim(), "sound");
}
