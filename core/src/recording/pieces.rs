//! A film as it is made: encoded packets, in numbered pieces that are kept one after the other in one file.
//!
//! A piece is its [start](START), its head, and the data of its packets. Whatever breaks off, what came before can be read; and where
//! each packet lies is known from the heads alone.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// What a packet is of.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Debug, Serialize, Deserialize)]
pub enum Track {
    Picture,
    Sound,
}

/// What an encoder has given; its data comes after the head.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Packet {
    pub track: Track,
    /// When it is shown, in microseconds from where the film begins.
    pub at: u64,
    /// It is decoded without those before it.
    pub key: bool,
    /// In bytes.
    pub size: u32,
}

/// How a track is encoded.
#[derive(Clone, PartialEq, Eq, Debug, Serialize, Deserialize)]
pub struct Coded {
    pub track: Track,
    /// As browsers call it: RFC 6381.
    pub codec: String,
    /// Width and height of the picture; samples a second and channels of the sound.
    pub size: (u32, u32),
    /// What a decoder has to know beforehand.
    pub description: Vec<u8>,
}

/// What is known of a piece before its data.
#[derive(Clone, PartialEq, Debug, Default, Serialize, Deserialize)]
pub struct Head {
    /// From 0; each once.
    pub number: u32,
    /// What the film shows where this piece begins, in microseconds from where it begins, ...
    pub from: u64,
    /// ... is what the lesson was at this time, in milliseconds since 1970 by the server's clock.
    pub taken: u64,
    /// The first moment that belongs to the next piece, in microseconds from where the film begins.
    pub to: u64,
    /// How what follows is encoded: in the first piece, and where that is otherwise than before.
    pub coded: Vec<Coded>,
    /// In the order in which they have to be decoded.
    pub packets: Vec<Packet>,
}

/// The bytes before a head: how long head and data are, and the check sum of both, each four bytes with the lowest first.
pub const START: usize = 12;
/// Heads begin with the number of their form.
const FORM: u8 = 1;
/// The most bytes of a piece: some seconds of the finest film.
pub const LARGEST: usize = 24 * 1024 * 1024;

/// Why something is no piece.
#[derive(Clone, Copy, PartialEq, Eq, Debug, Error)]
#[error("this is no whole piece of a film")]
pub struct Broken;

/// A piece as it is sent and kept. `data` is that of all packets, one after the other.
pub fn sealed(head: &Head, data: &[u8]) -> Vec<u8> {
    let head =
        postcard::to_extend(head, vec![FORM]).expect("a head has nothing that cannot be written");
    let mut sum = crc32fast::Hasher::new();
    sum.update(&head);
    sum.update(data);
    let mut bytes = Vec::with_capacity(START + head.len() + data.len());
    for number in [head.len() as u32, data.len() as u32, sum.finalize()] {
        bytes.extend(number.to_le_bytes());
    }
    bytes.extend(head);
    bytes.extend(data);
    bytes
}

/// How long the head of a piece is, and its data.
pub fn lengths(start: &[u8; START]) -> (usize, usize) {
    let number =
        |at: usize| u32::from_le_bytes([start[at], start[at + 1], start[at + 2], start[at + 3]]);
    (number(0) as usize, number(4) as usize)
}

/// A head; that its data is whole is not looked at.
pub fn read_head(bytes: &[u8]) -> Result<Head, Broken> {
    match bytes.split_first() {
        Some((&FORM, rest)) => postcard::from_bytes(rest).map_err(|_| Broken),
        _ => Err(Broken),
    }
}

/// A piece that is whole and all of `bytes`: its head and its data.
pub fn opened(bytes: &[u8]) -> Result<(Head, &[u8]), Broken> {
    let (start, rest) = bytes.split_first_chunk::<START>().ok_or(Broken)?;
    let (head, data) = lengths(start);
    let sum = u32::from_le_bytes([start[8], start[9], start[10], start[11]]);
    if Some(rest.len()) != head.checked_add(data) || crc32fast::hash(rest) != sum {
        return Err(Broken);
    }
    let (head, data) = rest.split_at(head);
    let head = read_head(head)?;
    let sizes: u64 = head
        .packets
        .iter()
        .map(|packet| u64::from(packet.size))
        .sum();
    let in_order = |track| {
        let mut at = head
            .packets
            .iter()
            .filter(|p| p.track == track)
            .map(|p| p.at);
        let first = at.next().unwrap_or(head.from);
        at.try_fold(first, |before, at| (at > before).then_some(at))
            .is_some()
    };
    let sound = head.from <= head.to && in_order(Track::Picture) && in_order(Track::Sound);
    if sizes != data.len() as u64 || !sound {
        return Err(Broken);
    }
    Ok((head, data))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// A piece is read as it was written; with any byte of it changed, missing or added it is none.
        #[test]
        fn a_piece_is_whole_or_none(sizes in prop::collection::vec(0u32..40, 0..20), at in any::<prop::sample::Index>(), flip in 1u8..) {
            let packets: Vec<Packet> = (1u64..)
                .zip(&sizes)
                .map(|(n, size)| Packet { track: Track::Sound, at: n * 20_000, key: n % 3 == 0, size: *size })
                .collect();
            let head = Head { number: 7, to: 400_000, packets, ..Head::default() };
            let data: Vec<u8> = (0..sizes.iter().sum::<u32>()).map(|n| n as u8).collect();
            let mut piece = sealed(&head, &data);
            prop_assert_eq!(opened(&piece), Ok((head, &data[..])));
            prop_assert!(opened(&piece[..piece.len() - 1]).is_err());
            piece.push(0);
            prop_assert!(opened(&piece).is_err());
            piece.pop();
            let n = at.index(piece.len());
            piece[n] ^= flip;
            prop_assert!(opened(&piece).is_err());
        }
    }
}
