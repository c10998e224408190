//! Where the packets of a recording lie in its file.

use std::collections::BTreeMap;
use std::io::{Read, Seek, SeekFrom};

use bozzetto_core::recording::pieces::{self, Coded, START, Track};

use crate::Result;

/// A packet, and where its data is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Place {
    pub track: Track,
    /// When it is shown, in microseconds from where the film begins.
    pub at: u64,
    /// It is decoded without those before it.
    pub key: bool,
    /// How it is encoded: which of [`Kept::coded`].
    pub coded: usize,
    /// Where its data begins in the file, in bytes.
    pub from: u64,
    pub size: u32,
}

impl Place {
    /// Its data; `file` is where it lies.
    pub fn read(&self, file: &mut (impl Read + Seek)) -> Result<Vec<u8>> {
        let mut data = vec![0; self.size as usize];
        file.seek(SeekFrom::Start(self.from))?;
        file.read_exact(&mut data)?;
        Ok(data)
    }
}

/// What is known of a recording without its data.
#[derive(Clone, PartialEq, Debug, Default)]
pub struct Kept {
    /// How tracks are encoded. Another browser that went on may have done it otherwise.
    pub coded: Vec<Coded>,
    /// In the order in which they lie.
    pub places: Vec<Place>,
    /// What the film shows at the first time, in microseconds, the lesson was at the second, in milliseconds since 1970;
    /// in order.
    pub clock: Vec<(u64, u64)>,
    /// How long it is, in microseconds.
    pub lasts: u64,
}

impl Kept {
    /// Reads the heads of the pieces in the first `length` bytes of a file; takes a read of some kilobytes for each.
    pub fn read(file: &mut (impl Read + Seek), length: u64) -> Result<Self> {
        let mut kept = Self::default();
        let mut at = 0;
        let mut head = Vec::new();
        let mut now = BTreeMap::new();
        while at < length {
            file.seek(SeekFrom::Start(at))?;
            let mut start = [0; START];
            file.read_exact(&mut start)?;
            let (head_size, data_size) = pieces::lengths(&start);
            if head_size > pieces::LARGEST {
                return Err(pieces::Broken.into());
            }
            head.resize(head_size, 0);
            file.read_exact(&mut head)?;
            let mut from = at + (START + head_size) as u64;
            at = from + data_size as u64;
            let head = pieces::read_head(&head)?;
            kept.clock.push((head.from, head.taken));
            kept.lasts = kept.lasts.max(head.to);
            for coded in head.coded {
                let known = kept.coded.iter().position(|known| *known == coded);
                let number = known.unwrap_or_else(|| {
                    kept.coded.push(coded.clone());
                    kept.coded.len() - 1
                });
                now.insert(coded.track, number);
            }
            for packet in head.packets {
                let pieces::Packet {
                    track,
                    at,
                    key,
                    size,
                } = packet;
                let coded = *now.get(&track).ok_or(pieces::Broken)?;
                kept.places.push(Place {
                    track,
                    at,
                    key,
                    coded,
                    from,
                    size,
                });
                from += u64::from(size);
            }
        }
        Ok(kept)
    }

    /// The times at which the film can begin, in seconds.
    pub fn keys(&self) -> Vec<f64> {
        let keys = self
            .places
            .iter()
            .filter(|p| p.track == Track::Picture && p.key);
        keys.map(|p| p.at as f64 / 1e6).collect()
    }
}
