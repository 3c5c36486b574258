//! Reads the lines of a ledger, in blocks that are parsed on several cores while the next are read:
//! the ledger of a long show has hundreds of thousands.

use std::cell::RefCell;
use std::io::{self, Read};

use memchr::{memchr_iter, memrchr};

use super::Line;
use super::home::Home;
use super::published::{PublishedFiles, RecordReader};
use super::written::{is_intent, sound};
use crate::in_turns::in_turns;

/// A line that is sound.
pub(super) enum Parsed {
    /// Nearly all lines are of this kind.
    Published(PublishedFiles),
    /// Any other.
    Other(Box<Line>),
}

/// Bytes that are read at once.
const BLOCK: usize = 1 << 18;

/// Takes every whole line that is sound, in order; without intents where they matter no more. About
/// so many bytes are to come; paths are read as those below the job's folder `home`. What has no end yet is being written, or the torn tail of a run that was
/// killed.
pub(super) fn read_lines(
    ledger: &mut impl Read,
    about: u64,
    intents: bool,
    home: &Home,
    mut take: impl FnMut(Parsed),
) -> io::Result<LedgerBlock> {
    let mut blocks = Blocks::of(ledger);
    if about <= BLOCK as u64 {
        let mut parser = Parser::new(intents, home);
        let mut read = LedgerBlock::default();
        while let Some(block) = blocks.next()? {
            read.take(parser.parse(block.lines()), &mut take);
            blocks.spare.push(block);
        }
        read.bytes = blocks.read;
        return Ok(read);
    }
    let blocks = RefCell::new(blocks);
    let mut read = LedgerBlock::default();
    in_turns(
        || blocks.borrow_mut().next(),
        || Parser::new(intents, home),
        |parser, block: Block| (parser.parse(block.lines()), block),
        |(lines, block)| {
            read.take(lines, &mut take);
            blocks.borrow_mut().spare.push(block);
            Ok(())
        },
    )?;
    read.bytes = blocks.into_inner().read;
    Ok(read)
}

/// What was read of a ledger.
#[derive(Debug, Default)]
pub(super) struct LedgerBlock {
    /// Bytes of all whole lines.
    pub(super) bytes: u64,
    /// How many lines those are.
    pub(super) lines: u64,
    /// The lines that are not sound, counted from 1.
    pub(super) unsound: Vec<u64>,
}

impl LedgerBlock {
    fn take(&mut self, block: ParsedBlock, take: &mut impl FnMut(Parsed)) {
        let before = self.lines;
        self.unsound
            .extend(block.unsound.iter().map(|line| before + line));
        self.lines += block.lines;
        block.parsed.into_iter().for_each(take);
    }
}

/// What the lines of a block record.
struct ParsedBlock {
    parsed: Vec<Parsed>,
    lines: u64,
    /// Lines of the block that are not sound, counted from 1.
    unsound: Vec<u64>,
}

/// Whole lines of a ledger, some at a time.
struct Blocks<'r, R> {
    ledger: &'r mut R,
    /// The begin of a line whose end was not yet read.
    rest: Vec<u8>,
    /// Bytes of the lines that were given.
    read: u64,
    /// Blocks that are done with: fresh memory costs more than what is read into it.
    spare: Vec<Block>,
}

/// Whole lines, in the front of what may hold more.
struct Block {
    bytes: Vec<u8>,
    whole: usize,
}

impl Block {
    fn lines(&self) -> &[u8] {
        &self.bytes[..self.whole]
    }
}

impl<'r, R: Read> Blocks<'r, R> {
    fn of(ledger: &'r mut R) -> Self {
        Self {
            ledger,
            rest: Vec::new(),
            read: 0,
            spare: Vec::new(),
        }
    }

    fn next(&mut self) -> io::Result<Option<Block>> {
        let spare = self.spare.pop().map(|block| block.bytes);
        let mut bytes = spare.unwrap_or_else(|| vec![0; BLOCK]);
        let mut filled = self.rest.len();
        if bytes.len() <= filled {
            bytes.resize(filled + BLOCK, 0);
        }
        bytes[..filled].copy_from_slice(&self.rest);
        loop {
            let before = filled;
            while filled < bytes.len() {
                match self.ledger.read(&mut bytes[filled..]) {
                    Ok(0) => break,
                    Ok(more) => filled += more,
                    Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                    Err(error) => return Err(error),
                }
            }
            if filled == before {
                return Ok(None);
            }
            if let Some(last) = memrchr(b'\n', &bytes[before..filled]) {
                let whole = before + last + 1;
                self.rest.clear();
                self.rest.extend_from_slice(&bytes[whole..filled]);
                self.read += whole as u64;
                return Ok(Some(Block { bytes, whole }));
            }
            // A line that is longer than a block.
            bytes.resize(bytes.len() + BLOCK, 0);
        }
    }
}

struct Parser<'h> {
    intents: bool,
    home: &'h Home,
    reader: RecordReader,
}

impl<'h> Parser<'h> {
    fn new(intents: bool, home: &'h Home) -> Self {
        Self {
            intents,
            home,
            reader: RecordReader::new(home.clone()),
        }
    }

    fn parse(&mut self, block: &[u8]) -> ParsedBlock {
        let mut all = ParsedBlock {
            parsed: Vec::with_capacity(block.len() / 512),
            lines: 0,
            unsound: Vec::new(),
        };
        let mut begin = 0;
        for end in memchr_iter(b'\n', block) {
            let line = &block[begin..end];
            begin = end + 1;
            all.lines += 1;
            if self.intents || !is_intent(line) {
                match self.line(line) {
                    Some(parsed) => all.parsed.push(parsed),
                    None => all.unsound.push(all.lines),
                }
            }
        }
        all
    }

    fn line(&mut self, line: &[u8]) -> Option<Parsed> {
        let line = sound(std::str::from_utf8(line).ok()?)?;
        if line.starts_with("{\"published\"") {
            self.reader.of_line(line).map(Parsed::Published)
        } else {
            let line = serde_json::from_str(&self.home.whole_line(line)).ok()?;
            Some(Parsed::Other(Box::new(line)))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::ledger::written::print;
    use crate::record::ledger::{FileOrigin, Record, Warned};

    fn record(number: usize) -> Record {
        Record {
            path: format!("/show/\"kiln\"/é.{number:06}.png"),
            size: number as u64,
            modified: 7,
            hash: format!("{number:064x}"),
            fingerprint: Some("f".repeat(number % 3)),
            engine: "understudy 1".to_owned(),
            machine: "north".to_owned(),
            time: "2026-01-01T00:00:07Z".to_owned(),
            run: None,
            unverifiable: None,
            picture: None,
            samples: None,
            error: None,
            proven_by: None,
            kind: None,
        }
    }

    #[test]
    fn lines_come_in_their_order_and_whole() {
        let mut text = String::new();
        for number in 0..20_000 {
            let line = match number % 2 {
                0 => Line::Published {
                    frame: 1,
                    how: FileOrigin::Recovered,
                    record: record(number),
                },
                _ => {
                    let length = if number == 9_999 {
                        2 * BLOCK
                    } else {
                        number % 50
                    };
                    let kind = format!("{number} {}", "é".repeat(length));
                    Line::Warned(Warned { kind, count: 1 })
                }
            };
            print(&line, &Home::default(), &mut text).unwrap();
        }
        let whole = text.len() as u64;
        text.push_str("{\"check\":\"00");
        // With little to read, it is read without threads.
        for about in [0, whole] {
            let mut found: Vec<usize> = Vec::new();
            let read = read_lines(
                &mut text.as_bytes(),
                about,
                true,
                &Home::default(),
                |line| match line {
                    Parsed::Other(line) => {
                        let Line::Warned(warned) = *line else {
                            panic!("another line")
                        };
                        found.push(warned.kind.split(' ').next().unwrap().parse().unwrap());
                    }
                    Parsed::Published(published) => {
                        let number = published.known.stamp.size as usize;
                        let expected = RecordReader::default()
                            .of_record(FileOrigin::Recovered, &record(number));
                        assert_eq!(published, expected);
                        assert_eq!(published.path(), record(number).path);
                        assert_eq!(published.time.unwrap().as_second() % 60, 7);
                        found.push(number);
                    }
                },
            );
            let read = read.unwrap();
            assert_eq!((read.bytes, read.lines), (whole, 20_000));
            assert!(read.unsound.is_empty());
            assert_eq!(found, (0..20_000).collect::<Vec<_>>());
        }
    }
}
