//! DPX, by its headers: pixels are stored as they are, so that the length of a file tells whether
//! it is whole. Offsets after SMPTE ST 268-1, tables of the generic headers.

use std::io::{self, Read, Seek, SeekFrom};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw};

/// The first two generic headers: file and picture.
const HEADERS: usize = 1408;

pub(crate) fn decode(mut reader: impl Read + Seek) -> Result<Facts, Flaw> {
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
        51 => Channels::Rgba,
        other => {
            return Err(Flaw::Other {
                what: "set of channels",
                wanted: "gray (6), rgb (50) or rgba (51)".to_owned(),
                found: format!("descriptor {other}"),
            });
        }
    };
    let bits = match head[803] {
        8 => Bits::Eight,
        10 => Bits::Ten,
        12 => Bits::Twelve,
        16 => Bits::Sixteen,
        other => {
            return Err(Flaw::Other {
                what: "depth",
                wanted: "8, 10, 12 or 16".to_owned(),
                found: other.to_string(),
            });
        }
    };
    if fields.short(806) != 0 {
        return Err(Flaw::Other {
            what: "encoding",
            wanted: "pixels as they are".to_owned(),
            found: "in runs".to_owned(),
        });
    }
    let start = match fields.long(808) {
        0 | u32::MAX => fields.long(4),
        start => start,
    };
    let line = line_bytes(
        u64::from(size.width) * channels.count() as u64,
        bits,
        fields.short(804),
    );
    let padding = match fields.long(812) {
        u32::MAX => 0,
        padding => u64::from(padding),
    };
    let wanted = u64::from(start) + (line + padding) * u64::from(size.height);
    // Every byte is read, so that a disk that cannot give them is found out too.
    reader.seek(SeekFrom::Start(0))?;
    let there = io::copy(&mut reader.take(wanted), &mut io::sink())?;
    if there < wanted {
        return Err(Flaw::Broken(format!("{there} of {wanted} bytes are there")));
    }
    Ok(Facts {
        size,
        channels,
        bits,
    })
}

/// Bytes of a line, which ends at a word of 32 bits.
fn line_bytes(samples: u64, bits: Bits, packing: u16) -> u64 {
    let words = match (bits, packing) {
        (Bits::Eight, _) => samples.div_ceil(4),
        // Three samples to a word.
        (Bits::Ten, 1 | 2) => samples.div_ceil(3),
        (Bits::Ten, _) => (samples * 10).div_ceil(32),
        (Bits::Twelve, 0) => (samples * 12).div_ceil(32),
        // Two samples to a word.
        _ => samples.div_ceil(2),
    };
    words * 4
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
