//! Typed words in many scripts, held against HarfBuzz (`hb-shape`) and FriBidi (`fribidi`), which
//! know nothing of ours.

use std::path::PathBuf;
use std::process::Command;

use bozzetto_core::geometry::frames::{Ink, Point};
use bozzetto_core::marks::text::Text;
use bozzetto_text::{LETTERS, Place, Setter, laid_out, levels_of};
use proptest::prelude::*;

/// A line in each script that there is a font for: what a harbour's notices say, more or less.
const LINES: [(&str, &str); 27] = [
    ("latin", "Cảng mở cửa lúc tám giờ; ở đây Ørsted"),
    ("greek", "Ο φάρος ανάβει στις εννέα, ἄνεμος"),
    ("cyrillic", "Маяк на мысу светит всю ночь; ђак, ґанок"),
    ("arabic", "المنارة تضيء طوال الليل لا إله"),
    ("persian", "می‌خواهم به بندر بروم"),
    ("hebrew", "המגדלור מאיר כל הלילה שָׁלוֹם"),
    ("devanagari", "प्रकाशस्तंभ रात भर जलता है क्षत्रिय र्क"),
    ("bengali", "বাতিঘর সারা রাত জ্বলে ক্ষ"),
    ("gurmukhi", "ਚਾਨਣ ਮੁਨਾਰਾ ਸਾਰੀ ਰਾਤ"),
    ("gujarati", "દીવાદાંડી આખી રાત પ્રકાશે"),
    ("oriya", "ବତୀଘର ସାରା ରାତି"),
    ("tamil", "கலங்கரை விளக்கம் இரவு முழுவதும்"),
    ("telugu", "దీపస్తంభం రాత్రంతా వెలుగుతుంది"),
    ("kannada", "ದೀಪಸ್ತಂಭ ರಾತ್ರಿಯಿಡೀ"),
    ("malayalam", "വിളക്കുമാടം രാത്രി മുഴുവൻ"),
    ("sinhala", "ප්‍රදීපාගාරය රෑ පුරා"),
    ("thai", "ประภาคารส่องสว่างทั้งคืน น้ำ"),
    ("lao", "ປະທີບສ່ອງແສງໝົດຄືນ"),
    ("myanmar", "မီးပြတိုက် တစ်ညလုံး"),
    ("khmer", "បង្គោលភ្លើងពេញមួយយប់"),
    ("georgian", "შუქურა მთელი ღამე"),
    ("armenian", "Փարոսը ամբողջ գիշեր"),
    ("ethiopic", "መብራት ሌሊቱን ሙሉ"),
    ("chinese", "灯塔整夜发光，注意潮汐"),
    ("japanese", "灯台は一晩中光ります。カタカナ"),
    ("korean", "등대는 밤새 빛납니다"),
    ("signs", "π √2 ≤ 3 → ∞ ∑ ∫ ⊂ 𝛼 ⇌ ☂ ✂ ⚓ 🚢 👩‍🚀 1️⃣"),
];

fn file(name: &str) -> PathBuf {
    let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../web/static/fonts/text");
    folder.join(format!("{name}.ttf"))
}

/// With all fonts, in the order of their names.
fn all() -> (Setter, Vec<PathBuf>) {
    let mut names: Vec<&str> = LETTERS
        .iter()
        .flat_map(|(_, _, names)| *names)
        .copied()
        .collect();
    names.sort_unstable();
    names.dedup();
    let mut setter = Setter::default();
    let usual = PathBuf::from(env!("CARGO_MANIFEST_DIR"));
    let mut files = vec![usual.join("../press/fonts/AtkinsonHyperlegibleNext-Regular.ttf")];
    for name in names {
        assert!(
            setter.came(name, std::fs::read(file(name)).unwrap()),
            "{name}"
        );
        files.push(file(name));
    }
    (setter, files)
}

fn said(command: &mut Command) -> String {
    let out = command
        .output()
        .expect("Debian's libharfbuzz-bin and libfribidi-bin");
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    String::from_utf8(out.stdout).unwrap()
}

/// The number behind a name in a line of JSON; 0 when it is not there.
fn number(glyph: &str, name: &str) -> f64 {
    let at = glyph.find(&format!("\"{name}\":"));
    let rest = at.map_or("0", |at| &glyph[at + name.len() + 3..]);
    rest.split([',', '}']).next().unwrap().parse().unwrap()
}

/// Each glyph of each line, and where it stands, as HarfBuzz has it; and no letter without a font.
#[test]
fn letters_are_shaped_as_harfbuzz_shapes_them() {
    let (mut setter, files) = all();
    let mut glyphs = 0;
    for (script, line) in LINES {
        let (text, wanted) = laid_out(
            &mut setter,
            line,
            40.0,
            &Place::free(Point::new(0.0, 0.0), None),
        );
        assert_eq!((text.missing.as_str(), wanted.len()), ("", 0), "{script}");
        let levels = levels_of(line);
        for run in setter.runs(line, &levels) {
            let words = &line[run.from..run.to];
            let way = if run.level % 2 == 1 { "rtl" } else { "ltr" };
            let shaped = said(Command::new("hb-shape").args([
                &format!("--font-file={}", files[run.face].display()),
                &format!("--direction={way}"),
                "--no-glyph-names",
                "--no-clusters",
                "--output-format=json",
                &format!("--text={words}"),
            ]));
            let level = vec![run.level; words.len()];
            let ours = setter.line(words, &level);
            let theirs: Vec<&str> = shaped.trim_start_matches('[').split("},{").collect();
            assert_eq!(ours.standing.len(), theirs.len(), "{script}: {words}");
            let units = setter.faces.get(run.face).units;
            let mut x = 0.0;
            for (a, b) in ours.standing.iter().zip(theirs) {
                let at = (x + number(b, "dx"), number(b, "dy"));
                assert_eq!(f64::from(a.glyph), number(b, "g"), "{script}: {words}");
                assert!((a.x * units - at.0).abs() < 1e-6, "{script}: {words}");
                assert!((a.y * units - at.1).abs() < 1e-6, "{script}: {words}");
                x += number(b, "ax");
                glyphs += 1;
            }
            assert!((ours.width * units - x).abs() < 1e-6, "{script}: {words}");
        }
    }
    assert!(glyphs > 500, "{glyphs}");
}

/// Which letter stands where when both directions meet, as FriBidi has it: letters that do not
/// change their shape, with numbers, brackets and signs. Blanks may be set by what stands beside them.
#[test]
fn both_directions_in_a_line_are_ordered_as_fribidi_orders_them() {
    let (mut setter, _) = all();
    for line in [
        "abc אבג 12.5 def",
        "אבג abc דהו",
        "נמל (berth 7) פתוח: 8-10",
        "depth 5.2 מ׳ (גאות) ok?",
        "א 1, 2, 3 ב a-b!",
    ] {
        let visual = said(Command::new("sh").args([
            "-c",
            "printf '%s' \"$0\" | fribidi --nopad --nobreak --charset UTF-8",
            line,
        ]));
        let set = setter.line(line, &levels_of(line));
        let expected: Vec<(usize, u32)> = visual
            .chars()
            .filter(|c| !c.is_whitespace())
            .map(|c| {
                let one = setter.line(&c.to_string(), &[]);
                (one.standing[0].face, one.standing[0].glyph)
            })
            .collect();
        let mut stands: Vec<(usize, u32)> = Vec::new();
        for s in &set.standing {
            if !setter.outline(s.face, s.glyph).verbs.is_empty() {
                stands.push((s.face, s.glyph));
            }
        }
        assert_eq!(stands, expected, "{line}");
        assert!(set.standing.windows(2).all(|w| w[0].x <= w[1].x), "{line}");
    }
}

/// The list of fonts is true: each range of letters has a font with some of them, and a font that is
/// not here is asked for by its name, once.
#[test]
fn fonts_have_the_letters_that_they_are_fetched_for() {
    for (from, to, names) in LETTERS {
        let letters = (*from..=*to).filter_map(char::from_u32);
        let had = |name: &str| {
            let mut one = Setter::default();
            one.came(name, std::fs::read(file(name)).unwrap());
            letters.clone().any(|c| one.faces.get(1).has(c))
        };
        assert!(names.iter().all(|name| had(name)), "{from:x}");
    }
    let mut bare = Setter::default();
    let place = Place::free(Point::new(0.0, 0.0), None);
    let (text, wanted) = laid_out(&mut bare, "Маяк שלום Маяк", 40.0, &place);
    assert_eq!(
        (text.missing.as_str(), wanted),
        ("", vec!["latin-greek-cyrillic", "hebrew"])
    );
    // A letter that nobody has, and one of a script without a font here: Egyptian, and Tibetan.
    let (mut setter, _) = all();
    let (text, wanted) = laid_out(
        &mut setter,
        "buoy \u{13000} \u{0F40}\u{13000}",
        40.0,
        &place,
    );
    assert_eq!(
        (text.missing.as_str(), wanted.len()),
        ("\u{13000}\u{0F40}", 0)
    );
    assert!(text.is_sound());
}

/// What people type, in pieces: words of all scripts, blanks, ends of lines, long words.
fn typed() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        4 => prop::sample::select(LINES.map(|(_, line)| line).to_vec()).prop_map(str::to_owned),
        2 => "[a-zA-Z]{1,9}".prop_map(|w| w + " "),
        1 => "\\PC{0,6}",
        1 => Just("\n".to_owned()),
        1 => Just("Leuchtfeuerverzeichnisnachtrag\t".to_owned()),
    ];
    prop::collection::vec(piece, 0..8).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    /// Whatever is typed into a text, and wherever: letters outside of what counts as changed are the
    /// same ones in the same places before and afterwards.
    #[test]
    fn what_has_not_changed_need_not_be_painted(
        content in typed(), more in "\\PC{0,3}", at in 0.0..1.0f64, gone in 0..4usize,
    ) {
        let (mut setter, _) = all();
        let place = Place::free(Point::new(300.0, 50.0), Some(500.0));
        let chars: Vec<char> = content.chars().collect();
        let from = (at * chars.len() as f64) as usize;
        let rest = chars[(from + gone).min(chars.len())..].iter();
        let edited: String = chars[..from].iter().copied().chain(more.chars()).chain(rest.copied()).collect();
        let (before, _) = laid_out(&mut setter, &content, 30.0, &place);
        let (after, _) = laid_out(&mut setter, &edited, 30.0, &place);
        let changed = after.changed_since(&before);
        let outside = |text: &Text| {
            let mut letters: Vec<(i32, i32, Vec<i32>)> = Vec::new();
            for p in &text.placed {
                let glyph = &text.glyphs[usize::from(p.glyph)].coords;
                let one = Text { placed: vec![*p], ..text.clone() };
                if !one.path().bounds::<Ink>().intersects(&changed) {
                    letters.push((p.x, p.y, glyph.clone()));
                }
            }
            letters.sort();
            letters
        };
        prop_assert_eq!(outside(&before), outside(&after));
    }

    /// However it is broken: nothing is lost or said twice, lines keep within their width unless one
    /// letter is wider, what is drawn lies in the box, and the mark is let through.
    #[test]
    fn lines_hold_all_that_was_typed(content in typed(), wrap in 60.0..900.0f64, set: bool) {
        let (mut setter, _) = all();
        let at = Point::new(300.0, 50.0);
        let place = match set {
            true => Place::free(at, Some(wrap)),
            false => Place { room: (wrap, wrap), ..Place::free(at, None) },
        };
        let (text, _) = laid_out(&mut setter, &content, 30.0, &place);
        prop_assert!(text.is_sound());
        let said: String = text.lines.iter().map(|l| &text.content[l.from as usize..l.to as usize]).collect();
        prop_assert_eq!(&said, &text.content);
        for line in &text.lines {
            let words = text.content[line.from as usize..line.to as usize].trim_end();
            let fits = f64::from(line.width) <= wrap.max(60.0) * 64.0 + 64.0;
            prop_assert!(fits || words.chars().count() < 8, "{words}");
        }
        let area = text.area();
        for p in &text.placed {
            let x = text.at.position().x + f64::from(p.x) / 64.0;
            prop_assert!(x >= area.x0 - 30.0 && x <= area.x1 + 30.0, "{x} {area:?}");
        }
    }
}
