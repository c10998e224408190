//! MP4 files (ISO/IEC 14496-12 and -14), with what a player needs to know before everything else.

use std::collections::BTreeMap;
use std::io::{Read, Seek};
use std::num::NonZeroU32;

use bozzetto_core::recording::pieces::{Coded, Track};
use shiguredo_mp4::bitstream::{aac, av1, opus, vp9};
use shiguredo_mp4::boxes::{Av01Box, Avc1Box, AvccBox, SampleEntry, VisualSampleEntryFields};
use shiguredo_mp4::mux::{
    Mp4FileMuxer, Mp4FileMuxerOptions, Sample, estimate_maximum_moov_box_size,
};
use shiguredo_mp4::{Decode, Encode, TrackKind};

use crate::film::Film;
use crate::kept::Place;
use crate::layout::Layout;
use crate::opus::Head;
use crate::{Fault, Result};

/// Ticks a second: those of Opus, and fine enough for pictures.
const SCALE: NonZeroU32 = NonZeroU32::new(48_000).expect("not nothing");

/// How often it is tried again with as much room for what players need first as it took.
const TRIES: usize = 3;

/// The MP4 file of a film; `file` is where its packets lie.
pub fn mp4(film: &Film, file: &mut (impl Read + Seek)) -> Result<Layout> {
    let count = |track| film.of_track(track).count();
    // An estimate: where pictures and sounds take turns, it takes more.
    let mut room = estimate_maximum_moov_box_size(&[count(Track::Picture), count(Track::Sound)]);
    for _ in 0..TRIES {
        match muxed(film, file, room)? {
            Muxed::Whole(layout) => return Ok(layout),
            Muxed::Takes(more) => room = more,
        }
    }
    Err(Fault::Mp4(
        "what players need first does not fit".to_owned(),
    ))
}

enum Muxed {
    Whole(Layout),
    /// What players need first takes more room: so many bytes.
    Takes(usize),
}

/// With so many bytes for what players need first.
fn muxed(film: &Film, file: &mut (impl Read + Seek), room: usize) -> Result<Muxed> {
    /// So much less than there is does not fit: a box of its own fills what is left.
    const FILLING: usize = 64;
    let fault = |e: &dyn std::fmt::Display| Fault::Mp4(e.to_string());
    let options = Mp4FileMuxerOptions {
        reserved_moov_box_size: room,
        ..Mp4FileMuxerOptions::default()
    };
    let mut muxer = Mp4FileMuxer::with_options(options).map_err(|e| fault(&e))?;
    let mut head = muxer.initial_boxes_bytes().to_vec();
    let mut now: BTreeMap<Track, usize> = BTreeMap::new();
    let mut data = Layout::default();
    for shown in &film.packets {
        let coded = &film.coded[shown.place.coded];
        let is_other = now.insert(shown.place.track, shown.place.coded) != Some(shown.place.coded);
        let track_kind = match shown.place.track {
            Track::Picture => TrackKind::Video,
            Track::Sound => TrackKind::Audio,
        };
        let sample_entry = match (is_other, shown.place.track) {
            (false, _) => None,
            (true, Track::Picture) => Some(picture_entry(coded, &shown.place, file)?),
            (true, Track::Sound) => Some(sound_entry(coded)?),
        };
        let sample = Sample {
            track_kind,
            sample_entry,
            keyframe: shown.place.key || track_kind == TrackKind::Audio,
            timescale: SCALE,
            duration: ticks(shown.at + shown.lasts).saturating_sub(ticks(shown.at)) as u32,
            composition_time_offset: None,
            data_offset: head.len() as u64 + data.size(),
            data_size: shown.place.size as usize,
        };
        muxer.append_sample(&sample).map_err(|e| fault(&e))?;
        data.kept(shown.place.from, u64::from(shown.place.size));
    }
    let boxes = muxer.finalize().map_err(|e| fault(&e))?;
    if !boxes.is_faststart_enabled() {
        return Ok(Muxed::Takes(boxes.moov_box_size() + FILLING));
    }
    for (at, bytes) in boxes.offset_and_bytes_pairs() {
        head[at as usize..][..bytes.len()].copy_from_slice(bytes);
    }
    let mut layout = Layout::default();
    layout.own(&head);
    layout.append(&data);
    Ok(Muxed::Whole(layout))
}

fn ticks(micros: u64) -> u64 {
    (micros * u64::from(SCALE.get()) + 500_000) / 1_000_000
}

/// What a decoder of the pictures has to know, from the first one that is encoded like this.
fn picture_entry(
    coded: &Coded,
    first: &Place,
    file: &mut (impl Read + Seek),
) -> Result<SampleEntry> {
    let fault = |e: shiguredo_mp4::Error| Fault::Mp4(e.to_string());
    let Coded {
        codec,
        size: (width, height),
        description,
        ..
    } = coded;
    let side = |pixels: u32| u16::try_from(pixels).map_err(|_| Fault::Kind);
    let (width, height) = (side(*width)?, side(*height)?);
    let family = codec.split('.').next().unwrap_or_default();
    match family {
        "avc1" => {
            // The description is what is in the box (ISO/IEC 14496-15, 5.2.4.1).
            let mut boxed = ((8 + description.len()) as u32).to_be_bytes().to_vec();
            boxed.extend(*b"avcC");
            boxed.extend(description);
            let (avcc_box, _) = AvccBox::decode(&boxed).map_err(fault)?;
            let visual = VisualSampleEntryFields {
                data_reference_index: VisualSampleEntryFields::DEFAULT_DATA_REFERENCE_INDEX,
                width,
                height,
                horizresolution: VisualSampleEntryFields::DEFAULT_HORIZRESOLUTION,
                vertresolution: VisualSampleEntryFields::DEFAULT_VERTRESOLUTION,
                frame_count: VisualSampleEntryFields::DEFAULT_FRAME_COUNT,
                compressorname: VisualSampleEntryFields::NULL_COMPRESSORNAME,
                depth: VisualSampleEntryFields::DEFAULT_DEPTH,
            };
            Ok(SampleEntry::Avc1(Avc1Box {
                visual,
                avcc_box,
                unknown_boxes: Vec::new(),
            }))
        }
        "vp09" => {
            let header = vp9::parse_frame_header(&first.read(file)?).map_err(fault)?;
            let level = codec.split('.').nth(2).and_then(|level| level.parse().ok());
            let config = vp9::Vp9SampleEntryConfig {
                width,
                height,
                level: level.ok_or(Fault::Kind)?,
                // Not said: 2 in each (ISO/IEC 23091-2).
                colour_primaries: 2,
                transfer_characteristics: 2,
                matrix_coefficients: 2,
            };
            let entry = vp9::build_vp09_box(&header, &config).map_err(fault)?;
            Ok(SampleEntry::Vp09(entry))
        }
        "av01" => Ok(SampleEntry::Av01(av1_entry(&first.read(file)?)?)),
        _ => Err(Fault::Kind),
    }
}

/// What a decoder of AV1 has to know is in the first key frame: its sequence header.
fn av1_entry(key: &[u8]) -> Result<Av01Box> {
    let fault = |e: shiguredo_mp4::Error| Fault::Mp4(e.to_string());
    let units = av1::parse_obus(key, av1::Av1ObuParseContext::Sample).map_err(fault)?;
    let header = units
        .iter()
        .find(|unit| matches!(unit.obu_type, av1::Av1ObuType::SequenceHeader));
    let header = header.ok_or(Fault::Kind)?;
    let sequence = av1::parse_sequence_header(header.payload).map_err(fault)?;
    let config = av1::Av1SampleEntryConfig {
        initial_presentation_delay_minus_one: None,
    };
    av1::build_av01_box(&sequence, &[], &config).map_err(fault)
}

/// The same as WebM has it: what is in the box (AV1 in Matroska, section "CodecPrivate").
pub fn av1_private(key: &[u8]) -> Result<Vec<u8>> {
    let boxed = av1_entry(key)?
        .av1c_box
        .encode_to_vec()
        .map_err(|e| Fault::Mp4(e.to_string()))?;
    Ok(boxed[8..].to_vec())
}

/// What a decoder of the sound has to know.
fn sound_entry(coded: &Coded) -> Result<SampleEntry> {
    let fault = |e: shiguredo_mp4::Error| Fault::Mp4(e.to_string());
    if coded.codec == "opus" {
        let head = Head::of(coded)?;
        let config = opus::OpusSampleEntryConfig {
            channel_count: match head.channels {
                1 => opus::ChannelCount::Mono,
                _ => opus::ChannelCount::Stereo,
            },
            pre_skip: head.pre_skip,
            input_sample_rate: coded.size.0,
            output_gain: 0,
        };
        return Ok(SampleEntry::Opus(opus::build_opus_box(&config)));
    }
    let config = aac::parse_audio_specific_config(&coded.description).map_err(fault)?;
    let about = aac::Mp4aSampleEntryConfig {
        es_id: 1,
        buffer_size_db: 0,
        max_bitrate: 0,
        avg_bitrate: 0,
    };
    Ok(SampleEntry::Mp4a(
        aac::build_mp4a_box(&config, &about).map_err(fault)?,
    ))
}
