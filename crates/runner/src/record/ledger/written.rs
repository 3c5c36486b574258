//! A ledger that is being written, and how its lines are.

use std::io;
use std::path::Path;

use super::Line;
use super::home::Home;
use crate::disk::{Append, Disk};

/// A ledger that this process writes.
pub struct LedgerWriter {
    log: Box<dyn Append>,
    home: Home,
}

impl LedgerWriter {
    /// Begins a ledger.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn create(disk: &dyn Disk, path: &Path) -> io::Result<Self> {
        let log = disk.create_log(path)?;
        let mut home = Home::default();
        if let Some(folder) = path.parent() {
            disk.sync_folder(folder)?;
            home = Home::of_ledgers(folder);
        }
        Ok(Self { log, home })
    }

    /// Writes lines that stay once this returns.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn write(&mut self, lines: &[Line]) -> io::Result<()> {
        self.append(lines, true)
    }

    /// Writes lines that others see at once; a power cut may take them.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn note(&mut self, lines: &[Line]) -> io::Result<()> {
        self.append(lines, false)
    }

    fn append(&mut self, lines: &[Line], sync: bool) -> io::Result<()> {
        let mut text = String::new();
        for line in lines {
            print(line, &self.home, &mut text)?;
        }
        self.log.append(text.as_bytes(), sync)
    }
}

const HEAD: &str = "{\"check\":\"";
/// Digits of a checksum.
const SUM: usize = 8;
const MIDDLE: &str = "\",\"line\":";

/// The CRC-32 (ISO-HDLC) of a line: torn lines are what it is there to find.
fn check(text: &str) -> u32 {
    crc32fast::hash(text.as_bytes())
}

pub(super) fn print(line: &Line, home: &Home, out: &mut String) -> io::Result<()> {
    let text = home.shortened(serde_json::to_string(line)?);
    let sum = format!("{:08x}", check(&text));
    for part in [HEAD, &sum, MIDDLE, &text, "}\n"] {
        out.push_str(part);
    }
    Ok(())
}

/// Whether a line records an intent, sound or not.
pub(super) fn is_intent(line: &[u8]) -> bool {
    let body = line.get(HEAD.len() + SUM + MIDDLE.len()..);
    body.is_some_and(|body| body.starts_with(b"{\"intent\""))
}

/// What a line holds, where its checksum is right.
pub(super) fn sound(line: &str) -> Option<&str> {
    let (sum, rest) = line.strip_prefix(HEAD)?.split_at_checked(SUM)?;
    let text = rest.strip_prefix(MIDDLE)?.strip_suffix('}')?;
    // Compared as numbers: to print one for each of many lines takes longer than to add them up.
    let sum = u32::from_str_radix(sum, 16).ok()?;
    (check(text) == sum).then_some(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::ledger::{
        FileOrigin, HeldAside, Intent, Record, Replaces, Staged, StagedMember,
    };

    fn parse(line: &str) -> Option<Line> {
        serde_json::from_str(sound(line)?).ok()
    }

    #[test]
    fn every_kind_of_line_is_read_back() {
        let record = Record {
            path: "/a/b 'c'.png".to_owned(),
            size: 7,
            modified: 1_700_000_000_123_456_789,
            hash: "00".to_owned(),
            fingerprint: None,
            engine: "understudy 1".to_owned(),
            machine: "north".to_owned(),
            time: "2026-01-01T00:00:00Z".to_owned(),
            run: Some("2026-01-01T00:00:00".to_owned()),
            unverifiable: None,
            picture: None,
            samples: None,
            error: None,
            proven_by: None,
            kind: None,
        };
        for line in [
            Line::Ended,
            Line::Staged(Staged {
                folder: "a".to_owned(),
                process: 3,
                label: "kiln".to_owned(),
                engine: String::new(),
                log: "l".to_owned(),
                time: "2026-01-01T00:00:00Z".to_owned(),
                frames: "1-9".to_owned(),
                members: vec![StagedMember {
                    path: "p".to_owned(),
                    fingerprint: "f".to_owned(),
                }],
                besides: String::new(),
                held: false,
                given: vec!["options.json".to_owned()],
            }),
            Line::Held(HeldAside {
                folder: "f".to_owned(),
                hold: "h".to_owned(),
            }),
            Line::Intent(Intent {
                staged: "s".to_owned(),
                frame: -7,
                replaces: Some(Replaces::Remove),
                removed_hash: Some("h".to_owned()),
                record: record.clone(),
            }),
            Line::Published {
                frame: 7,
                how: FileOrigin::Adopted,
                record,
            },
        ] {
            let mut printed = String::new();
            print(&line, &Home::default(), &mut printed).unwrap();
            assert_eq!(parse(printed.trim_end()), Some(line));
        }
    }

    #[test]
    fn a_torn_or_changed_line_is_passed_over() {
        let line = Line::Aside {
            path: "a".to_owned(),
            to: "b".to_owned(),
            why: "é".to_owned(),
        };
        let mut printed = String::new();
        print(&line, &Home::default(), &mut printed).unwrap();
        assert_eq!(parse(printed.trim_end()), Some(line));
        for length in 0..printed.len() - 1 {
            if printed.is_char_boundary(length) {
                assert_eq!(parse(&printed[..length]), None);
            }
        }
        assert_eq!(parse(&printed.trim_end().replace("\"b\"", "\"c\"")), None);
    }
}
