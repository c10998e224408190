//! Printing bands of rows side by side.

use std::thread;

use resvg::tiny_skia::{Pixmap, PixmapMut};

/// Prints bands of whole rows side by side, one to a processor; `print` is told which row of the
/// picture its band begins with.
pub fn in_bands(pixmap: &mut Pixmap, print: impl Fn(PixmapMut, u32) + Sync) {
    let (width, height) = (pixmap.width(), pixmap.height());
    let processors = thread::available_parallelism().map_or(1, |n| n.get() as u32);
    let rows = height.div_ceil(processors).max(64);
    let bytes = (rows * width * 4) as usize;
    thread::scope(|scope| {
        for (data, top) in pixmap
            .data_mut()
            .chunks_mut(bytes)
            .zip((0..).step_by(rows as usize))
        {
            let print = &print;
            let rows = rows.min(height - top);
            scope.spawn(move || {
                if let Some(band) = PixmapMut::from_bytes(data, width, rows) {
                    print(band, top);
                }
            });
        }
    });
}
