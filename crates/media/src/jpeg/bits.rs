//! Bits of entropy-coded data, up to the next marker.

use super::broken;
use crate::facts::Flaw;

/// Reads bits, the highest first, and takes the zero byte away that is stuffed behind each 0xff.
pub(super) struct BitReader<'b> {
    bytes: &'b [u8],
    /// The next byte that is not yet in `held`.
    at: usize,
    held: u64,
    count: u32,
}

impl<'b> BitReader<'b> {
    pub(super) fn new(bytes: &'b [u8], at: usize) -> Self {
        Self {
            bytes,
            at,
            held: 0,
            count: 0,
        }
    }

    fn fill(&mut self) {
        while self.count <= 56 {
            let Some(&byte) = self.bytes.get(self.at) else {
                return;
            };
            if byte == 0xff {
                if self.bytes.get(self.at + 1) != Some(&0) {
                    return;
                }
                self.at += 1;
            }
            self.at += 1;
            self.held = (self.held << 8) | u64::from(byte);
            self.count += 8;
        }
    }

    /// The next 16 bits, with zeros behind the end.
    pub(super) fn peek(&mut self) -> u16 {
        if self.count < 16 {
            self.fill();
        }
        match self.count {
            16.. => (self.held >> (self.count - 16)) as u16,
            count => ((self.held << (16 - count)) & 0xffff) as u16,
        }
    }

    pub(super) fn skip(&mut self, bits: u32) -> Result<(), Flaw> {
        if self.count < bits {
            self.fill();
        }
        match self.count.checked_sub(bits) {
            Some(count) => {
                self.count = count;
                Ok(())
            }
            None => Err(broken(if self.at >= self.bytes.len() {
                "its picture data end before the picture does"
            } else {
                "a marker stands before the end of the picture data"
            })),
        }
    }

    /// The next bits, 16 at most.
    pub(super) fn take(&mut self, bits: u32) -> Result<u32, Flaw> {
        if bits == 0 {
            return Ok(0);
        }
        let value = u32::from(self.peek()) >> (16 - bits);
        self.skip(bits)?;
        Ok(value)
    }

    /// Ends at a marker: nothing but the rest of a byte may be left. Gives the place of the marker.
    pub(super) fn end(&mut self) -> Result<usize, Flaw> {
        self.fill();
        if self.count >= 8 {
            return Err(broken("picture data are left over before a marker"));
        }
        self.count = 0;
        match self.bytes.get(self.at) {
            Some(_) => Ok(self.at),
            None => Err(broken("it ends before its end marker")),
        }
    }

    /// Passes over the restart marker of this number, 0 to 7.
    pub(super) fn restart(&mut self, number: u8) -> Result<(), Flaw> {
        let mut at = self.end()?;
        while self.bytes.get(at + 1) == Some(&0xff) {
            at += 1;
        }
        match self.bytes.get(at + 1) {
            Some(found) if *found == 0xd0 + number => {
                self.at = at + 2;
                Ok(())
            }
            _ => Err(broken(format!("restart marker {number} is missing"))),
        }
    }
}
