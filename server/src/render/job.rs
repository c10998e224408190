//! What a worker is asked to do, and what it answers: the messages between the server and
//! `bozzetto render`. Both are always the same program, so their form may change at any time.

use std::path::PathBuf;

use bozzetto_core::capture::Plan;
use bozzetto_core::capture::moment::Bench;
use bozzetto_core::capture::paper::Layout;
use bozzetto_core::capture::send::Format;
use bozzetto_core::capture::way::Outline;
use bozzetto_core::display::{self, DisplayList};
use bozzetto_core::geometry::frames::{Glass, Rect, Size};
use bozzetto_core::marks::mark::Mark;
use bytes::Bytes;
use serde::{Deserialize, Serialize};

/// A file in the data folder. What it is called by is what is kept of it in a worker's memory.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct File {
    pub name: String,
    pub path: PathBuf,
}

/// A part of a page, in pixels: see [`bozzetto_press::document::Part`].
#[derive(Clone, Copy, PartialEq, Debug, Serialize, Deserialize)]
pub struct PagePart {
    pub page: usize,
    pub scale: f64,
    pub x: u32,
    pub y: u32,
    pub width: u32,
    pub height: u32,
}

/// How a capture is sent: see [`bozzetto_press::send::Wanted`].
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub struct Send {
    pub width: u32,
    pub height: u32,
    pub format: Format,
    pub quality: u8,
    pub most: Option<u64>,
    pub title: String,
    pub taken: String,
}

/// What a display list's picture is.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
pub enum Shows {
    Picture(File),
    /// A page of a document, counted from 0, and its width in points.
    Page {
        file: File,
        page: usize,
        width: f64,
    },
}

/// Which picture of a display list.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug, Serialize, Deserialize)]
pub enum Which {
    Backdrop(display::Source),
    Placed(u64),
}

/// A display list to be printed, and what its pictures are. Those that are not named stay bare.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Print {
    pub list: DisplayList,
    pub plan: Plan,
    pub pictures: Vec<(Which, Shows)>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub enum Job {
    /// Read a picture that somebody brought to its end.
    Picture(PathBuf),
    /// Read a document that somebody brought.
    Document(PathBuf),
    /// Read a file of marks: SVG of our own, or InkML.
    Marks { file: PathBuf, stage: Size<Glass> },
    /// Print a part of a page as a PNG file.
    Page { file: File, part: PagePart },
    /// Print a display list as a PNG file that lets through what is beneath.
    Cut(Print),
    /// Print a display list as a PNG file of at most this width and height.
    Small { print: Print, most: (u32, u32) },
    /// Print a display list as a PNG file of so many pixels to a CSS pixel, and a small version.
    Capture {
        print: Print,
        scale: f64,
        most: (u32, u32),
        /// What lies outside of it is let through.
        outline: Option<Outline>,
        bench: Bench,
        /// All that a camera saw.
        seen: Rect<Glass>,
    },
    /// Make a PDF file of captures' pictures, each with its words; `shape` is that of most of them.
    Pages {
        files: Vec<(File, String)>,
        title: String,
        layout: Layout,
        shape: f64,
    },
    /// Make an SVG file in which marks are lines.
    Svg { print: Print, title: String },
    /// Make a file for elsewhere of a capture's picture.
    Send { file: File, send: Send },
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub enum Done {
    Picture {
        bytes: Bytes,
        mime: String,
        width: u32,
        height: u32,
        vector: bool,
        moved: bool,
    },
    /// The sizes of a document's pages, in points.
    Document(Vec<(f32, f32)>),
    /// The marks, and what could not be read.
    Marks {
        marks: Vec<Mark>,
        left: Vec<String>,
    },
    Png(Bytes),
    Capture {
        whole: Bytes,
        small: Bytes,
        width: u32,
        height: u32,
    },
    /// A file for elsewhere, and the quality that it has.
    Sent {
        bytes: Bytes,
        quality: u8,
    },
    /// It cannot be done, and why, in words for whoever asked.
    Fault(String),
}

/// A job with what it may take: memory, in bytes, and time of processors, in seconds.
#[derive(Debug, Serialize, Deserialize)]
pub struct Order {
    pub memory: u64,
    pub seconds: u64,
    pub job: Job,
}
