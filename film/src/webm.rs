//! WebM files (RFC 9559, and the WebM guidelines): with cues before everything that they point to, and chapters.

use std::io;

use bozzetto_core::recording::cuts::Chapter;
use bozzetto_core::recording::pieces::Track;
use ebml_iterable::specs::{EbmlTag, Master};
use ebml_iterable::tools::Vint;
use ebml_iterable::{TagWriter, WriteOptions};
use webm_iterable::matroska_spec::MatroskaSpec as Tag;

use crate::film::{Film, Shown};
use crate::layout::Layout;
use crate::mp4::av1_private;
use crate::opus::Head;
use crate::{Fault, Result};

const PICTURE: u64 = 1;
const SOUND: u64 = 2;
/// Microseconds in a tick: times are in milliseconds.
const TICK: u64 = 1000;
/// A cluster is no longer than this, in microseconds: times in it are two bytes.
const CLUSTER: u64 = 10_000_000;
/// Opus needs what was played so long before to be right again, in nanoseconds (RFC 9559, 5.1.4.1.26, and RFC 7845, 4.6).
const PRE_ROLL: u64 = 80_000_000;

/// The WebM file of a film; `file` is where its packets lie.
pub fn webm(film: &Film, file: &mut (impl io::Read + io::Seek)) -> Result<Layout> {
    let tracks = inside(&tracks(film, file)?)?;
    let info = inside(&info(film))?;
    let chapters = match film.chapters.is_empty() {
        true => Vec::new(),
        false => inside(&chapters(&film.chapters))?,
    };
    let clusters = clusters(film)?;
    // Where things are is said before them, and takes more or fewer bytes for that: what is said is said again until it is so.
    let mut before = Before::default();
    loop {
        let next = before.again([&info, &tracks, &chapters], &clusters)?;
        if next == before {
            break;
        }
        before = next;
    }
    let own = [&before.seek, &info, &tracks, &chapters, &before.cues];
    let body: u64 = clusters.iter().map(|cluster| cluster.layout.size()).sum();
    let size = own.iter().map(|bytes| bytes.len() as u64).sum::<u64>() + body;
    let mut layout = Layout::default();
    layout.own(&written(&[kind()])?);
    layout.own(&start(&Tag::Segment(Master::Start), size)?);
    for bytes in own {
        layout.own(bytes);
    }
    for cluster in &clusters {
        layout.append(&cluster.layout);
    }
    Ok(layout)
}

/// Some seconds of a film.
struct Cluster {
    /// In ticks.
    at: u64,
    /// It begins with a key frame.
    key: bool,
    layout: Layout,
}

/// What is before the clusters and depends on where they are.
#[derive(Default, PartialEq)]
struct Before {
    seek: Vec<u8>,
    cues: Vec<u8>,
}

impl Before {
    fn again(&self, between: [&[u8]; 3], clusters: &[Cluster]) -> Result<Self> {
        // Positions are counted from where the segment's data begins.
        let mut position = self.seek.len() as u64;
        let mut seeks = Vec::new();
        let ids = [
            Tag::Info(Master::Start),
            Tag::Tracks(Master::Start),
            Tag::Chapters(Master::Start),
        ];
        for (tag, bytes) in ids.iter().zip(between) {
            if !bytes.is_empty() {
                seeks.push(seek(tag, position));
            }
            position += bytes.len() as u64;
        }
        seeks.push(seek(&Tag::Cues(Master::Start), position));
        position += self.cues.len() as u64;
        let mut cues = Vec::new();
        for cluster in clusters {
            if cluster.key {
                let place = [Tag::CueTrack(PICTURE), Tag::CueClusterPosition(position)];
                let place = Tag::CueTrackPositions(Master::Full(place.to_vec()));
                cues.push(Tag::CuePoint(Master::Full(vec![
                    Tag::CueTime(cluster.at),
                    place,
                ])));
            }
            position += cluster.layout.size();
        }
        Ok(Self {
            seek: inside(&Tag::SeekHead(Master::Full(seeks)))?,
            cues: inside(&Tag::Cues(Master::Full(cues)))?,
        })
    }
}

fn seek(tag: &Tag, position: u64) -> Tag {
    Tag::Seek(Master::Full(vec![
        Tag::SeekID(id(tag)),
        Tag::SeekPosition(position),
    ]))
}

/// An identifier as it is written: without the zeros before it.
fn id(tag: &Tag) -> Vec<u8> {
    let bytes = tag.get_id().to_be_bytes();
    bytes.into_iter().skip_while(|byte| *byte == 0).collect()
}

/// What comes before the data of an element: what it is, and how long.
fn start(tag: &Tag, size: u64) -> Result<Vec<u8>> {
    let size = size.as_vint().map_err(|e| Fault::Webm(e.to_string()))?;
    Ok([id(tag), size].concat())
}

fn written(tags: &[Tag]) -> Result<Vec<u8>> {
    let fault = |e: ebml_iterable::error::TagWriterError| Fault::Webm(e.to_string());
    let mut writer = TagWriter::new(Vec::new());
    for tag in tags {
        // What is begun with a length of its own has that in eight bytes.
        let options = || WriteOptions::set_size_byte_count(8);
        match tag {
            Tag::Segment(Master::Start) | Tag::Cluster(Master::Start) => {
                writer.write_advanced(tag, options())
            }
            _ => writer.write(tag),
        }
        .map_err(fault)?;
    }
    writer.into_inner().map_err(fault)
}

/// An element that is in a segment, alone: without what comes before a segment's data, four bytes and eight.
fn inside(tag: &Tag) -> Result<Vec<u8>> {
    let whole = written(&[
        Tag::Segment(Master::Start),
        tag.clone(),
        Tag::Segment(Master::End),
    ])?;
    Ok(whole[12..].to_vec())
}

fn kind() -> Tag {
    Tag::Ebml(Master::Full(vec![
        Tag::EbmlVersion(1),
        Tag::EbmlReadVersion(1),
        Tag::EbmlMaxIdLength(4),
        Tag::EbmlMaxSizeLength(8),
        Tag::DocType("webm".to_owned()),
        Tag::DocTypeVersion(4),
        Tag::DocTypeReadVersion(2),
    ]))
}

fn info(film: &Film) -> Tag {
    Tag::Info(Master::Full(vec![
        Tag::TimestampScale(TICK * 1000),
        Tag::Duration((film.lasts / TICK) as f64),
        Tag::Title(film.title.clone()),
        Tag::MuxingApp("Bozzetto".to_owned()),
        Tag::WritingApp("Bozzetto".to_owned()),
    ]))
}

fn tracks(film: &Film, file: &mut (impl io::Read + io::Seek)) -> Result<Tag> {
    let picture = film.picture()?;
    let (width, height) = picture.size;
    let family = picture.codec.split('.').next().unwrap_or_default();
    let (codec, private) = match family {
        "vp09" => ("V_VP9", None),
        "av01" => {
            let first = film.of_track(Track::Picture).next().ok_or(Fault::Empty)?;
            ("V_AV1", Some(av1_private(&first.place.read(file)?)?))
        }
        _ => return Err(Fault::Kind),
    };
    let size = [
        Tag::PixelWidth(width.into()),
        Tag::PixelHeight(height.into()),
    ];
    let mut all = vec![track(
        PICTURE,
        1,
        codec,
        private,
        vec![Tag::Video(Master::Full(size.to_vec()))],
    )];
    if let Some(sound) = film.sound() {
        if sound.codec != "opus" {
            return Err(Fault::Kind);
        }
        let head = Head::of(sound)?;
        let how = [
            Tag::SamplingFrequency(48_000.0),
            Tag::Channels(head.channels.into()),
        ];
        let more = vec![
            Tag::CodecDelay(u64::from(head.pre_skip) * 1_000_000_000 / 48_000),
            Tag::SeekPreRoll(PRE_ROLL),
            Tag::Audio(Master::Full(how.to_vec())),
        ];
        all.push(track(SOUND, 2, "A_OPUS", Some(head.bytes), more));
    }
    Ok(Tag::Tracks(Master::Full(all)))
}

fn track(number: u64, kind: u64, codec: &str, private: Option<Vec<u8>>, more: Vec<Tag>) -> Tag {
    let mut all = vec![
        Tag::TrackNumber(number),
        Tag::TrackUID(number),
        Tag::TrackType(kind),
        Tag::FlagLacing(0),
        Tag::Language("und".to_owned()),
        Tag::CodecID(codec.to_owned()),
    ];
    all.extend(private.map(Tag::CodecPrivate));
    all.extend(more);
    Tag::TrackEntry(Master::Full(all))
}

fn chapters(all: &[Chapter]) -> Tag {
    let atom = |(n, chapter): (u64, &Chapter)| {
        let shown = [
            Tag::ChapString(chapter.name.clone()),
            Tag::ChapLanguage("und".to_owned()),
        ];
        Tag::ChapterAtom(Master::Full(vec![
            Tag::ChapterUID(n),
            Tag::ChapterTimeStart((chapter.at * 1e9) as u64),
            Tag::ChapterDisplay(Master::Full(shown.to_vec())),
        ]))
    };
    let atoms = (1..).zip(all).map(atom).collect();
    Tag::Chapters(Master::Full(vec![Tag::EditionEntry(Master::Full(atoms))]))
}

/// The packets in clusters: a new one with each key frame, and where one would become too long.
fn clusters(film: &Film) -> Result<Vec<Cluster>> {
    let mut all = Vec::new();
    let mut rest = &film.packets[..];
    while let Some(first) = rest.first() {
        let is_key = |shown: &Shown| shown.place.track == Track::Picture && shown.place.key;
        let more = rest[1..].iter();
        let long = more
            .take_while(|next| !is_key(next) && next.at - first.at < CLUSTER)
            .count();
        let (inside, after) = rest.split_at(1 + long);
        rest = after;
        all.push(cluster(inside, is_key(first))?);
    }
    Ok(all)
}

fn cluster(inside: &[Shown], key: bool) -> Result<Cluster> {
    let at = inside[0].at / TICK;
    let mut blocks = Layout::default();
    for shown in inside {
        let (track, flags) = match (shown.place.track, shown.place.key) {
            (Track::Picture, key) => (PICTURE as u8, if key { 0x80 } else { 0 }),
            (Track::Sound, _) => (SOUND as u8, 0x80),
        };
        let relative = (shown.at / TICK - at) as i16;
        let mut block = vec![0x80 | track];
        block.extend(relative.to_be_bytes());
        block.push(flags);
        let size = block.len() as u64 + u64::from(shown.place.size);
        blocks.own(&start(&Tag::SimpleBlock(Vec::new()), size)?);
        blocks.own(&block);
        blocks.kept(shown.place.from, u64::from(shown.place.size));
    }
    let [begin, end] = [Tag::Cluster(Master::Start), Tag::Cluster(Master::End)];
    let segment = [Tag::Segment(Master::Start), Tag::Segment(Master::End)];
    let [open, close] = segment;
    // Twelve bytes before the data of the segment, and as many before that of the cluster.
    let time = written(&[open, begin.clone(), Tag::Timestamp(at), end, close])?[24..].to_vec();
    let mut layout = Layout::default();
    layout.own(&start(&begin, time.len() as u64 + blocks.size())?);
    layout.own(&time);
    layout.append(&blocks);
    Ok(Cluster { at, key, layout })
}
