//! What is handed in elsewhere: a picture that fits the box of somebody else's form.

use serde::{Deserialize, Serialize};

/// What a picture has to fit: pixels, and perhaps bytes.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Fits {
    pub width: u32,
    pub height: u32,
    /// The most, if there is a limit.
    pub bytes: Option<u64>,
}

/// The largest side of a box, in pixels.
pub const LARGEST: u32 = 8192;
/// The least that a picture can be asked to have, in bytes: below, nothing can be read.
pub const LEAST_BYTES: u64 = 10_000;

impl Fits {
    /// From what somebody has written: width and height in pixels, kB of a thousand bytes. All empty is no box.
    ///
    /// ```
    /// use bozzetto_core::worksheets::elsewhere::Fits;
    /// let box_of_a_form = Fits { width: 600, height: 400, bytes: Some(500_000) };
    /// assert_eq!(Fits::written("600", " 400 ", "500"), Ok(Some(box_of_a_form)));
    /// assert_eq!(Fits::written("", "", ""), Ok(None));
    /// assert!(Fits::written("600", "", "").is_err());
    /// ```
    ///
    /// # Errors
    /// In words for the person.
    pub fn written(width: &str, height: &str, kb: &str) -> Result<Option<Self>, &'static str> {
        let [width, height, kb] = [width, height, kb].map(str::trim);
        if [width, height, kb].iter().all(|field| field.is_empty()) {
            return Ok(None);
        }
        let side = |written: &str| {
            let side = written.parse().ok();
            side.filter(|side| (16..=LARGEST).contains(side))
                .ok_or("A box has a width and a height, from 16 to 8192 pixels.")
        };
        let bytes = match kb {
            "" => None,
            written => {
                let bytes = written
                    .parse::<u64>()
                    .ok()
                    .and_then(|kb| kb.checked_mul(1000));
                let enough = bytes.filter(|bytes| *bytes >= LEAST_BYTES);
                Some(enough.ok_or("The most is a number of kB, from 10.")?)
            }
        };
        Ok(Some(Self {
            width: side(width)?,
            height: side(height)?,
            bytes,
        }))
    }

    /// In words.
    pub fn words(&self) -> String {
        let Self {
            width,
            height,
            bytes,
        } = self;
        match bytes {
            Some(bytes) => format!("{width} × {height}, at most {} kB", bytes / 1000),
            None => format!("{width} × {height}"),
        }
    }
}
