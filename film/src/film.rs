//! What of a recording is shown, and when.

use bozzetto_core::recording::cuts::{Chapter, Cuts};
use bozzetto_core::recording::pieces::{Coded, Track};

use crate::kept::{Kept, Place};
use crate::{Fault, Result};

/// A packet of a film.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Shown {
    /// Where it lies; its time there is that of the whole recording.
    pub place: Place,
    /// When it is shown, in microseconds from where the film begins.
    pub at: u64,
    /// For how long, in microseconds.
    pub lasts: u64,
}

/// A recording with parts of it taken out.
#[derive(Clone, PartialEq, Debug)]
pub struct Film {
    /// How its packets are encoded, by their numbers.
    pub coded: Vec<Coded>,
    /// By the time at which they are shown.
    pub packets: Vec<Shown>,
    /// How long it is, in microseconds.
    pub lasts: u64,
    pub title: String,
    /// In seconds of this film.
    pub chapters: Vec<Chapter>,
}

impl Film {
    /// What is left of a recording. Each part begins with the first key frame in it: see [`Cuts::at_keys`]. `chapters` are in
    /// the time of the whole recording.
    pub fn of(kept: &Kept, cuts: &Cuts, title: &str, chapters: &[Chapter]) -> Result<Self> {
        let cuts = cuts.at_keys(&kept.keys());
        let micros = |seconds: f64| (seconds * 1e6).round() as u64;
        let mut packets: Vec<Shown> = Vec::new();
        let mut before = 0;
        for (from, to) in cuts.parts() {
            let (from, to) = (micros(*from), micros(*to).min(kept.lasts));
            let inside = kept
                .places
                .iter()
                .filter(|place| (from..to).contains(&place.at));
            packets.extend(inside.map(|place| Shown {
                place: *place,
                at: before + (place.at - from),
                lasts: 0,
            }));
            before += to.saturating_sub(from);
        }
        // Sorting is stable: what is decoded after another stays after it.
        packets.sort_by_key(|packet| packet.at);
        let mut film = Self {
            coded: kept.coded.clone(),
            packets,
            lasts: before,
            title: title.to_owned(),
            chapters: cuts
                .chapters(chapters)
                .into_iter()
                .map(|(_, chapter)| chapter)
                .collect(),
        };
        film.stretch(Track::Picture);
        film.stretch(Track::Sound);
        film.picture()?;
        Ok(film)
    }

    /// Each packet of a track is shown until the next one is, and the first one from the beginning.
    fn stretch(&mut self, track: Track) {
        let mut until = self.lasts;
        let mut first = None;
        for (n, packet) in self.packets.iter_mut().enumerate().rev() {
            if packet.place.track == track {
                packet.lasts = until.saturating_sub(packet.at);
                until = packet.at;
                first = Some(n);
            }
        }
        if let Some(first) = first {
            let packet = &mut self.packets[first];
            packet.lasts += packet.at;
            packet.at = 0;
        }
    }

    /// How long it is.
    pub fn seconds(&self) -> f64 {
        self.lasts as f64 / 1e6
    }

    /// Whether a WebM file holds what is in it.
    pub fn is_webm(&self) -> bool {
        let picture = self.picture();
        picture.is_ok_and(|picture| !picture.codec.starts_with("avc1"))
    }

    /// How its first picture is encoded.
    pub fn picture(&self) -> Result<&Coded> {
        self.first(Track::Picture).ok_or(Fault::Empty)
    }

    /// How its sound is, if it has some.
    pub fn sound(&self) -> Option<&Coded> {
        self.first(Track::Sound)
    }

    fn first(&self, track: Track) -> Option<&Coded> {
        let first = self.of_track(track).next()?;
        Some(&self.coded[first.place.coded])
    }

    /// The packets of a track, in order.
    pub fn of_track(&self, track: Track) -> impl Iterator<Item = &Shown> {
        self.packets
            .iter()
            .filter(move |packet| packet.place.track == track)
    }
}
