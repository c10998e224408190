//! Files of made-up packets, read back by libraries of other people: `matroska-demuxer` and `re_mp4`.

use std::io::{Cursor, Read};

use bozzetto_core::recording::cuts::{Chapter, Cuts};
use bozzetto_core::recording::pieces::{Coded, Head, Packet, Track, sealed};
use bozzetto_film::{Film, Kept, Layout, mp4, webm};
use matroska_demuxer::{Frame, MatroskaFile};
use proptest::prelude::*;

/// The beginning of a key frame of VP9, 1600 x 1000, which is all that a file needs to know of it (VP9 bitstream
/// specification, 6.2: marker, profile 0, key frame that is shown; sync code; colours of BT.709; sides less one).
const KEY: [u8; 9] = [0x82, 0x49, 0x83, 0x42, 0x40, 0x63, 0xf0, 0x3e, 0x70];

/// A recording: a picture each 100 ms or so, a key frame as often as is said, sound each 20 ms; in pieces of two seconds.
fn recording(gaps: &[u64], key_each: usize, with_sound: bool) -> Vec<u8> {
    let mut at = 0;
    let pictures = gaps.iter().enumerate().map(|(n, gap)| {
        let data = [
            if n % key_each == 0 { &KEY[..] } else { &[0x86] },
            &(n as u32).to_le_bytes(),
        ]
        .concat();
        let packet = Packet {
            track: Track::Picture,
            at,
            key: n % key_each == 0,
            size: data.len() as u32,
        };
        at += gap;
        (packet, data)
    });
    let mut all: Vec<(Packet, Vec<u8>)> = pictures.collect();
    let lasts = at;
    if with_sound {
        all.extend((0..lasts / 20_000).map(|n| {
            let data = n.to_be_bytes()[..1 + (n as usize * 7) % 8].to_vec();
            (
                Packet {
                    track: Track::Sound,
                    at: n * 20_000,
                    key: true,
                    size: data.len() as u32,
                },
                data,
            )
        }));
        all.sort_by_key(|(packet, _)| packet.at);
    }
    let coded = |track, codec: &str, size| Coded {
        track,
        codec: codec.to_owned(),
        size,
        description: Vec::new(),
    };
    let mut coded = vec![
        coded(Track::Picture, "vp09.00.40.08", (1600, 1000)),
        coded(Track::Sound, "opus", (48_000, 1)),
    ];
    coded.truncate(1 + usize::from(with_sound));
    let mut file = Vec::new();
    for (number, from) in (0..).zip((0..lasts).step_by(2_000_000)) {
        let to = (from + 2_000_000).min(lasts);
        let until = |end| all.partition_point(|(packet, _)| packet.at < end);
        let inside = &all[until(from)..until(to)];
        let head = Head {
            number,
            from,
            taken: 1_700_000_000_000 + from / 1000,
            to,
            coded: std::mem::take(&mut coded),
            packets: inside.iter().map(|(packet, _)| packet.clone()).collect(),
        };
        let data: Vec<u8> = inside.iter().flat_map(|(_, data)| data.clone()).collect();
        file.extend(sealed(&head, &data));
    }
    file
}

fn all_of(layout: &Layout, file: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::new();
    layout
        .read(Cursor::new(file), 0..layout.size())
        .read_to_end(&mut bytes)
        .unwrap();
    bytes
}

/// What was read back: the track, when in ticks, whether by itself, the data.
type Read1 = (Track, u64, bool, Vec<u8>);

/// What a film should contain, in the order of what is read back. WebM has a thousand ticks a second and says the last whole
/// one, MP4 has as many as sound has samples and says the nearest.
fn wanted(film: &Film, file: &[u8], ticks: impl Fn(u64) -> u64) -> Vec<Read1> {
    let one = |shown: &bozzetto_film::Shown| {
        let data = file[shown.place.from as usize..][..shown.place.size as usize].to_vec();
        let key = shown.place.key || shown.place.track == Track::Sound;
        (shown.place.track, ticks(shown.at), key, data)
    };
    sorted(film.packets.iter().map(one).collect())
}

fn sorted(mut all: Vec<Read1>) -> Vec<Read1> {
    all.sort();
    all
}

fn read_webm(bytes: &[u8]) -> (Vec<Read1>, f64, Vec<(u64, String)>) {
    let mut read = MatroskaFile::open(Cursor::new(bytes)).unwrap();
    assert_eq!(read.ebml_header().doc_type(), "webm");
    let mut all = Vec::new();
    let mut frame = Frame::default();
    while read.next_frame(&mut frame).unwrap() {
        let track = if frame.track == 1 {
            Track::Picture
        } else {
            Track::Sound
        };
        all.push((
            track,
            frame.timestamp,
            frame.is_keyframe.unwrap(),
            frame.data.clone(),
        ));
    }
    let chapters = read
        .chapters()
        .into_iter()
        .flatten()
        .flat_map(|edition| edition.chapter_atoms());
    let chapters = chapters.map(|one| {
        (
            one.time_start() / 1_000_000,
            one.displays()[0].string().to_owned(),
        )
    });
    (all, read.info().duration().unwrap(), chapters.collect())
}

fn read_mp4(bytes: &[u8]) -> Vec<Read1> {
    let read = re_mp4::Mp4::read_bytes(bytes).unwrap();
    let mut all = Vec::new();
    for track in read.tracks().values() {
        let kind = if track.width > 0 {
            Track::Picture
        } else {
            Track::Sound
        };
        for sample in &track.samples {
            let data = bytes[sample.byte_range()].to_vec();
            all.push((
                kind,
                sample.composition_timestamp as u64,
                sample.is_sync,
                data,
            ));
        }
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// Whatever is taken out: every packet that is left is in the file, whole, at its time, and nothing else is; a range of a
    /// file is that of the whole.
    #[test]
    fn files_hold_what_is_left(
        gaps in prop::collection::vec(33_000u64..400_000, 30..120),
        key_each in 5usize..20,
        cuts in prop::collection::vec((0.0..1.0f64, 0.0..1.0f64), 0..3),
        with_sound in any::<bool>(),
        range in (any::<prop::sample::Index>(), any::<prop::sample::Index>()),
    ) {
        let file = recording(&gaps, key_each, with_sound);
        let kept = Kept::read(&mut Cursor::new(&file), file.len() as u64).unwrap();
        let seconds = kept.lasts as f64 / 1e6;
        prop_assert_eq!(kept.lasts, gaps.iter().sum::<u64>());
        let mut left = Cuts::whole(seconds);
        for (a, b) in cuts {
            left.take_out(a * seconds, b * seconds);
        }
        let chapters = [Chapter { at: 0.0, name: "Tide".to_owned() }, Chapter { at: seconds / 2.0, name: "Ébène 潮".to_owned() }];
        let Ok(film) = Film::of(&kept, &left, "Lesson", &chapters) else { return Ok(()) };
        // Every part begins with a whole picture, and nothing of what was taken out is seen.
        for shown in &film.packets {
            let at = shown.place.at as f64 / 1e6;
            prop_assert!(left.parts().iter().any(|(from, to)| (*from - 1e-6..*to + 1e-6).contains(&at)));
        }

        let layout = webm(&film, &mut Cursor::new(&file)).unwrap();
        let bytes = all_of(&layout, &file);
        let (read, lasts, named) = read_webm(&bytes);
        prop_assert_eq!(sorted(read), wanted(&film, &file, |micros| micros / 1000));
        prop_assert_eq!(lasts as u64, film.lasts / 1000);
        prop_assert_eq!(named.len(), film.chapters.len());

        let (a, b) = (range.0.index(bytes.len()), range.1.index(bytes.len()));
        let (a, b) = (a.min(b), a.max(b));
        let mut part = Vec::new();
        layout.read(Cursor::new(&file), a as u64..b as u64).read_to_end(&mut part).unwrap();
        prop_assert_eq!(&part[..], &bytes[a..b]);

        let bytes = all_of(&mp4(&film, &mut Cursor::new(&file)).unwrap(), &file);
        prop_assert_eq!(sorted(read_mp4(&bytes)), wanted(&film, &file, |micros| (micros * 48 + 500) / 1000));
    }
}

/// A film of five hours whose pictures do not come at even times: what players need is at its beginning, and takes no more for
/// each packet than a recorder counts with, so that a film that may have so many bytes has them.
#[test]
fn what_players_need_comes_first_however_long_it_is() {
    let gaps: Vec<u64> = (0..225_000).map(|n| 70_000 + n * 7919 % 20_000).collect();
    let file = recording(&gaps, 150, true);
    let kept = Kept::read(&mut Cursor::new(&file), file.len() as u64).unwrap();
    let whole = Cuts::whole(kept.lasts as f64 / 1e6);
    let film = Film::of(&kept, &whole, "Lesson", &[]).unwrap();
    let layout = mp4(&film, &mut Cursor::new(&file)).unwrap();
    let bytes = all_of(&layout, &file);
    let at = |name: &[u8]| bytes.windows(4).position(|w| w == name).unwrap();
    assert!(at(b"moov") < at(b"mdat"));
    let data: u64 = film.packets.iter().map(|p| u64::from(p.place.size)).sum();
    let around = bytes.len() as u64 - data;
    assert!(
        around <= 4096 + 20 * film.packets.len() as u64,
        "{around} for {}",
        film.packets.len()
    );
}
