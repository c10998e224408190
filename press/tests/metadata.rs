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
