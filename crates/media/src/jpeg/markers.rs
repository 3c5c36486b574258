//! The marker segments of a JPEG file: ITU-T T.81, annex B.

use super::broken;
use crate::facts::Flaw;

/// One segment of a file.
pub(super) enum Segment<'b> {
    HuffmanTables(&'b [u8]),
    /// In units of blocks (MCUs) between restart markers; 0 for none.
    RestartInterval(u32),
    /// A frame header, with the number of its process (SOF0 to SOF15).
    Frame {
        process: u8,
        content: &'b [u8],
    },
    /// A scan header; the entropy-coded data follow.
    Scan(&'b [u8]),
    /// Quantization tables.
    Quantization(&'b [u8]),
    /// What says nothing about the pixels: comments, and data of applications.
    Aside,
    End,
    Other,
}

/// Walks over the segments of a file.
pub(super) struct Segments<'b> {
    bytes: &'b [u8],
    /// Where the next marker is.
    pub(super) at: usize,
}

impl<'b> Segments<'b> {
    pub(super) fn new(bytes: &'b [u8]) -> Result<Self, Flaw> {
        match bytes {
            [0xff, 0xd8, ..] => Ok(Self { bytes, at: 2 }),
            _ => Err(broken("it does not begin with a start marker")),
        }
    }

    pub(super) fn next(&mut self) -> Result<Segment<'b>, Flaw> {
        let ends = || broken("it ends before its end marker");
        if *self.bytes.get(self.at).ok_or_else(ends)? != 0xff {
            return Err(broken(format!("byte {} is no marker", self.at)));
        }
        // Any number of fill bytes stands before a marker.
        while *self.bytes.get(self.at).ok_or_else(ends)? == 0xff {
            self.at += 1;
        }
        let marker = self.bytes[self.at];
        self.at += 1;
        match marker {
            0xd9 => return Ok(Segment::End),
            // No segment: stands alone.
            0x01 | 0xd0..=0xd7 => return Ok(Segment::Other),
            0x00 | 0xd8 => return Err(broken(format!("marker {marker:02x} is out of place"))),
            _ => {}
        }
        let content = self.content().ok_or_else(ends)?;
        Ok(match (marker, content) {
            (0xc4, _) => Segment::HuffmanTables(content),
            // Conditions of arithmetic coding.
            (0xcc, _) => Segment::Other,
            (0xc0..=0xcf, _) => Segment::Frame {
                process: marker - 0xc0,
                content,
            },
            (0xda, _) => Segment::Scan(content),
            (0xdb, _) => Segment::Quantization(content),
            (0xe0..=0xef | 0xfe, _) => Segment::Aside,
            (0xdd, [high, low]) => {
                Segment::RestartInterval(u32::from(u16::from_be_bytes([*high, *low])))
            }
            (0xdd, _) => return Err(broken("its restart interval cannot be read")),
            (0xdc, _) => return Err(Flaw::unverifiable("its height stands after its first scan")),
            _ => Segment::Other,
        })
    }

    /// The content of a segment behind its length.
    fn content(&mut self) -> Option<&'b [u8]> {
        let length = self.bytes.get(self.at..self.at + 2)?;
        let length = usize::from(u16::from_be_bytes([length[0], length[1]]));
        let content = self.bytes.get(self.at + 2..self.at + length.max(2))?;
        self.at += length.max(2);
        Some(content)
    }
}
