//! Sound that is encoded in Opus: what a decoder has to know, and a file of sound alone (RFC 7845).

use std::io::{Read, Seek, Write};

use bozzetto_core::recording::pieces::{Coded, Track};
use ogg::writing::{PacketWriteEndInfo as Ends, PacketWriter};

use crate::film::Film;
use crate::{Fault, Result};

/// How many samples of each second the positions of Opus count (RFC 7845, section 4).
const SAMPLES: u64 = 48_000;
/// What an encoder looks ahead, where it does not say: 6.5 ms, as libopus at 48 kHz.
const PRE_SKIP: u16 = 312;

/// What the head of a stream says (RFC 7845, section 5.1).
pub struct Head {
    pub channels: u8,
    /// Samples at the beginning that are not played.
    pub pre_skip: u16,
    pub bytes: Vec<u8>,
}

impl Head {
    /// As the encoder gave it; made up of what is known where it gave none.
    pub fn of(coded: &Coded) -> Result<Self> {
        let given = &coded.description;
        if given.len() >= 19 && given.starts_with(b"OpusHead") {
            let pre_skip = u16::from_le_bytes([given[10], given[11]]);
            return Ok(Self {
                channels: given[9],
                pre_skip,
                bytes: given.clone(),
            });
        }
        let channels = match coded.size.1 {
            1 => 1,
            2 => 2,
            _ => return Err(Fault::Kind),
        };
        let mut bytes = b"OpusHead\x01".to_vec();
        bytes.push(channels);
        bytes.extend(PRE_SKIP.to_le_bytes());
        bytes.extend(coded.size.0.to_le_bytes());
        // No gain, and one stream of one or two channels.
        bytes.extend([0, 0, 0]);
        Ok(Self {
            channels,
            pre_skip: PRE_SKIP,
            bytes,
        })
    }
}

/// Writes the sound of a film alone, as Opus in Ogg; `file` is where its packets lie.
pub fn ogg(film: &Film, file: &mut (impl Read + Seek), out: impl Write) -> Result<()> {
    let coded = film.sound().ok_or(Fault::Kind)?;
    if coded.codec != "opus" {
        return Err(Fault::Kind);
    }
    let head = Head::of(coded)?;
    let mut writer = PacketWriter::new(out);
    /// There is one stream in the file.
    const STREAM: u32 = 1;
    let pre_skip = u64::from(head.pre_skip);
    writer.write_packet(head.bytes, STREAM, Ends::EndPage, 0)?;
    writer.write_packet(tags(&film.title), STREAM, Ends::EndPage, 0)?;
    let mut packets = film.of_track(Track::Sound).peekable();
    while let Some(shown) = packets.next() {
        let ends = match packets.peek() {
            Some(_) => Ends::NormalPacket,
            None => Ends::EndStream,
        };
        // A position is that of the end of a packet.
        let end = ((shown.at + shown.lasts) * SAMPLES + 500_000) / 1_000_000;
        writer.write_packet(shown.place.read(file)?, STREAM, ends, end + pre_skip)?;
    }
    Ok(())
}

/// Section 5.2.
fn tags(title: &str) -> Vec<u8> {
    let text = |text: &str| [&(text.len() as u32).to_le_bytes(), text.as_bytes()].concat();
    let how_many = 1u32.to_le_bytes();
    [
        b"OpusTags",
        &text("Bozzetto")[..],
        &how_many,
        &text(&format!("TITLE={title}")),
    ]
    .concat()
}
