//! DPX, by its headers: pixels are stored as they are, so that the length of a file shows whether
//! it is whole. Offsets after SMPTE ST 268-1, tables of the generic headers.

use std::io::{self, Read, Seek, SeekFrom};

use truepath_core::picture::{Bits, Channels, Size};

use crate::examine::read_up_to;
use crate::facts::{Facts, Flaw, Found, MOST_MEMORY};
use crate::meter::{Meter, RowPart, SampleKind};

/// The first two generic headers: file and picture.
const HEADERS: usize = 1408;

pub(crate) fn decode(
    mut reader: impl Read + Seek,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    let mut head = [0; HEADERS];
    reader
        .read_exact(&mut head)
        .map_err(|error| match error.kind() {
            io::ErrorKind::UnexpectedEof => Flaw::Broken("it ends in its headers".to_owned()),
            _ => Flaw::Unreadable(error),
        })?;
    let fields = Fields {
        head: &head,
        big: head[..4] == *b"SDPX",
    };
    let size = Size {
        width: fields.long(772),
        height: fields.long(776),
    };
    let channels = match head[800] {
        6 => Channels::Gray,
        50 => Channels::Rgb,
        // With the alpha last or first.
        51 | 52 => Channels::Rgba,
        other => {
            return Err(Flaw::unverifiable(format!(
                "DPX image element descriptor {other} is not decoded"
            )));
        }
    };
    let bits = match head[803] {
        8 => Bits::Eight,
        10 => Bits::Ten,
        12 => Bits::Twelve,
        16 => Bits::Sixteen,
        other => {
            return Err(Flaw::unverifiable(format!(
                "DPX with {other} bits a sample is not decoded"
            )));
        }
    };
    if fields.short(806) != 0 {
        return Err(Flaw::unverifiable("DPX with pixels in runs is not decoded"));
    }
    let mut facts = Facts::new(size, Found::Known(channels), Found::Known(bits));
    expect(&facts)?;
    let start = match fields.long(808) {
        0 | u32::MAX => fields.long(4),
        start => start,
    };
    let samples = u64::from(size.width) * channels.count() as u64;
    let padding = match fields.long(812) {
        u32::MAX => 0,
        padding => u64::from(padding),
    };
    let whole = |line: u64| u64::from(start) + (line + padding) * u64::from(size.height);
    let (words, bytes) = line_bytes(samples, bits, fields.short(804));
    // Some writers fill a line up to words of 32 bits, some do not. The length of the file says which, and of a
    // file that is cut short the length in its header, which is not always true.
    let length = reader.seek(SeekFrom::End(0))?;
    let is_tight = length == whole(bytes)
        || (length != whole(words) && u64::from(fields.long(16)) == whole(bytes));
    let wanted = if is_tight { whole(bytes) } else { whole(words) };
    // Every byte is read, so that a disk that cannot give them is found out too.
    reader.seek(SeekFrom::Start(0))?;
    let mut there = io::copy(&mut reader.by_ref().take(start.into()), &mut io::sink())?;
    if there < u64::from(start) {
        return Err(Flaw::Broken(format!("{there} of {wanted} bytes are there")));
    }
    let line = if is_tight { bytes } else { words };
    if line + padding > MOST_MEMORY {
        return Err(Flaw::too_large(line + padding));
    }
    let samples_of = Samples {
        bits,
        packing: fields.short(804),
        is_big: fields.big,
        count: samples as usize,
    };
    // Alpha, blue, green and red.
    let is_reversed = head[800] == 52;
    // The upper left pixel comes first, and rows run from the left.
    if fields.short(768) == 0 && samples_of.is_known() {
        meter.begin(size, channels.count(), channels == Channels::Rgba);
    } else {
        meter.end();
    }
    let mut stored = vec![0; (line + padding) as usize];
    let mut number = 0;
    while there < wanted {
        let read = read_up_to(&mut reader, &mut stored)?;
        there += read as u64;
        if read < stored.len() {
            return Err(Flaw::Broken(format!("{there} of {wanted} bytes are there")));
        }
        if meter.is_on() {
            let mut values = samples_of.read(&stored);
            if is_reversed {
                values.chunks_exact_mut(4).for_each(<[u16]>::reverse);
            }
            let bytes: Vec<u8> = values.iter().flat_map(|one| one.to_le_bytes()).collect();
            let part = RowPart::interleaved(&bytes, SampleKind::SixteenLittle, channels.count());
            meter.row(0, number, &[part]);
        }
        number += 1;
    }
    let after = io::copy(&mut reader, &mut io::sink())?;
    facts.note_bytes_after_the_end(after as usize);
    Ok(facts)
}

/// How the samples of a line are stored.
struct Samples {
    bits: Bits,
    packing: u16,
    is_big: bool,
    /// How many there are.
    count: usize,
}

impl Samples {
    /// Whether they can be taken apart here: all but those that run over the ends of words.
    fn is_known(&self) -> bool {
        !matches!((self.bits, self.packing), (Bits::Ten | Bits::Twelve, 0))
    }

    /// The samples of a line, scaled to 16 bits.
    fn read(&self, line: &[u8]) -> Vec<u16> {
        let (words, _) = line.as_chunks::<4>();
        let (pairs, _) = line.as_chunks::<2>();
        let word = |bytes: &[u8; 4]| match self.is_big {
            true => u32::from_be_bytes(*bytes),
            false => u32::from_le_bytes(*bytes),
        };
        let pair = |bytes: &[u8; 2]| match self.is_big {
            true => u16::from_be_bytes(*bytes),
            false => u16::from_le_bytes(*bytes),
        };
        // The most significant bits are repeated in the least, so that the highest value stays the highest.
        let ten = |value: u32| {
            let value = (value & 1023) as u16;
            value << 6 | value >> 4
        };
        let twelve = |value: u16| value << 4 | value >> 8;
        let mut values: Vec<u16> = match (self.bits, self.packing) {
            (Bits::Eight, _) => line.iter().map(|one| u16::from(*one) * 257).collect(),
            // Filled up with two bits at the end of a word (1), or at its beginning (2).
            (Bits::Ten, 1) => words
                .iter()
                .map(word)
                .flat_map(|word| [22, 12, 2].map(|shift| ten(word >> shift)))
                .collect(),
            (Bits::Ten, _) => words
                .iter()
                .map(word)
                .flat_map(|word| [20, 10, 0].map(|shift| ten(word >> shift)))
                .collect(),
            (Bits::Twelve, 1) => pairs.iter().map(|one| twelve(pair(one) >> 4)).collect(),
            (Bits::Twelve, _) => pairs.iter().map(|one| twelve(pair(one) & 4095)).collect(),
            _ => pairs.iter().map(pair).collect(),
        };
        values.truncate(self.count);
        values
    }
}

/// Bytes of a line that ends at a word of 32 bits, and of one that does not.
fn line_bytes(samples: u64, bits: Bits, packing: u16) -> (u64, u64) {
    let words = match (bits, packing) {
        (Bits::Eight, _) => samples.div_ceil(4),
        // Three samples to a word.
        (Bits::Ten, 1 | 2) => samples.div_ceil(3),
        (Bits::Ten, _) => (samples * 10).div_ceil(32),
        (Bits::Twelve, 0) => (samples * 12).div_ceil(32),
        // Two samples to a word.
        _ => samples.div_ceil(2),
    };
    let bytes = match (bits, packing) {
        (Bits::Eight, _) => samples,
        (Bits::Ten, _) | (Bits::Twelve, 0) => words * 4,
        _ => samples * 2,
    };
    (words * 4, bytes)
}

struct Fields<'a> {
    head: &'a [u8; HEADERS],
    /// Whether the most significant byte comes first.
    big: bool,
}

impl Fields<'_> {
    fn long(&self, at: usize) -> u32 {
        let bytes = [0, 1, 2, 3].map(|index| self.head[at + index]);
        if self.big {
            u32::from_be_bytes(bytes)
        } else {
            u32::from_le_bytes(bytes)
        }
    }

    fn short(&self, at: usize) -> u16 {
        let bytes = [self.head[at], self.head[at + 1]];
        if self.big {
            u16::from_be_bytes(bytes)
        } else {
            u16::from_le_bytes(bytes)
        }
    }
}
