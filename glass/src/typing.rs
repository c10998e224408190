//! Typing a text on the glass. It is laid out by a module of its own (see `bozzetto-text`), which
//! hands its bytes in here.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::edit::select;
use bozzetto_core::geometry::frames::Point;
use bozzetto_core::ink::UNITS;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::swatch::Swatch;
use bozzetto_core::marks::text::{CAPITALS, SIZES, Text};
use bozzetto_core::paint::wet::{WetShape, pause_after};
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::wire::{ToServer, decode, encode};
use serde::Serialize;
use wasm_bindgen::prelude::*;

use crate::Glass;

/// A text that is being typed.
pub struct Typing {
    sheet: SheetId,
    mark: Mark,
    /// It was on the sheet before.
    known: bool,
    /// When it may be told again, by the page's clock, and whether something is to be told.
    told: (f64, bool),
}

impl Typing {
    fn of(sheet: SheetId, mark: Mark, known: bool) -> Self {
        Self {
            sheet,
            mark,
            known,
            told: (f64::NEG_INFINITY, false),
        }
    }
}

/// How near a tap must come to a text to open it, in CSS pixels.
const REACH: f64 = 4.0;

/// How far before the edge of its pane a text breaks its lines, as a part of its size.
const MARGIN: f64 = 0.4;

/// What the page has to know to show a field for typing. Lengths in units of the mark's own frame;
/// `matrix` maps that to CSS pixels of the picture area.
#[derive(Serialize)]
struct Field<'a> {
    content: &'a str,
    size: f64,
    wrap: Option<f64>,
    x: f64,
    y: f64,
    width: f64,
    height: f64,
    matrix: [f64; 6],
    colour: Rgb,
    /// How far lines may run before they break by themselves: from the left edge to the right, and from
    /// the right edge to the left.
    room: [f64; 2],
    /// Characters that the font lacks.
    missing: &'a str,
    /// Too small for the last seat.
    short: bool,
}

#[wasm_bindgen]
impl Glass {
    /// Opens the text that lies where the pointer taps; `false` when there is none.
    pub fn text_open(&mut self, x: f64, y: f64) -> bool {
        let (p, reach) = (self.glass_point(x, y), REACH / self.scale);
        let found = select::at(self.replica.sheets(), &self.in_view(), p, reach);
        let mark = found.and_then(|(sheet, id)| {
            let mark = self.replica.sheets().sheet(sheet).get(id)?;
            Some((sheet, Mark::clone(mark)))
        });
        mark.is_some_and(|(sheet, mark)| self.open(sheet, mark))
    }

    /// Opens the selected text; `false` when none is, or something else with it.
    pub fn text_open_selected(&mut self) -> bool {
        self.only_selected()
            .is_some_and(|(sheet, mark)| self.open(sheet, mark))
    }

    /// Begins a text whose first line is around where the pointer taps, in a size that the last seat
    /// reads well.
    pub fn text_begin(&mut self, swatch: usize, x: f64, y: f64) {
        self.text_end();
        let tap = self.ink_point(x, y);
        let Some((swatch, sheet, transform)) = self.dipped(swatch, tap) else {
            return;
        };
        let size = self.good_size();
        let text = Text {
            content: String::new(),
            at: bozzetto_core::ink::curve::Spot::new(Point::new(tap.x, tap.y - size / 2.0)),
            size: (size * UNITS) as i32,
            wrap: None,
            lines: Vec::new(),
            glyphs: Vec::new(),
            placed: Vec::new(),
            missing: String::new(),
        };
        let fades = crate::shapes::fading(&swatch);
        let body = Body::Text(text);
        let mark = self.new_mark(sheet, style(&swatch), body, transform, fades);
        self.typing = Some(Typing::of(sheet, mark, false));
    }

    pub fn is_typing(&self) -> bool {
        self.typing.is_some()
    }

    /// What the page shows a field for typing with, as JSON; empty for none.
    pub fn text_field(&self) -> String {
        let Some((typing, text)) = self.typed() else {
            return String::new();
        };
        let in_view = self.in_view();
        let Some(seen) = in_view.iter().find(|v| v.sheet == typing.sheet) else {
            return String::new();
        };
        let to_glass = typing.mark.transform.then(&seen.view);
        let (at, area) = (text.at.position(), text.area());
        let room = |x: f64, way: f64| {
            let [a, b, ..] = to_glass.coefficients();
            let from = to_glass.apply(Point::new(x, at.y));
            seen.within.until_edge(from, way * a, way * b) - text.size() * MARGIN
        };
        let field = Field {
            content: &text.content,
            size: text.size(),
            wrap: text.wrap.map(|w| f64::from(w) / UNITS),
            x: at.x,
            y: at.y,
            width: area.width(),
            height: area.height(),
            matrix: to_glass.coefficients().map(|v| v * self.scale),
            colour: typing.mark.style.colour,
            room: [room(at.x, 1.0), room(at.x + area.width(), -1.0)],
            missing: &text.missing,
            short: text.size() * to_glass.mean_scale() * CAPITALS
                < self.settings.room.least_writing() - 0.01,
        };
        serde_json::to_string(&field).unwrap_or_default()
    }

    /// The size, in units of the text's own frame, that the last seat reads well.
    pub fn text_good_size(&self) -> f64 {
        let scale = self.typing.as_ref().and_then(|typing| {
            let view = self.view_of(typing.sheet)?;
            Some(typing.mark.transform.then(&view).mean_scale())
        });
        (self.good_size() / scale.unwrap_or(1.0)).clamp(*SIZES.start(), *SIZES.end())
    }

    /// Takes what has been typed, laid out, at the moment `now` of the page's clock. Everybody sees it
    /// at once, or, when it is long, in so many milliseconds: then [`Glass::text_tell`] is to be
    /// called. 0 for nothing to wait for.
    pub fn text_typed(&mut self, laid_out: &[u8], now: f64) -> f64 {
        let Some(typing) = &mut self.typing else {
            return 0.0;
        };
        let Some(text) = decode::<Text>(laid_out).filter(Text::is_sound) else {
            return 0.0;
        };
        let empty = text.content.trim().is_empty();
        typing.mark.body = Body::Text(text);
        typing.told.1 = true;
        let (sheet, mark) = (typing.sheet, typing.mark.clone());
        if empty {
            typing.told.1 = false;
            self.stop_showing(mark.id);
            return 0.0;
        }
        self.put_wet(WetShape { sheet, mark });
        self.text_tell(now)
    }

    /// Tells everybody what has been typed, unless that was done just before: then it is in how many
    /// milliseconds it may be.
    pub fn text_tell(&mut self, now: f64) -> f64 {
        let Some(typing) = self.typing.as_mut().filter(|t| t.told.1) else {
            return 0.0;
        };
        if now < typing.told.0 {
            return typing.told.0 - now;
        }
        let (sheet, mark) = (typing.sheet, typing.mark.clone());
        let message = ToServer::WetShape(Box::new(WetShape { sheet, mark }));
        typing.told = (now + pause_after(encode(&message).len()), false);
        self.send(&message);
        0.0
    }

    /// Gives the text that is being typed the colour of a swatch.
    pub fn text_restyle(&mut self, swatch: usize) {
        let sheet = self.typing.as_ref().map(|typing| typing.sheet);
        let offered = sheet.and_then(|sheet| self.offered(swatch, sheet));
        if let (Some(typing), Some(swatch)) = (&mut self.typing, offered) {
            typing.mark.style = style(&swatch);
            let (sheet, mark) = (typing.sheet, typing.mark.clone());
            self.show_shape(WetShape { sheet, mark });
        }
    }

    /// The text is done. An empty one is none, and is removed if it was there.
    pub fn text_end(&mut self) {
        let Some(Typing {
            sheet, mark, known, ..
        }) = self.typing.take()
        else {
            return;
        };
        let id = mark.id;
        let empty = match &mark.body {
            Body::Text(text) => text.content.trim().is_empty(),
            _ => true,
        };
        self.end_wet(id);
        let before = self.replica.sheets().sheet(sheet).get(id);
        let op = match (before, empty) {
            (Some(before), false) if **before == mark => None,
            (Some(_), false) => Some(Op::Replace(mark)),
            (Some(_), true) => Some(Op::Remove(id)),
            (None, false) if !known => Some(Op::Add(mark)),
            (None, _) => None,
        };
        let done = op.is_some_and(|op| self.act(Intent::Do(vec![Step { sheet, op }])));
        if !done {
            self.stop_showing(id);
        }
    }
}

impl Glass {
    fn open(&mut self, sheet: SheetId, mark: Mark) -> bool {
        if !matches!(mark.body, Body::Text(_)) {
            return false;
        }
        self.text_end();
        self.put_wet(WetShape {
            sheet,
            mark: mark.clone(),
        });
        self.typing = Some(Typing::of(sheet, mark, true));
        true
    }

    fn typed(&self) -> Option<(&Typing, &Text)> {
        let typing = self.typing.as_ref()?;
        match &typing.mark.body {
            Body::Text(text) => Some((typing, text)),
            _ => None,
        }
    }

    /// In glass units.
    fn good_size(&self) -> f64 {
        let good = (self.settings.room.good_writing() / CAPITALS).ceil();
        good.clamp(*SIZES.start(), *SIZES.end())
    }
}

/// Words are never a highlighter's.
fn style(swatch: &Swatch) -> Style {
    Style::new(Tip::Round, swatch.colour, swatch.width)
}
