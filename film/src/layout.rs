//! A file that consists of ranges of another, with some bytes of its own between them.

use std::io::{Read, Result, Seek, SeekFrom};
use std::ops::Range;

/// What a file consists of, in order. Takes 32 bytes for each part.
#[derive(Clone, Debug, Default)]
pub struct Layout {
    own: Vec<u8>,
    parts: Vec<Part>,
    size: u64,
}

#[derive(Clone, Copy, Debug)]
struct Part {
    /// Where it begins in this file.
    at: u64,
    /// Where it begins in what it is of.
    from: u64,
    size: u64,
    /// It is of the other file, not of the own bytes.
    kept: bool,
}

impl Layout {
    /// In bytes.
    pub fn size(&self) -> u64 {
        self.size
    }

    /// Adds bytes of its own.
    pub fn own(&mut self, bytes: &[u8]) {
        let from = self.own.len() as u64;
        self.own.extend(bytes);
        self.add(from, bytes.len() as u64, false);
    }

    /// Adds a range of the other file.
    pub fn kept(&mut self, from: u64, size: u64) {
        self.add(from, size, true);
    }

    fn add(&mut self, from: u64, size: u64, kept: bool) {
        let at = self.size;
        self.size += size;
        match self.parts.last_mut() {
            Some(last) if last.kept == kept && last.from + last.size == from => last.size += size,
            _ => self.parts.push(Part {
                at,
                from,
                size,
                kept,
            }),
        }
    }

    /// Everything of another one, after what is here.
    pub fn append(&mut self, other: &Layout) {
        for part in &other.parts {
            match part.kept {
                true => self.kept(part.from, part.size),
                false => self.own(&other.own[part.from as usize..(part.from + part.size) as usize]),
            }
        }
    }

    /// Reads a range of this file; `file` is the other one.
    pub fn read<F: Read + Seek>(&self, file: F, range: Range<u64>) -> Reader<'_, F> {
        let end = range.end.min(self.size);
        Reader {
            layout: self,
            file,
            at: range.start,
            end,
        }
    }
}

/// Reads a [`Layout`].
pub struct Reader<'a, F> {
    layout: &'a Layout,
    file: F,
    at: u64,
    end: u64,
}

impl<F: Read + Seek> Read for Reader<'_, F> {
    fn read(&mut self, buffer: &mut [u8]) -> Result<usize> {
        let mut done = 0;
        while done < buffer.len() && self.at < self.end {
            let parts = &self.layout.parts;
            let part = parts[parts.partition_point(|part| part.at <= self.at) - 1];
            let into = self.at - part.at;
            let most = (part.size - into)
                .min(self.end - self.at)
                .min((buffer.len() - done) as u64);
            let slot = &mut buffer[done..done + most as usize];
            let from = part.from + into;
            if part.kept {
                self.file.seek(SeekFrom::Start(from))?;
                self.file.read_exact(slot)?;
            } else {
                slot.copy_from_slice(&self.layout.own[from as usize..(from + most) as usize]);
            }
            done += most as usize;
            self.at += most;
        }
        Ok(done)
    }
}
