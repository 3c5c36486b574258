//! The coefficients of a block: ITU-T T.81, annexes F.2 (sequential) and G.1 (progressive). They are read and
//! not kept, but for which of them are not zero, where later scans refine them.

use super::bits::BitReader;
use super::broken;
use super::huffman::Huffman;
use crate::facts::Flaw;

/// The difference of a DC coefficient to the one before.
pub(super) fn difference(
    table: &Huffman,
    bits: &mut BitReader<'_>,
    precision: u8,
) -> Result<i32, Flaw> {
    let size = u32::from(table.next(bits)?);
    if size > u32::from(precision) + 3 {
        return Err(broken("its picture data are out of range"));
    }
    let value = bits.take(size)? as i32;
    Ok(match size {
        0 => 0,
        size if value < 1 << (size - 1) => value - (1 << size) + 1,
        _ => value,
    })
}

/// The 63 AC coefficients of a block; gives how many of them are not zero.
pub(super) fn sequential(table: &Huffman, bits: &mut BitReader<'_>) -> Result<u8, Flaw> {
    let mut at = 1;
    let mut nonzero = 0;
    while at < 64 {
        let symbol = table.next(bits)?;
        let (run, size) = (usize::from(symbol >> 4), u32::from(symbol & 15));
        match (run, size) {
            (15, 0) => at += 16,
            (_, 0) => return Ok(nonzero),
            _ => {
                nonzero += 1;
                at += run + 1;
                if at <= 64 {
                    bits.take(size)?;
                }
            }
        }
    }
    match at {
        64 => Ok(nonzero),
        _ => Err(too_many()),
    }
}

/// A band of AC coefficients, to a certain bit.
pub(super) fn first(
    table: &Huffman,
    bits: &mut BitReader<'_>,
    (from, to): (usize, usize),
    nonzero: &mut u64,
    at_end: &mut u32,
) -> Result<(), Flaw> {
    if *at_end > 0 {
        *at_end -= 1;
        return Ok(());
    }
    let mut at = from;
    while at <= to {
        let symbol = table.next(bits)?;
        let (run, size) = (usize::from(symbol >> 4), u32::from(symbol & 15));
        match (run, size) {
            (15, 0) => at += 16,
            (run, 0) => {
                *at_end = (1 << run) + bits.take(run as u32)? - 1;
                return Ok(());
            }
            _ => {
                at += run;
                if at > to {
                    return Err(too_many());
                }
                bits.take(size)?;
                *nonzero |= 1 << at;
                at += 1;
            }
        }
    }
    if at == to + 1 {
        Ok(())
    } else {
        Err(too_many())
    }
}

/// One more bit of a band of AC coefficients.
pub(super) fn refine(
    table: &Huffman,
    bits: &mut BitReader<'_>,
    (from, to): (usize, usize),
    nonzero: &mut u64,
    at_end: &mut u32,
) -> Result<(), Flaw> {
    let mut at = from;
    while *at_end == 0 && at <= to {
        let symbol = table.next(bits)?;
        let (mut run, size) = (usize::from(symbol >> 4), symbol & 15);
        match (run, size) {
            (15, 0) => {}
            (run, 0) => {
                *at_end = (1 << run) + bits.take(run as u32)?;
                break;
            }
            // Its sign.
            (_, 1) => bits.skip(1)?,
            _ => return Err(broken("its picture data are out of range")),
        }
        // Past so many coefficients that are zero; each of the others takes a bit.
        while at <= to {
            if *nonzero >> at & 1 == 1 {
                bits.skip(1)?;
            } else if run == 0 {
                break;
            } else {
                run -= 1;
            }
            at += 1;
        }
        if size == 1 {
            if at > to {
                return Err(too_many());
            }
            *nonzero |= 1 << at;
        }
        at += 1;
    }
    if *at_end > 0 {
        while at <= to {
            if *nonzero >> at & 1 == 1 {
                bits.skip(1)?;
            }
            at += 1;
        }
        *at_end -= 1;
    }
    Ok(())
}

fn too_many() -> Flaw {
    broken("a block has more coefficients than it can hold")
}
