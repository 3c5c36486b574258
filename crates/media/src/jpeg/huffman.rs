//! Huffman codes: ITU-T T.81, annexes C and F.2.2.3.

use super::bits::BitReader;
use super::broken;
use crate::facts::Flaw;

/// Codes of so many bits at most are looked up in one step.
const QUICK: u32 = 9;

/// The codes of one table.
pub(super) struct Huffman {
    /// By the next `QUICK` bits: length of the code in bits, 0 for a longer one, and its symbol.
    quick: Vec<(u8, u8)>,
    /// By length: the first code behind those of this length, moved to the left end of 16 bits.
    limits: [u32; 17],
    /// By length: what is added to a code to find its symbol.
    offsets: [i32; 17],
    symbols: Vec<u8>,
}

impl Huffman {
    /// Reads one table; gives it and the bytes behind it.
    pub(super) fn read(content: &[u8]) -> Option<(Self, &[u8])> {
        let (counts, rest) = content.split_at_checked(16)?;
        let total: usize = counts.iter().map(|count| usize::from(*count)).sum();
        let (symbols, rest) = rest.split_at_checked(total)?;
        let mut quick = vec![(0, 0); 1 << QUICK];
        let (mut limits, mut offsets) = ([0_u32; 17], [0_i32; 17]);
        let (mut code, mut next) = (0_u32, 0_usize);
        for (length, count) in (1_u32..).zip(counts) {
            offsets[length as usize] = next as i32 - code as i32;
            for _ in 0..*count {
                if code >= 1 << length {
                    return None;
                }
                if length <= QUICK {
                    let first = (code << (QUICK - length)) as usize;
                    let entry = (length as u8, symbols[next]);
                    quick[first..first + (1 << (QUICK - length))].fill(entry);
                }
                code += 1;
                next += 1;
            }
            limits[length as usize] = code << (16 - length);
            code <<= 1;
        }
        let table = Self {
            quick,
            limits,
            offsets,
            symbols: symbols.to_vec(),
        };
        Some((table, rest))
    }

    /// The next symbol.
    pub(super) fn next(&self, bits: &mut BitReader<'_>) -> Result<u8, Flaw> {
        let ahead = bits.peek();
        let (length, symbol) = self.quick[usize::from(ahead >> (16 - QUICK))];
        if length > 0 {
            bits.skip(length.into())?;
            return Ok(symbol);
        }
        for length in QUICK + 1..=16 {
            if u32::from(ahead) < self.limits[length as usize] {
                bits.skip(length)?;
                let code = i32::from(ahead >> (16 - length));
                let at = usize::try_from(code + self.offsets[length as usize]).ok();
                let symbol = at.and_then(|at| self.symbols.get(at));
                return symbol.copied().ok_or_else(no_code);
            }
        }
        // Behind the end zeros are read: then the end is what is wrong.
        bits.skip(16)?;
        Err(no_code())
    }
}

fn no_code() -> Flaw {
    broken("its picture data hold a code that does not exist")
}
