//! Backdrops: what lies beneath the marks, and how it is seen.

use serde::{Deserialize, Serialize};

use crate::aids::cover::Cover;
use crate::display::colour::{Rgb, WHITE};
use crate::display::{Blend, DisplayList, Item, Path, Source};
use crate::geometry::frames::{Glass, Held, Map, Point, Rect, Size};
use crate::geometry::ids::BackdropId;
use crate::geometry::zoom::Zoom;
use crate::ink::tip::Tip;
use crate::instruments::plane::Plane;
use crate::instruments::scale::Scale;
use crate::marks::swatch::{Hold, Swatch};
use crate::sheets::step::SheetId;
use crate::stage::board::{self, Board};
use crate::stage::grain::Grain;
use crate::stage::hidden::{HiddenPart, MOST_PARTS};
use crate::stage::playback::Playback;

/// The colour around a backdrop that does not fill the picture area.
pub const MOUNT: Rgb = Rgb::hex(0x14181D);

/// What a backdrop is.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum BackdropKind {
    Picture {
        grain: Grain,
    },
    Board(Board),
    /// A document; one sheet to a page. Sizes are in points, as each page is shown.
    Document {
        pages: Vec<(f32, f32)>,
    },
    Video {
        /// In seconds.
        duration: f64,
        /// Length of a frame in seconds; 0 when it is not known.
        frame: f64,
    },
    /// A web page, laid out in CSS pixels.
    Page(Page),
    Camera {
        /// A stand-in that shows drawn hands; says so wherever it is shown.
        simulated: bool,
    },
    /// A screen, window or tab that is shared.
    Share,
}

/// Where a web page comes from.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Page {
    /// Kept by us under this unguessable name: the file that it begins with, and further pages that
    /// may be reached from there. Each has a sheet of its own, as the pages of a document have.
    Kept {
        name: String,
        entry: String,
        #[serde(default)]
        others: Vec<String>,
    },
    /// Framed from where it is.
    Address(String),
}

/// The most pages of a document.
pub const MOST_PAGES: usize = 1000;

/// Glass units to a CSS pixel of a web page seen whole: a page in the whole picture area is laid out
/// 1280 CSS pixels wide, so that its text is large enough for a room.
pub const PAGE_SCALE: f64 = 1.5;

impl BackdropKind {
    /// How fine it is: see [`Grain`].
    pub fn grain(&self) -> Grain {
        match self {
            BackdropKind::Picture { grain } => *grain,
            BackdropKind::Board(_) | BackdropKind::Document { .. } => Grain::Vector,
            BackdropKind::Video { .. }
            | BackdropKind::Page(_)
            | BackdropKind::Camera { .. }
            | BackdropKind::Share => Grain::Pixels,
        }
    }

    /// Whether its picture changes by itself, so that it can be frozen, and is captured as the
    /// presenter's browser shows it.
    pub fn moves(&self) -> bool {
        matches!(
            self,
            BackdropKind::Video { .. }
                | BackdropKind::Page(_)
                | BackdropKind::Camera { .. }
                | BackdropKind::Share
        )
    }

    /// Whether participants get it as a picture stream; a video is played by each browser itself.
    pub fn streams(&self) -> bool {
        self.moves() && !matches!(self, BackdropKind::Video { .. })
    }

    /// The size in backdrop units of a source with so many pixels. A camera is always 1920 wide, so
    /// that marks stay where they are when it is set to another resolution; a shared screen is as
    /// large as it has pixels.
    pub fn units_of(&self, width: u32, height: u32) -> (f64, f64) {
        let (w, h) = (f64::from(width), f64::from(height));
        match self {
            BackdropKind::Camera { .. } => (1920.0, (1920.0 * h / w).round()),
            _ => (w, h),
        }
    }

    /// How many pages it has.
    pub fn pages(&self) -> u32 {
        match self {
            BackdropKind::Document { pages } => pages.len() as u32,
            BackdropKind::Board(board) => board.pages,
            BackdropKind::Page(Page::Kept { others, .. }) => 1 + others.len() as u32,
            _ => 1,
        }
    }
}

impl Page {
    /// The file that is shown on this page, counted from 0; `None` at an address.
    pub fn file(&self, page: u32) -> Option<&str> {
        match self {
            Page::Kept { entry, others, .. } => {
                let at = (page as usize).checked_sub(1);
                Some(at.and_then(|n| others.get(n)).unwrap_or(entry))
            }
            Page::Address(_) => None,
        }
    }

    /// Which page a file is.
    ///
    /// ```
    /// use bozzetto_core::stage::backdrop::Page;
    /// let (name, entry) = ("1f".to_owned(), "index.html".to_owned());
    /// let page = Page::Kept { name, entry, others: vec!["tides/neap.html".to_owned()] };
    /// assert_eq!(page.page_of("tides/neap.html"), Some(1));
    /// assert_eq!(page.file(1), Some("tides/neap.html"));
    /// assert_eq!(page.page_of("elsewhere.html"), None);
    /// ```
    pub fn page_of(&self, file: &str) -> Option<u32> {
        match self {
            Page::Kept { entry, others, .. } => {
                let mut files = std::iter::once(entry).chain(others);
                files.position(|f| f == file).map(|n| n as u32)
            }
            Page::Address(_) => None,
        }
    }
}

/// How a backdrop is seen; kept with it, so that it comes back as it was left.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct ViewState {
    /// How much larger than whole, and which part.
    pub zoom: Zoom,
    /// The page that is shown, from 0.
    pub page: u32,
    /// How far a web page is scrolled, in CSS pixels.
    pub scroll: (f64, f64),
    /// Of a video.
    pub playback: Playback,
    /// The picture that is held while the backdrop goes on.
    pub frozen: Option<Frozen>,
    /// What a length on it is in the world.
    pub scale: Option<Scale>,
    /// A rectangle in it that is known, seen at an angle.
    pub plane: Option<Plane>,
    /// One on a page at the most, by their pages.
    pub covers: Vec<Cover>,
    /// What only the presenter sees.
    pub hidden: Vec<HiddenPart>,
}

/// A held picture.
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct Frozen {
    /// The server's name for its file, as for placed pictures.
    pub picture: u64,
    /// The part of the backdrop that it shows.
    pub shows: Rect<Held>,
}

/// A backdrop as a stage needs to know it.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct BackdropView {
    pub id: BackdropId,
    pub name: String,
    /// In backdrop units: pixels of a picture, video, camera or screen; units of a board. Of no
    /// meaning for documents, whose pages have sizes of their own, and web pages, which are laid
    /// out for their pane.
    pub width: f64,
    pub height: f64,
    pub kind: BackdropKind,
    pub seen: ViewState,
}

impl BackdropView {
    /// The size of what is shown, in backdrop units, when its pane is `room`.
    pub fn size(&self, room: &Rect<Glass>) -> Size<Held> {
        self.size_of_page(self.seen.page, room)
    }

    fn size_of_page(&self, page: u32, room: &Rect<Glass>) -> Size<Held> {
        match &self.kind {
            BackdropKind::Document { pages } => {
                let at = (page as usize).min(pages.len().saturating_sub(1));
                let (w, h) = pages.get(at).copied().unwrap_or((595.0, 842.0));
                Size::new(f64::from(w), f64::from(h))
            }
            BackdropKind::Page(_) => {
                Size::new(room.width() / PAGE_SCALE, room.height() / PAGE_SCALE)
            }
            // A board is as wide as its pane, whatever shape that has.
            BackdropKind::Board(_) => {
                let high = self.width * room.height() / room.width();
                Size::new(self.width, self.height.min(high))
            }
            _ => Size::new(self.width, self.height),
        }
    }

    /// How many times as long as its size it is: a board goes on below.
    fn reach(&self) -> f64 {
        match self.kind {
            BackdropKind::Board(_) => board::REACH,
            _ => 1.0,
        }
    }

    /// Whether it is seen as it comes in its pane: whole, or a board from its upper end.
    pub fn is_whole(&self, room: &Rect<Glass>) -> bool {
        self.zoom(self.seen.zoom, room) == self.zoom(Zoom::WHOLE, room)
    }

    /// A zoom as it is possible in this pane: panes change their shape.
    fn zoom(&self, zoom: Zoom, room: &Rect<Glass>) -> Zoom {
        zoom.settled_within(self.size(room), room.size(), self.reach())
    }

    /// The part of it that there is to see when its pane is `room`: all of it, of a web page what
    /// it is scrolled to, and of a board its first screen.
    pub fn shown(&self, room: &Rect<Glass>) -> Rect<Held> {
        let (x, y) = self.scroll();
        let size = self.size(room);
        Rect::from_corners(
            Point::new(x, y),
            Point::new(x + size.width, y + size.height),
        )
    }

    /// The part of a page that a cover can lie on, or that can be hidden. A web page scrolls away beneath the window
    /// in which that was done, and takes it along.
    fn coverable(&self, page: u32, room: &Rect<Glass>) -> Rect<Held> {
        match self.kind {
            BackdropKind::Page(_) => {
                let far = 1e6 + self.size(room).height;
                Rect::from_corners(Point::new(0.0, 0.0), Point::new(far, far))
            }
            _ => {
                let size = self.size_of_page(page, room);
                Rect::from_corners(Point::new(0.0, 0.0), Point::new(size.width, size.height))
            }
        }
    }

    /// The page that is shown as a cover pulled over it covers it, and where the cover's edges can go.
    pub fn whole_cover(&self, room: &Rect<Glass>) -> Rect<Held> {
        let shown = self.shown(room);
        match (&self.kind, self.seen.cover()) {
            (BackdropKind::Page(_), Some(cover)) => shown.union(&cover.covers),
            _ => shown,
        }
    }

    /// What of it participants do not get, covered or hidden, in its pane. A film and a web page are withheld whole
    /// or not at all, unless they are held: their browsers play the film by themselves, and a frame of a page may be
    /// from before it was scrolled.
    pub fn withheld(&self, room: &Rect<Glass>) -> Vec<Rect<Held>> {
        let parts = self.seen.withheld();
        match self.kind {
            BackdropKind::Video { .. } | BackdropKind::Page(_)
                if !parts.is_empty() && self.seen.frozen.is_none() =>
            {
                vec![self.shown(room)]
            }
            _ => parts,
        }
    }

    fn scroll(&self) -> (f64, f64) {
        match self.kind {
            BackdropKind::Page(_) => self.seen.scroll,
            _ => (0.0, 0.0),
        }
    }

    /// How it is seen in its pane.
    pub fn view(&self, room: &Rect<Glass>) -> Map<Held, Glass> {
        let (x, y) = self.scroll();
        let in_room: Map<Held, Glass> = self
            .zoom(self.seen.zoom, room)
            .map(self.size(room), room.size());
        Map::<Held, Held>::scale_then_move(1.0, -x, -y)
            .then(&in_room)
            .then(&Map::<Glass, Glass>::scale_then_move(1.0, room.x0, room.y0))
    }

    /// As participants get to know it: without the name under which a web page's files are kept, its
    /// files' names, or its address. They get its picture, not the page.
    pub fn for_participants(mut self) -> Self {
        if let BackdropKind::Page(page) = &mut self.kind {
            match page {
                Page::Kept {
                    name,
                    entry,
                    others,
                } => {
                    let nameless = others.iter_mut().chain([name, entry]);
                    nameless.for_each(String::clear);
                }
                Page::Address(address) => address.clear(),
            }
        }
        self
    }

    /// Whether light ink is needed to be seen on it.
    pub fn is_dark(&self) -> bool {
        matches!(&self.kind, BackdropKind::Board(board) if board.surface.is_dark())
    }

    /// A swatch as it is offered here: a board's inks are seen on its surface. What the glass holds is
    /// seen on other backdrops too, and stays as it is.
    pub fn offered(&self, swatch: Swatch) -> Swatch {
        let BackdropKind::Board(board) = &self.kind else {
            return swatch;
        };
        if swatch.hold == Hold::Glass {
            return swatch;
        }
        let colour = match swatch.tip {
            Tip::Round | Tip::Rimmed => board.surface.ink(swatch.colour),
            Tip::Flat => board.surface.highlighter(swatch.colour),
        };
        Swatch { colour, ..swatch }
    }

    /// The sheet of the page that is shown; of a board for two its left half.
    pub fn sheet(&self) -> SheetId {
        SheetId::of_page(self.id, self.seen.page * self.halves())
    }

    /// All sheets that it holds at this moment.
    pub fn sheets(&self) -> impl Iterator<Item = SheetId> {
        let (id, first, n) = (self.id, self.seen.page * self.halves(), self.halves());
        (first..first + n).map(move |page| SheetId::of_page(id, page))
    }

    /// As the running order has it now, but seen as it is here: how it is seen, how many pages a board
    /// has and how large what is streamed is are the stage's to say.
    pub fn renewed(&self, order: &Self) -> Self {
        let mut renewed = order.clone();
        renewed.seen = self.seen.clone();
        match (&mut renewed.kind, &self.kind) {
            (BackdropKind::Board(new), BackdropKind::Board(old)) => new.pages = old.pages,
            (kind, _) if kind.streams() => {
                (renewed.width, renewed.height) = (self.width, self.height);
            }
            _ => {}
        }
        renewed
    }

    /// Stops a video at the moment `now` by the server's clock; `false` when there is nothing to
    /// stop.
    pub fn stop(&mut self, now: u64) -> bool {
        let BackdropKind::Video { duration, .. } = self.kind else {
            return false;
        };
        let was = self.seen.playback;
        self.seen.playback = was.play(false, now, duration);
        was.playing
    }

    /// 2 for a board for two, otherwise 1.
    pub fn halves(&self) -> u32 {
        match self.kind {
            BackdropKind::Board(Board { halved: true, .. }) => 2,
            _ => 1,
        }
    }
}

impl ViewState {
    /// The cover on the page that is shown, also one that is put away.
    pub fn cover(&self) -> Option<&Cover> {
        self.covers.iter().find(|c| c.page == self.page)
    }

    /// The cover's area on the page that is shown, unless it is put away.
    pub fn covered(&self) -> Option<Rect<Held>> {
        let cover = self.cover().filter(|cover| !cover.away);
        cover.map(|cover| cover.covers)
    }

    /// What is hidden on the page that is shown.
    pub fn hidden(&self) -> impl Iterator<Item = Rect<Held>> {
        let here = self.hidden.iter().filter(|part| part.page == self.page);
        here.map(|part| part.area)
    }

    /// Whether no further part of the backdrop can be hidden.
    pub fn hides_all_it_can(&self) -> bool {
        self.hidden.len() >= MOST_PARTS
    }

    /// What is not for participants on the page that is shown, covered or hidden.
    pub fn withheld(&self) -> Vec<Rect<Held>> {
        self.covered().into_iter().chain(self.hidden()).collect()
    }

    /// What is hidden on the page that is shown is this, and nothing else.
    pub fn hide(&mut self, parts: impl IntoIterator<Item = Rect<Held>>) {
        let page = self.page;
        self.hidden.retain(|part| part.page != page);
        let parts = parts.into_iter().map(|area| HiddenPart { page, area });
        self.hidden.extend(parts);
    }

    /// Lays a cover on its page, in the place of what lay there.
    pub fn lay_cover(&mut self, cover: Cover) {
        self.covers.retain(|c| c.page != cover.page);
        self.covers.push(cover);
    }

    /// Whether something else is withheld on the page that is shown.
    pub fn uncovers(&self, before: &Self) -> bool {
        self.withheld() != before.withheld()
    }

    /// Whether this differs from `before` only in what goes along with a hand: how large it is seen, how
    /// far it is scrolled, which moment of a film is looked for, what is covered. That is told at once, and
    /// remembered when it has come to rest.
    pub fn goes_along(&self, before: &Self) -> bool {
        let sought = Playback {
            at: self.playback.at,
            since: self.playback.since,
            ..before.playback
        };
        let moved = Self {
            zoom: self.zoom,
            scroll: self.scroll,
            playback: sought,
            covers: self.covers.clone(),
            ..before.clone()
        };
        *self == moved
    }

    /// Within what there is to see, whatever was sent. `room` is the pane.
    pub fn settled(mut self, backdrop: &BackdropView, room: &Rect<Glass>) -> Self {
        self.page = self.page.min(backdrop.kind.pages().saturating_sub(1));
        let duration = match backdrop.kind {
            BackdropKind::Video { duration, .. } => duration,
            _ => 0.0,
        };
        self.playback = self.playback.settled(duration);
        let scroll = |v: f64| {
            if v.is_finite() {
                v.clamp(0.0, 1e6)
            } else {
                0.0
            }
        };
        self.scroll = (scroll(self.scroll.0), scroll(self.scroll.1));
        let moves = backdrop.kind.moves();
        self.frozen = self.frozen.filter(|f| {
            let r = &f.shows;
            moves && [r.x0, r.y0, r.x1, r.y1].iter().all(|v| v.is_finite()) && !r.is_empty()
        });
        self.scale = self.scale.and_then(|scale| scale.checked().ok());
        self.plane = self.plane.and_then(|plane| plane.checked().ok());
        let covers = std::mem::take(&mut self.covers).into_iter();
        let covers = covers.filter(|c| c.page < backdrop.kind.pages());
        let settled = |c: Cover| {
            let whole = backdrop.coverable(c.page, room);
            c.settled(&whole)
        };
        self.covers = covers.filter_map(settled).collect();
        self.covers.sort_by_key(|c| c.page);
        self.covers.dedup_by_key(|c| c.page);
        let hidden = std::mem::take(&mut self.hidden).into_iter();
        let hidden = hidden.filter(|part| part.page < backdrop.kind.pages());
        let hidden = hidden.filter_map(|part| part.settled(&backdrop.coverable(part.page, room)));
        self.hidden = hidden.take(MOST_PARTS).collect();
        let size = backdrop.size_of_page(self.page, room);
        self.zoom = self
            .zoom
            .settled_within(size, room.size(), backdrop.reach());
        self
    }
}

/// A sign in the middle of the pane for a moving backdrop of which no picture is at hand: a page, a
/// lens, a screen.
pub fn paint_sign(kind: &BackdropKind, room: &Rect<Glass>, list: &mut DisplayList) {
    let Point { x, y, .. } = room.middle();
    let mut boxes = |boxes: &[(f64, f64, f64, f64)], colour| {
        let mut path = Path::default();
        for (x0, y0, x1, y1) in boxes {
            let a = Point::new(x + x0, y + y0);
            path.rect(&Rect::from_corners(a, Point::new(x + x1, y + y1)));
        }
        list.fill(path, colour, Blend::Over);
    };
    match kind {
        BackdropKind::Page(_) => {
            boxes(&[(-260.0, -180.0, 260.0, 180.0)], SIGN);
            boxes(&[(-260.0, -180.0, 260.0, -110.0)], SIGN_LIGHT);
            let line = |n: f64, to: f64| (-200.0, -50.0 + n * 60.0, to, -26.0 + n * 60.0);
            boxes(
                &[line(0.0, 200.0), line(1.0, 200.0), line(2.0, 60.0)],
                MOUNT,
            );
        }
        BackdropKind::Share => {
            boxes(
                &[
                    (-280.0, -190.0, 280.0, 130.0),
                    (-110.0, 160.0, 110.0, 190.0),
                ],
                SIGN,
            );
            boxes(&[(-250.0, -160.0, 250.0, 100.0)], MOUNT);
        }
        _ => {
            boxes(
                &[
                    (-240.0, -130.0, 240.0, 170.0),
                    (-80.0, -180.0, 80.0, -130.0),
                ],
                SIGN,
            );
            for (radius, colour) in [(110.0, SIGN_LIGHT), (70.0, MOUNT)] {
                let mut lens = Path::default();
                lens.polygon((0..48).map(|i| {
                    let angle = f64::from(i) / 48.0 * std::f64::consts::TAU;
                    (x + radius * angle.cos(), y + 20.0 + radius * angle.sin())
                }));
                list.fill(lens, colour, Blend::Over);
            }
        }
    }
}

const SIGN: Rgb = Rgb::hex(0x4A545F);
const SIGN_LIGHT: Rgb = Rgb::hex(0x8B949C);

/// A pane with its backdrop, or bare. Pictures lie on white, as on paper, since many that have no
/// background of their own are drawn in black.
pub fn paint(backdrop: Option<&BackdropView>, room: &Rect<Glass>, list: &mut DisplayList) {
    let mut mount = Path::default();
    mount.rect(room);
    list.fill(mount, MOUNT, Blend::Over);
    let Some(backdrop) = backdrop else {
        return;
    };
    let view = backdrop.view(room);
    if let BackdropKind::Board(board) = &backdrop.kind {
        return board::paint(board, backdrop.width, room, &view, list);
    }
    let frozen = backdrop.seen.frozen;
    let to = view.apply_rect(&frozen.map_or_else(|| backdrop.shown(room), |f| f.shows));
    if !backdrop.kind.moves() {
        let mut paper = Path::default();
        paper.rect(&to);
        list.fill(paper, WHITE, Blend::Over);
    }
    let source = match frozen {
        Some(f) => Source::Frozen(f.picture),
        None => Source::Backdrop(backdrop.id),
    };
    list.items.push(Item::Picture { source, to });
}
