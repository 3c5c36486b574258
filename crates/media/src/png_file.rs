//! PNG, row by row, and every frame of an animated one. ISO/IEC 15948.
//!
//! A plain picture that fits into little memory is inflated at once, which is faster; all others, and whatever is not
//! perfect, are left to the strict reader of the library.

use std::io::{self, BufRead, Read, Seek, SeekFrom};

use flate2::{Decompress, FlushDecompress, Status};
use png::{Adam7Info, BitDepth, ColorType, InterlaceInfo, Transformations};
use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found, MOST_MEMORY};
use crate::inflate::Inflater;
use crate::meter::{Meter, RowPart, SampleKind};
use crate::png_rows::unfilter;

/// Bytes of the pixels, and of the file, that are held in memory at most.
pub(crate) const MOST_AT_ONCE: u64 = 64 << 20;

/// Decodes every row of every frame.
pub(crate) fn decode(
    mut reader: impl BufRead + Seek,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let layout = chunks(&mut reader)?;
    let mut decoder = strict(&mut reader, Transformations::IDENTITY)?;
    let info = decoder.info();
    let size = Size {
        width: info.width,
        height: info.height,
    };
    let channels = match info.color_type {
        ColorType::Grayscale => Channels::Gray,
        ColorType::GrayscaleAlpha => Channels::GrayAlpha,
        // A palette with transparency has an alpha for every colour.
        ColorType::Indexed | ColorType::Rgb if info.trns.is_some() => Channels::Rgba,
        ColorType::Indexed | ColorType::Rgb => Channels::Rgb,
        ColorType::Rgba => Channels::Rgba,
    };
    let bits = match info.bit_depth {
        BitDepth::Sixteen => Found::Known(Bits::Sixteen),
        BitDepth::Eight => Found::Known(Bits::Eight),
        // The colors of a palette have 8 bits, however few their numbers have.
        _ if info.color_type == ColorType::Indexed => Found::Known(Bits::Eight),
        few => Found::Other((few as u8).to_string()),
    };
    let frames = info
        .animation_control
        .map_or(1, |control| control.num_frames);
    // The first picture of an animation may be no frame of it.
    let pictures = match (info.animation_control, info.frame_control) {
        (Some(_), None) => frames + 1,
        _ => frames,
    };
    let is_interlaced = info.interlaced;
    let is_plain = info.animation_control.is_none();
    // Pixels of less than 8 bits and of palettes are numbers of colors.
    let are_numbers = info.color_type == ColorType::Indexed
        || !matches!(info.bit_depth, BitDepth::Eight | BitDepth::Sixteen);
    let kind = match info.bit_depth {
        BitDepth::Sixteen => SampleKind::SixteenBig,
        _ => SampleKind::Eight,
    };
    let mut facts = Facts::new(size, Found::Known(channels), bits);
    expect(&facts)?;
    facts.note_bytes_after_the_end(layout.after as usize);
    let mut samples = info.color_type.samples();
    if !are_numbers && !is_interlaced {
        meter.begin(size, samples, matches!(samples, 2 | 4));
        drop(decoder);
        let mut take = |number: u32, row: &[u8]| {
            meter.row(0, number, &[RowPart::interleaved(row, kind, samples)]);
        };
        let pixel_bytes = samples * kind.bytes();
        if is_plain && at_once(&mut reader, &layout, size, pixel_bytes, &mut take)? {
            return Ok(facts);
        }
        reader.seek(SeekFrom::Start(0))?;
        decoder = strict(&mut reader, Transformations::IDENTITY)?;
    } else if meter.is_on() {
        drop(decoder);
        reader.seek(SeekFrom::Start(0))?;
        // The colors themselves, in 8 bits.
        let wanted = if are_numbers {
            Transformations::EXPAND
        } else {
            Transformations::IDENTITY
        };
        decoder = strict(&mut reader, wanted)?;
        samples = decoder.output_color_type().0.samples();
        meter.begin(size, samples, matches!(samples, 2 | 4));
    }
    let pixel_bytes = samples * kind.bytes();
    for picture in 0..pictures {
        if picture > 0 {
            meter.end();
            decoder.next_frame_info().map_err(broken)?;
        }
        let mut collected = Interlaced::new(size, pixel_bytes);
        let mut number = 0;
        while let Some(row) = decoder.next_interlaced_row().map_err(broken)? {
            match row.interlace() {
                InterlaceInfo::Null(_) => {
                    let part = RowPart::interleaved(row.data(), kind, samples);
                    meter.row(0, number, &[part]);
                }
                InterlaceInfo::Adam7(place) if meter.is_on() => {
                    if !collected.take(row.data(), place) {
                        meter.end();
                    }
                }
                InterlaceInfo::Adam7(_) => {}
            }
            number += 1;
        }
        for (number, row) in (0..).zip(collected.rows()) {
            meter.row(0, number, &[RowPart::interleaved(row, kind, samples)]);
        }
    }
    decoder.finish().map_err(broken)?;
    drop(decoder);
    check_stream(&mut reader, &layout)?;
    if frames > 1 {
        facts.note(format!("it has {frames} frames"));
    }
    Ok(facts)
}

/// The pixels of an interlaced picture, whose rows come in seven passes.
struct Interlaced {
    size: Size,
    pixel_bytes: usize,
    pixels: Vec<u8>,
}

impl Interlaced {
    fn new(size: Size, pixel_bytes: usize) -> Self {
        Self {
            size,
            pixel_bytes,
            pixels: Vec::new(),
        }
    }

    /// Bytes of a row.
    fn row(&self) -> usize {
        self.size.width as usize * self.pixel_bytes
    }

    /// Takes a row of a pass; whether the whole picture fits into the memory for it.
    fn take(&mut self, row: &[u8], place: &Adam7Info) -> bool {
        if self.pixels.is_empty() {
            let bytes = self.row() as u64 * u64::from(self.size.height);
            if bytes > MOST_MEMORY {
                return false;
            }
            self.pixels = vec![0; bytes as usize];
        }
        let (stride, bits) = (self.row(), self.pixel_bytes * 8);
        png::expand_interlaced_row(&mut self.pixels, stride, row, place, bits as u8);
        true
    }

    fn rows(&self) -> impl Iterator<Item = &[u8]> {
        self.pixels.chunks_exact(self.row().max(1))
    }
}

fn broken(error: png::DecodingError) -> Flaw {
    Flaw::Broken(error.to_string())
}

/// The strict reader, after all that stands before the pixels.
fn strict<R: BufRead + Seek>(reader: R, wanted: Transformations) -> Result<png::Reader<R>, Flaw> {
    let mut decoder = png::Decoder::new(reader);
    decoder.set_transformations(wanted);
    decoder.set_ignore_text_chunk(true);
    decoder.ignore_checksums(false);
    decoder.read_info().map_err(broken)
}

/// Inflates all pixels at once and hands on their rows; whether that was done. It is not where they are many, or where
/// anything about them is not as it should be.
fn at_once(
    reader: &mut (impl BufRead + Seek),
    layout: &Layout,
    size: Size,
    pixel_bytes: usize,
    take: &mut dyn FnMut(u32, &[u8]),
) -> io::Result<bool> {
    let row_bytes = u64::from(size.width) * pixel_bytes as u64;
    let length = (row_bytes + 1) * u64::from(size.height);
    let packed = layout.data.iter().map(|data| data.length).sum::<u64>();
    if length > MOST_AT_ONCE || packed > MOST_AT_ONCE || !layout.is_in_one_row() {
        return Ok(false);
    }
    let mut stream = Vec::with_capacity(packed as usize);
    if let Some(first) = layout.data.first() {
        reader.seek(SeekFrom::Start(first.from))?;
    }
    for (number, data) in layout.data.iter().enumerate() {
        if number > 0 {
            // A seek to a place would throw away what was read ahead.
            reader.seek_relative(LENGTH_AND_NAME)?;
        }
        let before = stream.len();
        reader.by_ref().take(data.length).read_to_end(&mut stream)?;
        let mut stored = [0; 4];
        reader.read_exact(&mut stored)?;
        let mut sum = crc32fast::Hasher::new();
        sum.update(b"IDAT");
        sum.update(&stream[before..]);
        if u32::from_be_bytes(stored) != sum.finalize() {
            return Ok(false);
        }
    }
    let mut bytes = vec![0; length as usize];
    Ok(Inflater::new().fill(&stream, &mut bytes)
        && unfilter(&mut bytes, row_bytes as usize, pixel_bytes, take))
}

/// Whether the compressed stream of the pixels has its end and its checksum: a reader of rows is content once it has the
/// last row.
fn check_stream(reader: &mut (impl BufRead + Seek), layout: &Layout) -> Result<(), Flaw> {
    let mut stream = Decompress::new(true);
    let mut packed = vec![0; 1 << 16];
    let mut sink = vec![0; 1 << 16];
    for data in &layout.data {
        reader.seek(SeekFrom::Start(data.from))?;
        let mut left = data.length;
        while left > 0 {
            let length = left.min(packed.len() as u64) as usize;
            reader.read_exact(&mut packed[..length])?;
            left -= length as u64;
            let mut rest = &packed[..length];
            while !rest.is_empty() {
                let before = (stream.total_in(), stream.total_out());
                let status = stream
                    .decompress(rest, &mut sink, FlushDecompress::None)
                    .map_err(|error| Flaw::Broken(error.to_string()))?;
                if status == Status::StreamEnd {
                    return Ok(());
                }
                rest = &rest[(stream.total_in() - before.0) as usize..];
                if before == (stream.total_in(), stream.total_out()) {
                    break;
                }
            }
        }
    }
    // What is packed may be used up before the last of it is given out.
    let flushed = stream.decompress(&[], &mut sink, FlushDecompress::Finish);
    match flushed {
        Ok(Status::StreamEnd) => Ok(()),
        _ => Err(Flaw::Broken(
            "the compressed stream of its pixels has no end".to_owned(),
        )),
    }
}

/// Bytes of a chunk before what it holds.
const LENGTH_AND_NAME: i64 = 8;

/// Where the parts of a file lie.
struct Layout {
    /// The chunks of pixels.
    data: Vec<DataChunk>,
    /// Bytes after the last chunk.
    after: u64,
}

/// What a chunk of pixels holds.
struct DataChunk {
    /// Where it begins, and how long it is, in bytes.
    from: u64,
    length: u64,
}

impl Layout {
    /// Whether no other chunk stands between those of the pixels.
    fn is_in_one_row(&self) -> bool {
        /// The checksum of the one, and length and name of the next.
        const BETWEEN: u64 = 4 + LENGTH_AND_NAME as u64;
        let mut pairs = self.data.windows(2);
        pairs.all(|pair| pair[0].from + pair[0].length + BETWEEN == pair[1].from)
    }
}

/// Whether all chunks are there and have the checksums that they say, up to the last (`IEND`); gives where they lie.
fn chunks(reader: &mut (impl BufRead + Seek)) -> Result<Layout, Flaw> {
    let mut data = Vec::new();
    let length = reader.seek(SeekFrom::End(0))?;
    let mut at = 8;
    reader.seek(SeekFrom::Start(at))?;
    loop {
        let mut head = [0; 8];
        let cut_short = |_| Flaw::Broken("it ends before its end chunk".to_owned());
        reader.read_exact(&mut head).map_err(cut_short)?;
        let size = u32::from_be_bytes([head[0], head[1], head[2], head[3]]);
        at += 12 + u64::from(size);
        if at > length {
            return Err(Flaw::Broken("it ends before its end chunk".to_owned()));
        }
        let name = &head[4..];
        // The decoder compares the checksums of the pixels itself.
        if matches!(name, b"IDAT" | b"fdAT") {
            if name == b"IDAT" {
                let (length, from) = (u64::from(size), at - 4 - u64::from(size));
                data.push(DataChunk { from, length });
            }
            reader.seek_relative(i64::from(size) + 4)?;
            continue;
        }
        let mut sum = crc32fast::Hasher::new();
        sum.update(name);
        let mut left = u64::from(size);
        let mut piece = [0; 4096];
        while left > 0 {
            let now = left.min(piece.len() as u64) as usize;
            reader.read_exact(&mut piece[..now])?;
            sum.update(&piece[..now]);
            left -= now as u64;
        }
        let mut stored = [0; 4];
        reader.read_exact(&mut stored)?;
        if u32::from_be_bytes(stored) != sum.finalize() {
            let name = String::from_utf8_lossy(name);
            return Err(Flaw::Broken(format!(
                "the checksum of its chunk {name} is wrong"
            )));
        }
        if name == b"IEND" {
            reader.seek(SeekFrom::Start(0))?;
            let after = length - at;
            return Ok(Layout { data, after });
        }
    }
}
