//! The ledger: one JSON object a line, append only, one file a process, a checksum a line.
//!
//! It says what was meant and what was done; it is never trusted over the disk.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::Path;

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use crate::disk::{Append, Disk, Stamp, hex};

/// What a line tells.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "kebab-case")]
pub enum Line {
    /// A staging folder was made.
    Staged(Staged),
    /// A file is about to get its true name.
    Intent(Intent),
    /// A file has its true name.
    Published {
        /// The frame.
        frame: i64,
        /// How it came there.
        how: How,
        /// What there is to say of it.
        record: Record,
    },
    /// Files are held aside while an engine writes in their folder.
    Held(Held),
    /// A file was in the way and was renamed.
    Aside {
        /// Where it was.
        path: String,
        /// Where it is.
        to: String,
        /// Why.
        why: String,
    },
}

/// A staging folder, and what is rendered in it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Staged {
    /// The folder.
    pub folder: String,
    /// The frames.
    pub frames: String,
    /// The deliverables.
    pub members: Vec<Member>,
    /// Files that were given to the engine, by name.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub given: Vec<String>,
}

/// Files that are held aside.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Held {
    /// Their folder.
    pub folder: String,
    /// Where they are meanwhile.
    pub hold: String,
}

/// A deliverable that is rendered in a staging folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Member {
    /// The pattern of its paths.
    pub path: String,
    /// The fingerprint of what makes its pictures.
    pub fingerprint: String,
}

/// A file that is about to get its true name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Intent {
    /// Its staging name.
    pub staged: String,
    /// The frame.
    pub frame: i64,
    /// All there is to say once it has its true name.
    pub record: Record,
}

/// How a file came to its true name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum How {
    /// Rendered by this run.
    Rendered,
    /// Finished by an earlier run that was killed.
    Recovered,
    /// Found there, decoded and taken.
    Adopted,
}

/// What there is to say of a published file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Record {
    /// Its path.
    pub path: String,
    /// Bytes.
    pub size: u64,
    /// Time of last change, nanoseconds since 1970.
    pub modified: i64,
    /// SHA-256 of its bytes.
    pub hash: String,
    /// Fingerprint of what made the picture; none when nobody knows.
    pub fingerprint: Option<String>,
    /// The engine, with its version where it tells one.
    pub engine: String,
    /// The machine.
    pub machine: String,
    /// When, as RFC 3339.
    pub time: String,
}

impl Record {
    /// Size and time of last change.
    #[must_use]
    pub fn stamp(&self) -> Stamp {
        Stamp {
            size: self.size,
            modified: self.modified,
        }
    }
}

/// All that the ledgers of a job tell, merged.
#[derive(Debug, Clone, Default)]
pub struct Ledger {
    /// The last record of every path.
    pub published: HashMap<String, Record>,
    /// Intents that no published line followed.
    pub intents: Vec<Intent>,
    /// Every staging folder that was ever made.
    pub staged: Vec<Staged>,
    /// Everything that was ever held aside.
    pub held: Vec<Held>,
}

impl Ledger {
    /// Reads all ledgers in a folder. A line without a right checksum is the torn tail of a
    /// process that was killed, and is passed over.
    ///
    /// # Errors
    /// When a ledger cannot be read.
    pub fn read(folder: &Path) -> io::Result<Self> {
        let mut names: Vec<_> = match fs::read_dir(folder) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Self::default()),
            entries => entries?
                .collect::<Result<Vec<_>, _>>()?
                .into_iter()
                .map(|entry| entry.path())
                .filter(|path| {
                    path.extension()
                        .is_some_and(|extension| extension == "jsonl")
                })
                .collect(),
        };
        names.sort();
        let mut ledger = Self::default();
        let mut intents: Vec<Intent> = Vec::new();
        for name in names {
            let text = String::from_utf8_lossy(&fs::read(&name)?).into_owned();
            for line in text.lines().filter_map(parse) {
                match line {
                    Line::Staged(staged) => ledger.staged.push(staged),
                    Line::Held(held) => ledger.held.push(held),
                    Line::Intent(intent) => intents.push(intent),
                    Line::Published { record, .. } => {
                        ledger.published.insert(record.path.clone(), record);
                    }
                    Line::Aside { path, .. } => {
                        ledger.published.remove(&path);
                    }
                }
            }
        }
        intents.retain(|Intent { record, .. }| {
            ledger
                .published
                .get(&record.path)
                .is_none_or(|published| published.hash != record.hash)
        });
        ledger.intents = intents;
        Ok(ledger)
    }
}

/// A ledger that this process writes.
pub struct Writer {
    log: Box<dyn Append>,
}

impl Writer {
    /// Begins a ledger.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn create(disk: &dyn Disk, path: &Path) -> io::Result<Self> {
        let log = disk.create_log(path)?;
        if let Some(folder) = path.parent() {
            disk.sync_folder(folder)?;
        }
        Ok(Self { log })
    }

    /// Writes a line that stays once this returns.
    ///
    /// # Errors
    /// When the disk refuses.
    pub fn write(&mut self, line: &Line) -> io::Result<()> {
        self.log.append(print(line)?.as_bytes(), true)
    }
}

const HEAD: &str = "{\"check\":\"";
const MIDDLE: &str = "\",\"line\":";

fn check(text: &str) -> String {
    hex(&Sha256::digest(text.as_bytes())[..4])
}

fn print(line: &Line) -> io::Result<String> {
    let text = serde_json::to_string(line)?;
    Ok(format!("{HEAD}{}{MIDDLE}{text}}}\n", check(&text)))
}

fn parse(line: &str) -> Option<Line> {
    let (sum, rest) = line.strip_prefix(HEAD)?.split_once(MIDDLE)?;
    let text = rest.strip_suffix('}')?;
    if check(text) != sum {
        return None;
    }
    serde_json::from_str(text).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

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
        };
        for line in [
            Line::Staged(Staged {
                folder: "a".to_owned(),
                frames: "1-9".to_owned(),
                members: vec![Member {
                    path: "p".to_owned(),
                    fingerprint: "f".to_owned(),
                }],
                given: vec!["options.json".to_owned()],
            }),
            Line::Held(Held {
                folder: "f".to_owned(),
                hold: "h".to_owned(),
            }),
            Line::Intent(Intent {
                staged: "s".to_owned(),
                frame: -7,
                record: record.clone(),
            }),
            Line::Published {
                frame: 7,
                how: How::Adopted,
                record,
            },
        ] {
            assert_eq!(parse(print(&line).unwrap().trim_end()), Some(line));
        }
    }

    #[test]
    fn a_torn_or_changed_line_is_passed_over() {
        let line = Line::Aside {
            path: "a".to_owned(),
            to: "b".to_owned(),
            why: "é".to_owned(),
        };
        let printed = print(&line).unwrap();
        assert_eq!(parse(printed.trim_end()), Some(line));
        for length in 0..printed.len() - 1 {
            if printed.is_char_boundary(length) {
                assert_eq!(parse(&printed[..length]), None);
            }
        }
        assert_eq!(parse(&printed.trim_end().replace("\"b\"", "\"c\"")), None);
    }
}
