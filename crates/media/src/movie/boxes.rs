//! What stands around coded pictures and sound: the boxes of an ISO base media file (ISO/IEC 14496-12), and of the
//! QuickTime file format that it comes from.

use truepath_core::picture::Size;

use super::sound::{BLOCK, SoundFacts, SoundFormat};

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
fn boxed(name: &[u8; 4], parts: &[&[u8]]) -> Vec<u8> {
    let length = 8 + parts.iter().map(|part| part.len()).sum::<usize>();
    let mut bytes = Vec::with_capacity(length);
    bytes.extend((length as u32).to_be_bytes());
    bytes.extend(name);
    parts.iter().for_each(|part| bytes.extend(*part));
    bytes
}

/// A box that begins with a version and flags.
fn full(name: &[u8; 4], flags: u32, content: &[u8]) -> Vec<u8> {
    boxed(name, &[&flags.to_be_bytes(), content])
}

/// Numbers of 32 bits.
fn words(numbers: impl IntoIterator<Item = u32>) -> Vec<u8> {
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
        let mut media = Vec::new();
        let whole = body + 8;
        if u32::try_from(whole).is_ok() {
            media.extend((whole as u32).to_be_bytes());
            media.extend(b"mdat");
        } else {
            media.extend(1_u32.to_be_bytes());
            media.extend(b"mdat");
            media.extend((body + 16).to_be_bytes());
        }
        // How long the tables are does not depend on where the body begins.
        let length = self.tables(0, body).len();
        let start = (kind.len() + length + media.len()) as u64;
        [kind, self.tables(start, body), media].concat()
    }

    /// The box of all tables, for a body that begins at a byte of the file.
    fn tables(&self, start: u64, body: u64) -> Vec<u8> {
        let lengths = self
            .tracks
            .iter()
            .map(|track| track.length(self.time_scale));
        let longest = lengths.max().unwrap_or(0);
        let mut head = words([0, 0, self.time_scale as u32, longest as u32, 0x1_0000]);
        head.extend([1, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
        head[20..22].copy_from_slice(&[1, 0]);
        head.extend(words(MATRIX));
        head.extend(words([0; 6]));
        head.extend(words([self.tracks.len() as u32 + 1]));
        let head = full(b"mvhd", 0, &head);
        let tracks = (1..).zip(&self.tracks).map(|(number, track)| {
            track.boxed(number, self, start, start + body > u64::from(u32::MAX))
        });
        let tracks: Vec<u8> = tracks.flatten().collect();
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
        let mut about = if movie.is_quicktime {
            b"mhlr".to_vec()
        } else {
            vec![0; 4]
        };
        if !movie.is_quicktime {
            about = vec![0; 4];
        }
        about = [vec![0; 0], about, handler.to_vec(), vec![0; 12]].concat();
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

/// How pictures are coded.
fn picture_entry(size: Size, parameters: Option<&[Vec<u8>]>, is_quicktime: bool) -> Vec<u8> {
    let side = |length: u32| (length as u16).to_be_bytes();
    let mut entry = vec![0, 0, 0, 0, 0, 0, 0, 1];
    entry.extend([0; 16]);
    entry.extend(side(size.width));
    entry.extend(side(size.height));
    // 72 pixels an inch both ways, one picture a sample, no name, 24 bits, no table of colors.
    entry.extend(words([0x48_0000, 0x48_0000, 0]));
    entry.extend([0, 1]);
    entry.extend([0; 32]);
    entry.extend([0, 24, 0xff, 0xff]);
    let Some(parameters) = parameters else {
        return boxed(b"jpeg", &[&entry]);
    };
    // BT.709 all through (ITU-T H.273: 1, 1, 1), of limited range.
    let color: &[u8] = if is_quicktime {
        b"nclc\0\x01\0\x01\0\x01"
    } else {
        b"nclx\0\x01\0\x01\0\x01\0"
    };
    boxed(
        b"avc1",
        &[
            &entry,
            &boxed(b"avcC", &[&configuration(parameters)]),
            &boxed(b"colr", &[color]),
        ],
    )
}

/// What a decoder of H.264 needs before the first picture (ISO/IEC 14496-15, 5.3.3.1).
fn configuration(parameters: &[Vec<u8>]) -> Vec<u8> {
    let of_type = |wanted: u8| {
        let is_wanted = move |unit: &&Vec<u8>| unit.first().is_some_and(|head| head & 31 == wanted);
        parameters.iter().filter(is_wanted).collect::<Vec<_>>()
    };
    let (sequences, pictures) = (of_type(7), of_type(8));
    let first = sequences.first().map_or(&[0; 4][..], |unit| unit);
    let at = |place: usize| first.get(place).copied().unwrap_or(0);
    // Lengths of four bytes.
    let mut bytes = vec![1, at(1), at(2), at(3), 0xff, 0xe0 | sequences.len() as u8];
    let add = |units: &[&Vec<u8>], bytes: &mut Vec<u8>| {
        for unit in units {
            bytes.extend((unit.len() as u16).to_be_bytes());
            bytes.extend(*unit);
        }
    };
    add(&sequences, &mut bytes);
    bytes.push(pictures.len() as u8);
    add(&pictures, &mut bytes);
    // Of the high profiles: 4:2:0, 8 bits, no extensions.
    if at(1) >= 100 {
        bytes.extend([0xfd, 0xf8, 0xf8, 0]);
    }
    bytes
}

/// How sound is coded.
fn sound_entry(facts: &SoundFacts) -> Vec<u8> {
    let mut entry = vec![0, 0, 0, 0, 0, 0, 0, 1];
    match facts.format {
        SoundFormat::Flac => {
            entry.extend([0; 8]);
            entry.extend(facts.channels.to_be_bytes());
            entry.extend(facts.bits.to_be_bytes());
            let rate = u16::try_from(facts.rate).unwrap_or(0);
            entry.extend(words([0, u32::from(rate) << 16]));
            // The last block of metadata, of kind 0 and 34 bytes.
            let information = [&[0x80, 0, 0, 34][..], &stream_information(facts)].concat();
            boxed(b"fLaC", &[&entry, &full(b"dfLa", 0, &information)])
        }
        SoundFormat::Pcm16 | SoundFormat::Pcm24 => {
            // QuickTime file format, sound sample description, version 2.
            entry.extend([0, 2, 0, 0, 0, 0, 0, 0, 0, 3, 0, 16, 0xff, 0xfe, 0, 0]);
            entry.extend(words([0x1_0000, 72]));
            entry.extend(f64::from(facts.rate).to_be_bytes());
            /// Whole numbers with a sign, packed, the low byte first.
            const FLAGS: u32 = 4 | 8;
            let bytes = u32::from(facts.channels) * u32::from(facts.bits / 8);
            entry.extend(words([
                facts.channels.into(),
                0x7f00_0000,
                facts.bits.into(),
                FLAGS,
                bytes,
                1,
            ]));
            boxed(b"lpcm", &[&entry])
        }
    }
}

/// The block STREAMINFO of FLAC (RFC 9639, section 8.2), without a hash.
fn stream_information(facts: &SoundFacts) -> Vec<u8> {
    let block = (BLOCK as u16).to_be_bytes();
    let mut bytes = [block, block].concat();
    bytes.extend([0; 6]);
    let bits = u64::from(facts.rate) << 44
        | u64::from(facts.channels - 1) << 41
        | u64::from(facts.bits - 1) << 36
        | facts.length & 0xf_ffff_ffff;
    bytes.extend(bits.to_be_bytes());
    bytes.extend([0; 16]);
    bytes
}
