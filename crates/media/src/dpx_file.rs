//! DPX, by its headers: pixels are stored as they are, so that the length of a file shows whether
//! it is whole. Offsets after SMPTE ST 268-1, tables of the generic headers.

use std::io::{self, Read, Seek, SeekFrom};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};

/// The first two generic headers: file and picture.
const HEADERS: usize = 1408;

pub(crate) fn decode(
    mut reader: impl Read + Seek,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
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
    // Some writers fill a line up to words of 32 bits, some do not: the header says how long the file is.
    let length = reader.seek(SeekFrom::End(0))?;
    let is_tight = length == whole(bytes) || u64::from(fields.long(16)) == whole(bytes);
    let wanted = if is_tight { whole(bytes) } else { whole(words) };
    // Every byte is read, so that a disk that cannot give them is found out too.
    reader.seek(SeekFrom::Start(0))?;
    let there = io::copy(&mut reader.by_ref().take(wanted), &mut io::sink())?;
    if there < wanted {
        return Err(Flaw::Broken(format!("{there} of {wanted} bytes are there")));
    }
    let after = io::copy(&mut reader, &mut io::sink())?;
    facts.note_bytes_after_the_end(after as usize);
    Ok(facts)
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
