//! Typing a text on the glass. It is laid out by a module of its own (see `bozzetto-text`), which
//! hands its bytes in here.

use bozzetto_core::display::colour::Rgb;
use bozzetto_core::edit::select;
use bozzetto_core::geometry::frames::{Glass as GlassFrame, Point};
use bozzetto_core::ink::UNITS;
use bozzetto_core::ink::curve::Spot;
use bozzetto_core::ink::tip::Tip;
use bozzetto_core::lesson::change::Intent;
use bozzetto_core::marks::mark::{Body, Mark, Style};
use bozzetto_core::marks::swatch::Swatch;
use bozzetto_core::marks::text::{CAPITALS, SIZES, Text};
use bozzetto_core::paint::wet::{WetShape, pause_after};
use bozzetto_core::sheets::step::{Op, SheetId, Step};
use bozzetto_core::tools::desk::fading;
use bozzetto_core::wire::{ToServer, decode};
use serde::Serialize;
use tsify::{Ts, Tsify};
use wasm_bindgen::prelude::*;

use crate::Glass;
use crate::events::Heard;
use crate::script::given;

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
#[derive(Serialize, Tsify)]
#[tsify(missing_as_null)]
pub struct Field {
    content: String,
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
    missing: String,
    /// Too small for the last seat.
    short: bool,
}

#[wasm_bindgen]
impl Glass {
    /// Opens the selected text; `false` when none is, or something else with it.
    pub fn text_open_selected(&mut self) -> bool {
        self.only_selected()
            .is_some_and(|(sheet, mark)| self.open(sheet, mark))
    }

    /// Begins a text whose first line is around a place, in a size that the last seat reads well.
    pub fn text_begin(&mut self, x: f64, y: f64) {
        self.begin_text(self.glass_point(x, y));
    }

    pub fn is_typing(&self) -> bool {
        self.hand.typing.is_some()
    }

    /// What the page shows a field for typing with, while somebody types.
    pub fn text_field(&self) -> Result<Option<Ts<Field>>, JsError> {
        self.field().map(given).transpose()
    }

    /// The size, in units of the text's own frame, that the last seat reads well.
    pub fn text_good_size(&self) -> f64 {
        let scale = self.hand.typing.as_ref().and_then(|typing| {
            let view = self.view_of(typing.sheet)?;
            Some(typing.mark.transform.then(&view).mean_scale())
        });
        (self.good_size() / scale.unwrap_or(1.0)).clamp(*SIZES.start(), *SIZES.end())
    }

    /// Takes what has been typed, laid out. [`Glass::text_tell`] tells everybody else: not at once, so
    /// that who types does not wait for it.
    pub fn text_typed(&mut self, laid_out: &[u8]) {
        let Some(typing) = &mut self.hand.typing else {
            return;
        };
        let Some(text) = decode::<Text>(laid_out).filter(Text::is_sound) else {
            return;
        };
        let empty = text.content.trim().is_empty();
        typing.mark.body = Body::Text(text);
        typing.told.1 = !empty;
        let (sheet, mark) = (typing.sheet, typing.mark.clone());
        match empty {
            true => self.stop_showing(mark.id),
            false => self.put_wet(WetShape { sheet, mark }),
        }
    }

    /// Tells everybody what has been typed, unless a long text was told just before: then it is in how
    /// many milliseconds it may be told. 0 for nothing to wait for. `now` is the page's clock.
    pub fn text_tell(&mut self, now: f64) -> f64 {
        let Some(typing) = self.hand.typing.as_mut().filter(|t| t.told.1) else {
            return 0.0;
        };
        if now < typing.told.0 {
            return typing.told.0 - now;
        }
        let (sheet, mark) = (typing.sheet, typing.mark.clone());
        let bytes = self
            .post
            .send(&ToServer::WetShape(Box::new(WetShape { sheet, mark })));
        if let Some(typing) = &mut self.hand.typing {
            typing.told = (now + pause_after(bytes), false);
        }
        0.0
    }

    /// Gives the text that is being typed the colour of the swatch in the hand.
    pub fn text_restyle(&mut self) {
        let Some(sheet) = self.hand.typing.as_ref().map(|typing| typing.sheet) else {
            return;
        };
        let offered = self.at_desk(|_, desk| desk.offered(desk.in_hand.swatch, sheet));
        if let (Some(typing), Some(swatch)) = (&mut self.hand.typing, offered) {
            typing.mark.style = style(&swatch);
            let (sheet, mark) = (typing.sheet, typing.mark.clone());
            self.show_shape(WetShape { sheet, mark });
        }
    }

    /// The text is done. An empty one is none, and is removed if it was there.
    pub fn text_end(&mut self) {
        let Some(Typing {
            sheet, mark, known, ..
        }) = self.hand.typing.take()
        else {
            return;
        };
        self.stale.changed = true;
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
    /// The text tool taps: that ends typing, opens the text that lies there, or begins one.
    pub(crate) fn text_tap(&mut self, at: Point<GlassFrame>) {
        if self.hand.typing.is_some() {
            return self.text_end();
        }
        let reach = REACH / self.picture.scale;
        let found = select::at(self.replica.sheets(), &self.in_view(), at, reach);
        let mark = found.and_then(|(sheet, id)| {
            let mark = self.replica.sheets().sheet(sheet).get(id)?;
            Some((sheet, Mark::clone(mark)))
        });
        if !mark.is_some_and(|(sheet, mark)| self.open(sheet, mark)) {
            self.begin_text(at);
        }
        self.news.events.push(Heard::Typing);
    }

    fn field(&self) -> Option<Field> {
        let (typing, text) = self.typed()?;
        let in_view = self.in_view();
        let seen = in_view.iter().find(|v| v.sheet == typing.sheet)?;
        let to_glass = typing.mark.transform.then(&seen.view);
        let (at, area) = (text.at.position(), text.area());
        let room = |x: f64, way: f64| {
            let [a, b, ..] = to_glass.coefficients();
            let from = to_glass.apply(Point::new(x, at.y));
            seen.within.until_edge(from, way * a, way * b) - text.size() * MARGIN
        };
        Some(Field {
            content: text.content.clone(),
            size: text.size(),
            wrap: text.wrap.map(|w| f64::from(w) / UNITS),
            x: at.x,
            y: at.y,
            width: area.width(),
            height: area.height(),
            matrix: to_glass.coefficients().map(|v| v * self.picture.scale),
            colour: typing.mark.style.colour,
            room: [room(at.x, 1.0), room(at.x + area.width(), -1.0)],
            missing: text.missing.clone(),
            short: text.size() * to_glass.mean_scale() * CAPITALS
                < self.prefs.settings.room.least_writing() - 0.01,
        })
    }

    fn begin_text(&mut self, at: Point<GlassFrame>) {
        self.text_end();
        let size = self.good_size();
        let begun = self.at_desk(|_, desk| {
            let (swatch, sheet, transform) = desk.dipped(desk.in_hand.swatch, at)?;
            let text = Text {
                content: String::new(),
                at: Spot::new(Point::new(at.x, at.y - size / 2.0)),
                size: (size * UNITS) as i32,
                wrap: None,
                lines: Vec::new(),
                glyphs: Vec::new(),
                placed: Vec::new(),
                missing: String::new(),
            };
            let body = Body::Text(text);
            let mark = desk.new_mark(sheet, style(&swatch), body, transform, fading(&swatch));
            Some((sheet, mark))
        });
        if let Some((sheet, mark)) = begun {
            self.hand.typing = Some(Typing::of(sheet, mark, false));
            self.stale.changed = true;
        }
    }

    fn open(&mut self, sheet: SheetId, mark: Mark) -> bool {
        if !matches!(mark.body, Body::Text(_)) {
            return false;
        }
        self.text_end();
        self.put_wet(WetShape {
            sheet,
            mark: mark.clone(),
        });
        self.hand.typing = Some(Typing::of(sheet, mark, true));
        self.stale.changed = true;
        true
    }

    fn typed(&self) -> Option<(&Typing, &Text)> {
        let typing = self.hand.typing.as_ref()?;
        match &typing.mark.body {
            Body::Text(text) => Some((typing, text)),
            _ => None,
        }
    }

    /// In glass units.
    fn good_size(&self) -> f64 {
        let good = (self.prefs.settings.room.good_writing() / CAPITALS).ceil();
        good.clamp(*SIZES.start(), *SIZES.end())
    }
}

/// Words are never a highlighter's.
fn style(swatch: &Swatch) -> Style {
    Style::new(Tip::Round, swatch.colour, swatch.width)
}
