//! Finds the samples of a movie that [`MovieWriter`](super::MovieWriter) wrote, or another program in the same form.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};

use truepath_core::picture::Size;

use super::writer::MovieError;

/// The most bytes of the box of all tables.
const MOST_TABLES: u64 = 256 << 20;

/// The most samples of a track.
const MOST_SAMPLES: usize = 16 << 20;

/// A track of a movie as its tables show it.
#[derive(Debug, Default)]
pub(super) struct FoundTrack {
    /// `vide` or `soun`.
    pub(super) handler: [u8; 4],
    /// How its samples are coded, such as `avc1`.
    pub(super) coding: [u8; 4],
    pub(super) size: Option<Size>,
    pub(super) time_scale: u64,
    /// How many samples have each duration.
    pub(super) durations: Vec<(u32, u32)>,
    /// Where each sample begins, and how many bytes it has.
    pub(super) samples: Vec<(u64, u32)>,
    /// What a decoder of H.264 needs first.
    pub(super) parameters: Vec<Vec<u8>>,
    /// Whether pictures are stored in another order than they are shown.
    pub(super) is_reordered: bool,
    /// How many bytes the length has that stands before each unit of a coded picture; none where there is none.
    pub(super) unit_length: Option<usize>,
}

impl FoundTrack {
    /// Its length in seconds.
    pub(super) fn seconds(&self) -> f64 {
        let rows = self.durations.iter();
        let units: f64 = rows
            .map(|(count, each)| f64::from(*count) * f64::from(*each))
            .sum();
        units / (self.time_scale.max(1) as f64)
    }
}

fn broken(what: &str) -> MovieError {
    MovieError::Broken(what.to_owned())
}

/// The tracks of a movie.
pub(super) fn tracks(file: &mut File) -> Result<Vec<FoundTrack>, MovieError> {
    let length = file.seek(SeekFrom::End(0))?;
    let mut at = 0;
    while at + 8 <= length {
        file.seek(SeekFrom::Start(at))?;
        let mut head = [0; 16];
        file.read_exact(&mut head[..8])?;
        let mut size = u64::from(u32::from_be_bytes([head[0], head[1], head[2], head[3]]));
        let mut head_length = 8;
        if size == 1 {
            file.read_exact(&mut head[8..])?;
            let (_, wide) = head.split_at(8);
            size = u64::from_be_bytes(wide.try_into().unwrap_or_default());
            head_length = 16;
        }
        if size == 0 {
            size = length - at;
        }
        if size < head_length || at.checked_add(size).is_none_or(|end| end > length) {
            return Err(broken("it ends before the end that it announces"));
        }
        if &head[4..8] == b"moov" {
            if size > MOST_TABLES {
                return Err(broken("its tables are too large"));
            }
            let mut tables = vec![0; (size - head_length) as usize];
            file.read_exact(&mut tables)?;
            let tracks: Option<Vec<FoundTrack>> = boxes(&tables)
                .filter(|(name, _)| name == b"trak")
                .map(|(_, body)| track(body))
                .collect();
            return tracks.ok_or_else(|| broken("its tables are damaged"));
        }
        at += size;
    }
    Err(broken("it has no tables of a movie"))
}

/// The boxes that lie side by side: name and content. One that is damaged ends them.
fn boxes(bytes: &[u8]) -> impl Iterator<Item = ([u8; 4], &[u8])> {
    let mut rest = bytes;
    std::iter::from_fn(move || {
        let length = word(rest, 0)? as usize;
        let name = rest.get(4..8)?.try_into().ok()?;
        let body = rest.get(8..length)?;
        rest = rest.get(length..)?;
        Some((name, body))
    })
}

fn find<'b>(bytes: &'b [u8], path: &[&[u8; 4]]) -> Option<&'b [u8]> {
    let mut here = bytes;
    for wanted in path {
        here = boxes(here).find(|(name, _)| name == *wanted)?.1;
    }
    Some(here)
}

fn word(bytes: &[u8], at: usize) -> Option<u32> {
    bytes
        .get(at..at + 4)?
        .try_into()
        .ok()
        .map(u32::from_be_bytes)
}

fn half(bytes: &[u8], at: usize) -> Option<u16> {
    bytes
        .get(at..at + 2)?
        .try_into()
        .ok()
        .map(u16::from_be_bytes)
}

/// The entries of a table, each of so many numbers, after version, flags and count.
fn entries<const WORDS: usize>(table: &[u8]) -> Option<Vec<[u32; WORDS]>> {
    let count = word(table, 4)? as usize;
    let bytes = table.get(8..)?;
    let entry = |bytes: &[u8]| std::array::from_fn(|at| word(bytes, 4 * at).unwrap_or(0));
    let found: Vec<[u32; WORDS]> = bytes
        .chunks_exact(4 * WORDS)
        .take(count)
        .map(entry)
        .collect();
    (found.len() == count).then_some(found)
}

fn track(body: &[u8]) -> Option<FoundTrack> {
    let media = find(body, &[b"mdia"])?;
    let head = find(media, &[b"mdhd"])?;
    // Version 1 has times of 64 bits.
    let time_scale = word(head, if head.first()? == &1 { 20 } else { 12 })?;
    let handler = find(media, &[b"hdlr"])?.get(8..12)?.try_into().ok()?;
    let table = find(media, &[b"minf", b"stbl"])?;
    let mut found = FoundTrack {
        handler,
        time_scale: time_scale.into(),
        durations: entries::<2>(find(table, &[b"stts"])?)?
            .iter()
            .map(|[count, each]| (*count, *each))
            .collect(),
        ..FoundTrack::default()
    };
    let (coding, entry) = boxes(find(table, &[b"stsd"])?.get(8..)?).next()?;
    found.coding = coding;
    if &handler == b"vide" {
        let (width, height) = (half(entry, 24)?, half(entry, 26)?);
        found.size = Some(Size {
            width: width.into(),
            height: height.into(),
        });
        if let Some(configuration) = entry.get(78..).and_then(|inner| find(inner, &[b"avcC"])) {
            found.parameters = parameters(configuration)?;
            found.unit_length = unit_length(configuration, 4);
        }
        if let Some(configuration) = entry.get(78..).and_then(|inner| find(inner, &[b"hvcC"])) {
            found.unit_length = unit_length(configuration, 21);
        }
        found.is_reordered = find(table, &[b"ctts"])
            .and_then(entries::<2>)
            .is_some_and(|offsets| offsets.iter().any(|[_, offset]| *offset != offsets[0][1]));
    }
    found.samples = samples(table, &handler == b"soun")?;
    Some(found)
}

/// How many bytes the length before each unit has, by the low bits of a byte of the configuration.
fn unit_length(configuration: &[u8], at: usize) -> Option<usize> {
    configuration.get(at).map(|byte| usize::from(byte & 3) + 1)
}

fn parameters(configuration: &[u8]) -> Option<Vec<Vec<u8>>> {
    let mut units = Vec::new();
    let mut at = 5;
    for mask in [0x1f, 0xff] {
        let count = configuration.get(at)? & mask;
        at += 1;
        for _ in 0..count {
            let length = usize::from(half(configuration, at)?);
            units.push(configuration.get(at + 2..at + 2 + length)?.to_vec());
            at += 2 + length;
        }
    }
    Some(units)
}

/// Where the samples lie; those of plain sound, which are many, chunk by chunk.
fn samples(table: &[u8], is_sound: bool) -> Option<Vec<(u64, u32)>> {
    let sizes = find(table, &[b"stsz"])?;
    let (same, count) = (word(sizes, 4)?, word(sizes, 8)? as usize);
    let size = |number: usize| {
        if same > 0 {
            Some(same)
        } else {
            word(sizes, 12 + 4 * number)
        }
    };
    let chunks: Vec<u64> = match find(table, &[b"stco"]) {
        Some(chunks) => entries::<1>(chunks)?
            .iter()
            .map(|[at]| u64::from(*at))
            .collect(),
        None => entries::<2>(find(table, &[b"co64"])?)?
            .iter()
            .map(|[high, low]| u64::from(*high) << 32 | u64::from(*low))
            .collect(),
    };
    let runs = entries::<3>(find(table, &[b"stsc"])?)?;
    let run_of = |number: u32| runs.iter().rev().find(|[first, ..]| *first <= number);
    if is_sound && same > 0 {
        let whole = |(number, start): (u32, &u64)| {
            let [_, samples, _] = run_of(number)?;
            Some((*start, same.saturating_mul(*samples)))
        };
        return (1..).zip(&chunks).map(whole).collect();
    }
    if count > MOST_SAMPLES {
        return None;
    }
    let mut samples = Vec::new();
    for (number, start) in (1..).zip(&chunks) {
        let run = run_of(number)?;
        let mut at = *start;
        for _ in 0..run[1] {
            if samples.len() == count {
                break;
            }
            let length = size(samples.len())?;
            samples.push((at, length));
            at = at.checked_add(length.into())?;
        }
    }
    (samples.len() == count).then_some(samples)
}
