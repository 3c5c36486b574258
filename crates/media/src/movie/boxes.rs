//! What stands around coded pictures and sound: the boxes of an ISO base media file (ISO/IEC 14496-12), and of the
//! QuickTime file format that it comes from.

use truepath_core::picture::Size;

use super::sample_entries::{picture_entry, sound_entry};
use super::sound::SoundFacts;

/// Where the samples of a track lie.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub(super) struct SampleTable {
    /// Bytes of each sample.
    pub(super) sizes: Vec<u32>,
    /// Where each chunk begins in the body, and how many samples it has.
    pub(super) chunks: Vec<(u64, u32)>,
    /// The numbers of the samples that stand for themselves, from 1; none where all do.
    pub(super) keys: Vec<u32>,
}

impl SampleTable {
    /// How many samples there are.
    pub(super) fn count(&self) -> u32 {
        self.sizes.len() as u32
    }

    /// Adds samples that lie side by side.
    pub(super) fn add_chunk(&mut self, at: u64, sizes: impl IntoIterator<Item = usize>) {
        let before = self.sizes.len();
        self.sizes.extend(sizes.into_iter().map(|size| size as u32));
        self.chunks.push((at, (self.sizes.len() - before) as u32));
    }
}

/// What a track holds.
#[derive(Debug)]
pub(super) enum TrackKind<'m> {
    /// Pictures, in H.264 with the parameters before them, or in Motion JPEG.
    Pictures {
        size: Size,
        parameters: Option<&'m [Vec<u8>]>,
    },
    Sound(SoundFacts),
}

/// Pictures or sound.
#[derive(Debug)]
pub(super) struct Track<'m> {
    pub(super) kind: TrackKind<'m>,
    /// Units of time in a second.
    pub(super) time_scale: u64,
    /// How many samples have each duration, in these units.
    pub(super) durations: Vec<(u32, u64)>,
    pub(super) table: &'m SampleTable,
}

/// A whole movie but for its body.
#[derive(Debug)]
pub(super) struct Movie<'m> {
    pub(super) is_quicktime: bool,
    pub(super) time_scale: u64,
    pub(super) tracks: Vec<Track<'m>>,
}

/// A box: its length, its name and what it holds.
pub(super) fn boxed(name: &[u8; 4], parts: &[&[u8]]) -> Vec<u8> {
    let length = 8 + parts.iter().map(|part| part.len()).sum::<usize>();
    let mut bytes = Vec::with_capacity(length);
    bytes.extend((length as u32).to_be_bytes());
    bytes.extend(name);
    parts.iter().for_each(|part| bytes.extend(*part));
    bytes
}

/// A box that begins with a version and flags.
pub(super) fn full(name: &[u8; 4], flags: u32, content: &[u8]) -> Vec<u8> {
    boxed(name, &[&flags.to_be_bytes(), content])
}

/// Numbers of 32 bits.
pub(super) fn words(numbers: impl IntoIterator<Item = u32>) -> Vec<u8> {
    numbers.into_iter().flat_map(u32::to_be_bytes).collect()
}

/// A count and so many entries.
fn counted<const WORDS: usize>(entries: &[[u32; WORDS]]) -> Vec<u8> {
    words(
        [entries.len() as u32]
            .into_iter()
            .chain(entries.iter().flatten().copied()),
    )
}

/// The tables have fewer bytes than this.
const MOST_TABLES: u64 = 256 << 20;

/// One to one, unmoved: the matrix of a movie and of its tracks.
const MATRIX: [u32; 9] = [0x1_0000, 0, 0, 0, 0x1_0000, 0, 0, 0, 0x4000_0000];

impl Movie<'_> {
    /// All that stands before the body, which has so many bytes.
    pub(super) fn head(&self, body: u64) -> Vec<u8> {
        let kind: &[u8] = if self.is_quicktime {
            b"qt  \0\0\x02\0qt  "
        } else {
            b"isom\0\0\x02\0isomiso2avc1mp41"
        };
        let kind = boxed(b"ftyp", &[kind]);
        // Whether places in the file need more than 32 bits; decided once, so that the tables stay as long as they are.
        let is_far = body + MOST_TABLES > u64::from(u32::MAX);
        let mut media = Vec::new();
        if is_far {
            media.extend(words([1]));
            media.extend(b"mdat");
            media.extend((body + 16).to_be_bytes());
        } else {
            media.extend(words([body as u32 + 8]));
            media.extend(b"mdat");
        }
        let length = self.tables(0, is_far).len();
        let start = (kind.len() + length + media.len()) as u64;
        [kind, self.tables(start, is_far), media].concat()
    }

    /// The box of all tables, for a body that begins at a byte of the file.
    fn tables(&self, start: u64, is_far: bool) -> Vec<u8> {
        let lengths = self
            .tracks
            .iter()
            .map(|track| track.length(self.time_scale));
        let longest = lengths.max().unwrap_or(0);
        let mut head = words([0, 0, self.time_scale as u32, longest as u32, 0x1_0000]);
        // Full volume, and ten bytes that are kept free.
        head.extend([1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
        head.extend(words(MATRIX));
        head.extend(words([0; 6]));
        head.extend(words([self.tracks.len() as u32 + 1]));
        let head = full(b"mvhd", 0, &head);
        let tracks = (1..).zip(&self.tracks);
        let tracks: Vec<u8> = tracks
            .flat_map(|(number, track)| track.boxed(number, self, start, is_far))
            .collect();
        boxed(b"moov", &[&head, &tracks])
    }
}

impl Track<'_> {
    /// Its length in units of a time scale.
    fn length(&self, time_scale: u64) -> u64 {
        let own = self
            .durations
            .iter()
            .map(|(count, each)| u64::from(*count) * each)
            .sum::<u64>();
        (u128::from(own) * u128::from(time_scale) / u128::from(self.time_scale.max(1))) as u64
    }

    /// The box of a track.
    fn boxed(&self, number: u32, movie: &Movie<'_>, start: u64, is_far: bool) -> Vec<u8> {
        let (size, volume, handler, name) = match &self.kind {
            TrackKind::Pictures { size, .. } => (*size, 0, b"vide", "pictures"),
            TrackKind::Sound(_) => (
                Size {
                    width: 0,
                    height: 0,
                },
                0x0100_0000,
                b"soun",
                "sound",
            ),
        };
        let length = self.length(movie.time_scale) as u32;
        let mut head = words([0, 0, number, 0, length, 0, 0, 0, volume]);
        head.extend(words(MATRIX));
        head.extend(words([size.width << 16, size.height << 16]));
        // Enabled, and part of the movie.
        let head = full(b"tkhd", 3, &head);
        /// "und", an undetermined language (ISO 639-2), five bits a letter.
        const LANGUAGE: u32 = 0x55c4_0000;
        let media_length = self.length(self.time_scale) as u32;
        let media_head = words([0, 0, self.time_scale as u32, media_length, LANGUAGE]);
        let component: &[u8; 4] = if movie.is_quicktime { b"mhlr" } else { &[0; 4] };
        let mut about = [&component[..], handler, &[0; 12]].concat();
        // A text that ends with a zero, or of QuickTime one that begins with its length.
        if movie.is_quicktime {
            about.push(name.len() as u8);
            about.extend(name.as_bytes());
        } else {
            about.extend(name.as_bytes());
            about.push(0);
        }
        let kind_head = match &self.kind {
            TrackKind::Pictures { .. } => full(b"vmhd", 1, &[0; 8]),
            TrackKind::Sound(_) => full(b"smhd", 0, &[0; 4]),
        };
        // The media is in this file.
        let place = full(b"url ", 1, &[]);
        let places = boxed(
            b"dinf",
            &[&full(b"dref", 0, &[&words([1]), &place[..]].concat())],
        );
        let mut information = kind_head;
        if movie.is_quicktime {
            let data = [&b"dhlr"[..], b"url ", &[0; 12], &[0]].concat();
            information.extend(full(b"hdlr", 0, &data));
        }
        information.extend(places);
        information.extend(self.samples(movie.is_quicktime, start, is_far));
        let media = boxed(
            b"mdia",
            &[
                &full(b"mdhd", 0, &media_head),
                &full(b"hdlr", 0, &about),
                &boxed(b"minf", &[&information]),
            ],
        );
        boxed(b"trak", &[&head, &media])
    }

    /// The table of its samples.
    fn samples(&self, is_quicktime: bool, start: u64, is_far: bool) -> Vec<u8> {
        let entry = match &self.kind {
            TrackKind::Pictures { size, parameters } => {
                picture_entry(*size, *parameters, is_quicktime)
            }
            TrackKind::Sound(facts) => sound_entry(facts),
        };
        let durations: Vec<[u32; 2]> = self
            .durations
            .iter()
            .map(|(count, each)| [*count, *each as u32])
            .collect();
        let table = self.table;
        let mut runs: Vec<[u32; 3]> = Vec::new();
        for (number, (_, samples)) in (1..).zip(&table.chunks) {
            if runs.last().is_none_or(|[_, before, _]| before != samples) {
                runs.push([number, *samples, 1]);
            }
        }
        let same = table
            .sizes
            .first()
            .filter(|first| table.sizes.iter().all(|one| one == *first));
        let sizes = match same {
            Some(size) => words([*size, table.count()]),
            None => words(
                [0, table.count()]
                    .into_iter()
                    .chain(table.sizes.iter().copied()),
            ),
        };
        let starts = table.chunks.iter().map(|(at, _)| start + at);
        let chunks = if is_far {
            let starts: Vec<u8> = starts.flat_map(u64::to_be_bytes).collect();
            full(
                b"co64",
                0,
                &[words([table.chunks.len() as u32]), starts].concat(),
            )
        } else {
            let starts: Vec<[u32; 1]> = starts.map(|at| [at as u32]).collect();
            full(b"stco", 0, &counted(&starts))
        };
        let keys: Vec<[u32; 1]> = table.keys.iter().map(|number| [*number]).collect();
        let keys = if keys.is_empty() {
            Vec::new()
        } else {
            full(b"stss", 0, &counted(&keys))
        };
        boxed(
            b"stbl",
            &[
                &full(b"stsd", 0, &[&words([1]), &entry[..]].concat()),
                &full(b"stts", 0, &counted(&durations)),
                &keys,
                &full(b"stsc", 0, &counted(&runs)),
                &full(b"stsz", 0, &sizes),
                &chunks,
            ],
        )
    }
}
