//! The wall, for its page: the hand-ins to a worksheet as small pictures, and all of them together.

use std::collections::BTreeMap;
use std::sync::Arc;

use bozzetto_core::display::flat::Flat;
use bozzetto_core::display::{DisplayList, Path};
use bozzetto_core::geometry::frames::{Glass, Point, Rect, Size};
use bozzetto_core::geometry::ids::AuthorId;
use bozzetto_core::marks::mark::Mark;
use bozzetto_core::paint;
use bozzetto_core::wire::decode;
use bozzetto_core::worksheets::shown::Drawn;
use bozzetto_core::worksheets::together::{Together, area_at};
use kurbo::BezPath;
use serde::Serialize;
use wasm_bindgen::prelude::*;

/// See the crate's description.
#[wasm_bindgen]
pub struct Wall {
    together: Together,
    size: Size<Glass>,
    /// What each answer consists of, by its number.
    sheets: BTreeMap<u64, Sheet>,
    /// The answers in the order in which they are counted.
    counted: Vec<u64>,
    /// What is counted.
    area: Path,
    list: Flat,
}

/// What an answer consists of.
struct Sheet {
    /// The place in its log.
    seq: u64,
    /// Whose it is.
    by: AuthorId,
    /// How many of the marks are its author's.
    own: usize,
    marks: Vec<Arc<Mark>>,
}

/// How many have marked an area: see core's `Count`; answers by their numbers.
#[derive(Serialize)]
struct Counted {
    of: usize,
    inside: Vec<u64>,
    touches: Vec<u64>,
    through: Vec<u64>,
}

#[wasm_bindgen]
impl Wall {
    /// Of a worksheet of this size, in its units.
    #[wasm_bindgen(constructor)]
    pub fn new(width: f64, height: f64) -> Self {
        Self {
            together: Together::new(Size::new(width, height)),
            size: Size::new(width, height),
            sheets: BTreeMap::new(),
            counted: Vec::new(),
            area: Path::default(),
            list: Flat::default(),
        }
    }

    /// Takes what the server says has changed; gives the numbers of those answers.
    pub fn take(&mut self, bytes: &[u8]) -> Vec<f64> {
        let mut changed = Vec::new();
        for drawn in decode::<Vec<Drawn>>(bytes).unwrap_or_default() {
            let Drawn {
                answer,
                seq,
                by,
                marks,
            } = drawn;
            let own = marks.iter().filter(|mark| mark.author == by);
            if let Some(number) = self.counted.iter().position(|known| *known == answer) {
                self.together.set(number, own.clone().map(|mark| &**mark));
            }
            let own = own.count();
            let sheet = Sheet {
                seq,
                by,
                own,
                marks,
            };
            self.sheets.insert(answer, sheet);
            changed.push(answer as f64);
        }
        changed
    }

    /// The place in its log up to which an answer is here; less than nothing when it is not.
    pub fn known(&self, answer: f64) -> f64 {
        let known = self.sheets.get(&(answer as u64));
        known.map_or(-1.0, |sheet| sheet.seq as f64)
    }

    /// How much somebody has drawn: the number of marks.
    pub fn ink(&self, answer: f64) -> usize {
        let known = self.sheets.get(&(answer as u64));
        known.map_or(0, |sheet| sheet.own)
    }

    /// Paints an answer, in the worksheet's units.
    pub fn paint(&mut self, answer: f64) {
        let mut list = DisplayList::default();
        if let Some(Sheet { marks, .. }) = self.sheets.get(&(answer as u64)) {
            let whole = Rect::of_size(self.size);
            paint::loose(marks.iter().map(|mark| &**mark), &whole, &mut list);
        }
        self.list.set(&list);
    }

    pub fn items_at(&self) -> *const u32 {
        self.list.items.as_ptr()
    }

    pub fn items_len(&self) -> usize {
        self.list.items.len()
    }

    pub fn verbs_at(&self) -> *const u8 {
        self.list.verbs.as_ptr()
    }

    pub fn verbs_len(&self) -> usize {
        self.list.verbs.len()
    }

    pub fn coords_at(&self) -> *const f32 {
        self.list.coords.as_ptr()
    }

    pub fn coords_len(&self) -> usize {
        self.list.coords.len()
    }

    /// These are laid over one another and counted, and no others.
    pub fn count_only(&mut self, answers: &[f64]) {
        self.together = Together::new(Size::new(self.size.width, self.size.height));
        self.counted.clear();
        for answer in answers.iter().map(|answer| *answer as u64) {
            if let Some((by, marks)) = self.sheets.get(&answer).map(|s| (s.by, &s.marks)) {
                let own = marks.iter().filter(|mark| mark.author == by);
                self.together
                    .set(self.counted.len(), own.map(|mark| &**mark));
                self.counted.push(answer);
            }
        }
    }

    /// How many squares there are to a row of the density.
    pub fn columns(&self) -> usize {
        self.together.columns()
    }

    /// How many have ink in each square, row by row.
    pub fn density(&self) -> Vec<u16> {
        self.together.density().to_vec()
    }

    /// Who has marked apart from most.
    pub fn apart(&self) -> Vec<f64> {
        let apart = self.together.apart().into_iter();
        apart.map(|n| self.counted[n] as f64).collect()
    }

    /// What is counted is chosen by a line: x and y of each of its places, in the worksheet's units. Where it stayed within
    /// `reach` that is a mark: one of `first`, an answer, if there is one, otherwise of any. Gives the area as the `d` of
    /// an SVG path; nothing where there is none.
    pub fn choose(&mut self, line: &[f64], reach: f64, first: Option<f64>) -> Option<String> {
        let line: Vec<_> = line
            .as_chunks::<2>()
            .0
            .iter()
            .map(|[x, y]| Point::new(*x, *y))
            .collect();
        let of = |answer: &u64| {
            self.sheets
                .get(answer)
                .into_iter()
                .flat_map(|sheet| &sheet.marks)
        };
        let first = first.map(|answer| answer as u64);
        let all = self.counted.iter().chain(&first).flat_map(of);
        let area = area_at(&line, reach, all.map(|mark| &**mark))?;
        self.area = area;
        Some(BezPath::from(&self.area).to_svg())
    }

    /// How many have marked what was chosen. As JSON.
    pub fn count(&self) -> String {
        let count = self.together.count(&self.area);
        let answers = |numbers: Vec<usize>| numbers.into_iter().map(|n| self.counted[n]).collect();
        let counted = Counted {
            of: count.of,
            inside: answers(count.inside),
            touches: answers(count.touches),
            through: answers(count.through),
        };
        serde_json::to_string(&counted).unwrap_or_default()
    }
}
