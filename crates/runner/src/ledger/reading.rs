//! Reads the lines of a ledger in blocks, each on several cores: that of a long show has hundreds of
//! thousands.

use std::io::{self, Read};
use std::thread;

use memchr::{memchr, memchr_iter, memrchr};

use super::Line;
use super::known::{PublishedView, View};
use super::written::{is_intent, sound};

/// A line that is sound.
pub(super) enum Parsed<'a> {
    /// Nearly all lines are of this kind: read without copying its texts.
    Published(PublishedView<'a>),
    /// Any other.
    Other(Box<Line>),
}

/// Bytes that are read at once: what is made of them stays in the memory that was used before.
const BLOCK: u64 = 1 << 19;
/// Bytes that are worth a thread of their own.
const SHARE: usize = 1 << 17;

/// Takes every whole line that is sound, in order; without intents where they matter no more. Gives
/// the bytes of all whole lines: what has no end yet is being written, or the torn tail of a run that
/// was killed.
pub(super) fn read_lines(
    ledger: &mut impl Read,
    intents: bool,
    mut take: impl FnMut(Parsed<'_>),
) -> io::Result<u64> {
    let (mut block, mut read) = (Vec::new(), 0);
    loop {
        if ledger.take(BLOCK).read_to_end(&mut block)? == 0 {
            return Ok(read);
        }
        let whole = memrchr(b'\n', &block).map_or(0, |last| last + 1);
        for part in parts(&block[..whole], intents) {
            part.into_iter().for_each(&mut take);
        }
        read += whole as u64;
        block.drain(..whole);
    }
}

/// The lines of a block, in parts that were parsed side by side.
fn parts(mut block: &[u8], intents: bool) -> Vec<Vec<Parsed<'_>>> {
    let cores = thread::available_parallelism().map_or(1, usize::from);
    let share = block.len().div_ceil(cores).max(SHARE);
    let mut parts = Vec::new();
    while !block.is_empty() {
        let about = share.min(block.len());
        let end = memchr(b'\n', &block[about..]).map_or(block.len(), |more| about + more + 1);
        let (part, rest) = block.split_at(end);
        parts.push(part);
        block = rest;
    }
    let Some((first, others)) = parts.split_first() else {
        return Vec::new();
    };
    thread::scope(|scope| {
        let others: Vec<_> = others
            .iter()
            .map(|part| scope.spawn(move || parse(part, intents)))
            .collect();
        let mut parsed = vec![parse(first, intents)];
        for other in others {
            match other.join() {
                Ok(part) => parsed.push(part),
                Err(panic) => std::panic::resume_unwind(panic),
            }
        }
        parsed
    })
}

fn parse(part: &[u8], intents: bool) -> Vec<Parsed<'_>> {
    let mut parsed = Vec::with_capacity(part.len() / 512);
    let mut begin = 0;
    for end in memchr_iter(b'\n', part) {
        let line = &part[begin..end];
        begin = end + 1;
        if intents || !is_intent(line) {
            parsed.extend(parse_line(line));
        }
    }
    parsed
}

fn parse_line(line: &[u8]) -> Option<Parsed<'_>> {
    let line = sound(std::str::from_utf8(line).ok()?)?;
    if line.starts_with("{\"published\"") {
        let View { published } = serde_json::from_str(line).ok()?;
        Some(Parsed::Published(published))
    } else {
        let line = serde_json::from_str(line).ok()?;
        Some(Parsed::Other(Box::new(line)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ledger::Warned;
    use crate::ledger::written::print;

    #[test]
    fn lines_come_in_their_order_and_whole() {
        let mut text = String::new();
        for number in 0..20_000 {
            let kind = format!("{number} {}", "é".repeat(number % 50));
            print(&Line::Warned(Warned { kind, count: 1 }), &mut text).unwrap();
        }
        assert!(text.len() as u64 > BLOCK);
        let whole = text.len() as u64;
        text.push_str("{\"check\":\"00");
        let mut found: Vec<usize> = Vec::new();
        let read = read_lines(&mut text.as_bytes(), true, |line| match line {
            Parsed::Other(line) => {
                let Line::Warned(warned) = *line else {
                    panic!("another line")
                };
                found.push(warned.kind.split(' ').next().unwrap().parse().unwrap());
            }
            Parsed::Published(_) => panic!("another line"),
        });
        assert_eq!(read.unwrap(), whole);
        assert_eq!(found, (0..20_000).collect::<Vec<_>>());
    }
}
