#![no_main]
//! What a web page on stage may say: numbers and words of its own choice.

use bozzetto_core::stage::backdrop::{BackdropKind, BackdropView, Page, Seen};
use bozzetto_core::geometry::frames::{Point, Rect};
use bozzetto_core::geometry::ids::BackdropId;
use bozzetto_core::prefs::keys::Keys;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|said: (f64, f64, u32, &str, &str)| {
    let (x, y, page, file, key) = said;
    let kind = Page::Kept {
        name: "1f".to_owned(),
        entry: "index.html".to_owned(),
        others: vec!["a/b.html".to_owned(), "c.html".to_owned()],
    };
    let room = Rect::from_corners(Point::new(0.0, 0.0), Point::new(1920.0, 1080.0));
    let shown = kind.page_of(file);
    assert!(shown.is_none_or(|n| kind.file(n) == Some(file)));
    let view = BackdropView {
        id: BackdropId(1),
        name: String::new(),
        width: 1280.0,
        height: 720.0,
        kind: BackdropKind::Page(kind),
        seen: Seen::default(),
    };
    let seen = Seen {
        page: shown.unwrap_or(page),
        scroll: (x, y),
        ..Seen::default()
    };
    let seen = seen.settled(&view, &room);
    assert!(seen.page < 3 && seen.scroll.0.is_finite() && seen.scroll.1 >= 0.0);
    let view = BackdropView { seen, ..view };
    let lies = view.view(&room).apply_rect(&view.shown(&room));
    assert!(lies.x0.is_finite() && lies.y1.is_finite());
    let _ = Keys::default().deed(key).map(|d| d.may_come_from_page());
});
