//! The fonts: one that is always there, and others that are fetched when a letter of theirs is typed.

use std::collections::HashMap;

use harfrust::{FontRef, Shaper, ShaperData};
use skrifa::MetadataProvider;
use skrifa::instance::{LocationRef, Size};

static USUAL: &[u8] = include_bytes!("../../press/fonts/AtkinsonHyperlegibleNext-Regular.ttf");

const LATIN: &str = "latin-greek-cyrillic";
const CJK: &str = "cjk";
const HANGUL: &str = "hangul";
const EMOJI: &str = "emoji";
/// Signs are in several fonts: the first that has one gives it.
const SIGNS: &[&str] = &["math", "symbols", "symbols2", EMOJI];

/// Which fonts may have the letters of a range of Unicode, by the names of their files. A letter is
/// looked for in one after the other, so that only what is needed is fetched. Source of the ranges:
/// Unicode, `Blocks.txt`.
pub const LETTERS: &[(u32, u32, &[&str])] = &[
    (0x0000, 0x036F, &[LATIN]),
    (0x0370, 0x052F, &[LATIN]),
    (0x0530, 0x058F, &["armenian"]),
    (0x0590, 0x05FF, &["hebrew"]),
    (0x0600, 0x08FF, &["arabic"]),
    (0x0900, 0x097F, &["devanagari"]),
    (0x0980, 0x09FF, &["bengali"]),
    (0x0A00, 0x0A7F, &["gurmukhi"]),
    (0x0A80, 0x0AFF, &["gujarati"]),
    (0x0B00, 0x0B7F, &["oriya"]),
    (0x0B80, 0x0BFF, &["tamil"]),
    (0x0C00, 0x0C7F, &["telugu"]),
    (0x0C80, 0x0CFF, &["kannada"]),
    (0x0D00, 0x0D7F, &["malayalam"]),
    (0x0D80, 0x0DFF, &["sinhala"]),
    (0x0E00, 0x0E7F, &["thai"]),
    (0x0E80, 0x0EFF, &["lao"]),
    (0x1000, 0x109F, &["myanmar"]),
    (0x10A0, 0x10FF, &["georgian"]),
    (0x1100, 0x11FF, &[HANGUL]),
    (0x1200, 0x139F, &["ethiopic"]),
    (0x1780, 0x17FF, &["khmer"]),
    (0x19E0, 0x19FF, &["khmer"]),
    (0x1C80, 0x1C8F, &[LATIN]),
    (0x1C90, 0x1CBF, &["georgian"]),
    (0x1CD0, 0x1CFF, &["devanagari"]),
    (0x1D00, 0x1FFF, &[LATIN]),
    (0x2000, 0x206F, &[LATIN, "math", CJK]),
    (0x2070, 0x218F, &[LATIN, "math", "symbols", EMOJI]),
    (0x2190, 0x2BFF, SIGNS),
    (0x2C60, 0x2C7F, &[LATIN]),
    (0x2D00, 0x2D2F, &["georgian"]),
    (0x2D80, 0x2DDF, &["ethiopic"]),
    (0x2DE0, 0x2E7F, &[LATIN]),
    (0x2E80, 0x312F, &[CJK, EMOJI]),
    (0x3130, 0x318F, &[HANGUL]),
    (0x3190, 0xA4CF, &[CJK, EMOJI]),
    (0xA640, 0xA7FF, &[LATIN]),
    (0xA8E0, 0xA8FF, &["devanagari"]),
    (0xA960, 0xA97F, &[HANGUL]),
    (0xA9E0, 0xAA7F, &["myanmar"]),
    (0xAB00, 0xAB2F, &["ethiopic"]),
    (0xAB30, 0xAB6F, &[LATIN]),
    (0xAC00, 0xD7FF, &[HANGUL]),
    (0xF900, 0xFAFF, &[CJK]),
    (0xFB00, 0xFB06, &[LATIN]),
    (0xFB13, 0xFB17, &["armenian"]),
    (0xFB1D, 0xFB4F, &["hebrew"]),
    (0xFB50, 0xFDFF, &["arabic"]),
    (0xFE20, 0xFE2F, &[LATIN]),
    (0xFE30, 0xFE6F, &[CJK]),
    (0xFE70, 0xFEFE, &["arabic"]),
    (0xFF00, 0xFFEF, &[CJK]),
    (0x1D400, 0x1D7FF, &["math"]),
    (0x1EE00, 0x1EEFF, &["math"]),
    (0x1F000, 0x1FAFF, &[EMOJI, "symbols2", "symbols"]),
];

/// The sign after which a letter is to be shown as a small picture. Source: UTS #51.
const AS_A_PICTURE: char = '\u{FE0F}';

/// A font, ready to be set with.
pub struct Face {
    font: FontRef<'static>,
    data: ShaperData,
    /// Its units to the size of the text.
    pub units: f64,
}

impl Face {
    fn open(bytes: &'static [u8]) -> Option<Self> {
        let font = FontRef::new(bytes).ok()?;
        let units = font.metrics(Size::unscaled(), LocationRef::default());
        Some(Self {
            data: ShaperData::new(&font),
            units: f64::from(units.units_per_em.max(1)),
            font,
        })
    }

    pub fn font(&self) -> &FontRef<'static> {
        &self.font
    }

    pub fn shaper(&self) -> Shaper<'_> {
        self.data.shaper(&self.font).build()
    }

    /// Whether it has a letter.
    pub fn has(&self, c: char) -> bool {
        self.font.charmap().map(c).is_some()
    }
}

/// Which font letters are taken from.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Choice {
    /// The font with this number.
    Face(usize),
    /// One that has not been fetched yet.
    Wanted(&'static str),
    /// There is none that has them.
    Nowhere,
}

/// All fonts that are at hand; number 0 is the usual one.
pub struct Faces {
    faces: Vec<Face>,
    by_name: HashMap<&'static str, usize>,
}

impl Default for Faces {
    fn default() -> Self {
        let usual = Face::open(USUAL).expect("the shipped font can be read");
        Self {
            faces: vec![usual],
            by_name: HashMap::new(),
        }
    }
}

impl Faces {
    pub fn usual(&self) -> &Face {
        &self.faces[0]
    }

    pub fn get(&self, number: usize) -> &Face {
        &self.faces[number]
    }

    /// Takes a font that was fetched; `false` for what is none, or no name that is known.
    pub fn came(&mut self, name: &str, bytes: Vec<u8>) -> bool {
        let names = LETTERS.iter().flat_map(|(_, _, names)| *names);
        let Some(name) = names.copied().find(|known| *known == name) else {
            return false;
        };
        if self.by_name.contains_key(name) {
            return true;
        }
        // Fonts stay as long as the page does.
        let Some(face) = Face::open(Box::leak(bytes.into_boxed_slice())) else {
            return false;
        };
        self.by_name.insert(name, self.faces.len());
        self.faces.push(face);
        true
    }

    /// The font for a cluster: letters that are one to who reads them.
    pub fn choose(&self, cluster: &str) -> Choice {
        let mut shown = cluster.chars().filter(|c| !is_hint(*c));
        let Some(first) = shown.next() else {
            return Choice::Face(0);
        };
        let picture = cluster.contains(AS_A_PICTURE);
        let all = |face: &Face| face.has(first) && shown.clone().all(|c| face.has(c));
        if !picture && (all(self.usual()) || first.is_control()) {
            return Choice::Face(0);
        }
        let pictures = picture.then_some(&EMOJI).into_iter();
        let mut first_only = self.usual().has(first).then_some(0);
        for name in pictures.chain(fonts_of(first)) {
            let Some(number) = self.by_name.get(name).copied() else {
                return Choice::Wanted(name);
            };
            let face = self.get(number);
            if all(face) {
                return Choice::Face(number);
            }
            if face.has(first) {
                first_only = first_only.or(Some(number));
            }
        }
        first_only.map_or(Choice::Nowhere, Choice::Face)
    }

    /// The letters of a cluster that its font lacks.
    pub fn lacking<'a>(&self, cluster: &'a str, choice: Choice) -> impl Iterator<Item = char> + 'a {
        let all: Vec<char> = match choice {
            Choice::Face(number) => {
                let face = self.get(number);
                cluster.chars().filter(|c| !face.has(*c)).collect()
            }
            Choice::Wanted(_) => Vec::new(),
            Choice::Nowhere => cluster.chars().collect(),
        };
        all.into_iter().filter(|c| !is_hint(*c) && !c.is_control())
    }
}

fn fonts_of(c: char) -> &'static [&'static str] {
    let c = u32::from(c);
    let found = LETTERS
        .iter()
        .find(|(from, to, _)| (*from..=*to).contains(&c));
    found.map_or(&[], |(_, _, names)| names)
}

/// What shows nothing itself and only says how others are shown: joiners, marks of direction,
/// variation selectors, tags. Source: Unicode, `Default_Ignorable_Code_Point`.
fn is_hint(c: char) -> bool {
    matches!(c,
        '\u{AD}' | '\u{34F}' | '\u{61C}' | '\u{200B}'..='\u{200F}' | '\u{202A}'..='\u{202E}'
        | '\u{2060}'..='\u{206F}' | '\u{FE00}'..='\u{FE0F}' | '\u{FEFF}' | '\u{E0000}'..='\u{E0FFF}')
}
