//! The ledger: one JSON object a line, append only, one file a run, a checksum a line.
//!
//! It says what was meant and what was done; it is never trusted over the disk.

use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::disk::{Append, Disk, Stamp};

/// What a line tells.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Line {
    /// A run has begun.
    Began(Began),
    /// A staging folder was made.
    Staged(Staged),
    /// The process of a staging folder has ended, and all that it brought is told.
    Left {
        /// The number of the process in its run.
        process: u32,
    },
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
    /// Frames could not be made.
    Failed(Failed),
    /// Warnings of one kind in the logs of the run.
    Warned(Warned),
    /// What a run that died left is picked up.
    Buried {
        /// The number of that run.
        session: u32,
    },
    /// The run has ended, and left nothing behind.
    Ended,
}

/// A run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Began {
    /// The machine.
    pub machine: String,
    /// The job file's name.
    pub job: String,
    /// When, as RFC 3339, by that machine's clock.
    pub time: String,
    /// Where its logs are.
    pub logs: String,
}

/// A staging folder, and what is rendered in it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Staged {
    /// The folder.
    pub folder: String,
    /// The number of its process in the run.
    pub process: u32,
    /// What the process makes, in words.
    pub label: String,
    /// Its log.
    pub log: String,
    /// When it began, as RFC 3339, by that machine's clock.
    pub time: String,
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
    /// What becomes of a file that has the name already; none where there must not be one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub replaces: Option<Replaces>,
    /// All there is to say once it has its true name.
    pub record: Record,
}

/// What becomes of a file whose name a new one takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Replaces {
    /// It is removed once the ledger tells of the new one.
    Remove,
    /// It is kept aside.
    Keep,
}

/// Frames of one deliverable that could not be made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Failed {
    /// The pattern of their paths.
    pub path: String,
    /// The frames.
    pub frames: String,
    /// Why.
    pub reason: String,
    /// The log of the last process that should have made them.
    pub log: Option<String>,
}

/// Warnings of one kind.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Warned {
    /// The warning, with `#` for numbers.
    pub kind: String,
    /// How many there were.
    pub count: u64,
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
    /// Of other settings, and taken as it is because somebody said so.
    Accepted,
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
    /// When, as RFC 3339, by that machine's clock.
    pub time: String,
    /// The run that it belongs to: when that began.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub run: Option<String>,
}

/// What is remembered of a published file; there may be hundreds of thousands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Known {
    /// Size and time of last change.
    pub stamp: Stamp,
    /// SHA-256 of its bytes.
    pub hash: Hash,
    /// Fingerprint of what made the picture; none when nobody knows.
    pub fingerprint: Option<Arc<str>>,
    /// The run that it belongs to.
    pub run: Option<Arc<str>>,
}

/// A SHA-256, packed: in the ledger it is written in hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hash([u8; 32]);

impl Hash {
    /// The hash with these digits; what is no digit counts as 0.
    fn of_digits(text: &str) -> Self {
        let mut bytes = [0; 32];
        let digit = |byte: u8| char::from(byte).to_digit(16).unwrap_or(0) as u8;
        for (byte, pair) in bytes.iter_mut().zip(text.as_bytes().chunks_exact(2)) {
            *byte = digit(pair[0]) << 4 | digit(pair[1]);
        }
        Self(bytes)
    }
}

impl std::fmt::Display for Hash {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.iter().try_for_each(|byte| write!(out, "{byte:02x}"))
    }
}

/// A published line, read without copying its texts.
#[derive(Deserialize)]
struct View<'a> {
    #[serde(borrow)]
    published: PublishedView<'a>,
}

#[derive(Deserialize)]
struct PublishedView<'a> {
    how: How,
    #[serde(borrow)]
    record: RecordView<'a>,
}

#[derive(Deserialize)]
struct RecordView<'a> {
    #[serde(borrow)]
    path: Cow<'a, str>,
    size: u64,
    modified: i64,
    #[serde(borrow)]
    hash: Cow<'a, str>,
    #[serde(borrow)]
    fingerprint: Option<Cow<'a, str>>,
    #[serde(borrow)]
    time: Cow<'a, str>,
    #[serde(borrow, default)]
    run: Option<Cow<'a, str>>,
}

/// So many times are kept of every run.
const RECENT: usize = 64;

/// What one run told.
#[derive(Debug, Clone, Default)]
pub struct Told {
    /// How it began.
    pub began: Option<Began>,
    /// Intents that no published line followed.
    pub intents: Vec<Intent>,
    /// Staging folders whose process has not ended.
    pub staged: Vec<Staged>,
    /// Everything that it held aside.
    pub held: Vec<Held>,
    /// What failed.
    pub failed: Vec<Failed>,
    /// Files that it brought to their true names, rendered or recovered.
    pub brought: u64,
    /// When the last of them came, by the clock of its machine.
    pub recent: VecDeque<String>,
    /// Whether it has ended, or what it left is picked up.
    pub ended: bool,
    /// Bytes of its ledger that were read.
    read: u64,
}

/// All that the ledgers of a job tell, merged.
#[derive(Debug, Clone, Default)]
pub struct Ledger {
    /// What was told last of every path.
    pub published: HashMap<Box<str>, Known>,
    /// What each run told, by its number.
    pub sessions: BTreeMap<u32, Told>,
    /// Kinds of warnings that were ever told.
    pub warned: HashSet<String>,
    /// Texts that many files share.
    shared: HashSet<Arc<str>>,
    /// The run that reads this: what it tells itself it knows.
    pub(crate) own: Option<u32>,
}

/// The ledger of a run.
#[must_use]
pub(crate) fn path(folder: &Path, session: u32) -> PathBuf {
    folder.join(format!("{session:04}.jsonl"))
}

impl Ledger {
    /// Reads all ledgers in a folder.
    ///
    /// # Errors
    /// When a ledger cannot be read.
    pub fn read(folder: &Path) -> io::Result<Self> {
        let mut ledger = Self::default();
        ledger.refresh(folder)?;
        Ok(ledger)
    }

    /// The runs alone, to read on from here without what they published.
    pub(crate) fn clone_sessions(&self) -> Self {
        Self {
            sessions: self.sessions.clone(),
            ..Self::default()
        }
    }

    /// The number of the last run.
    #[must_use]
    pub fn last(&self) -> u32 {
        self.sessions.keys().next_back().copied().unwrap_or(0)
    }

    /// Reads what was written since. Ledgers are numbered without gaps and are looked for by name,
    /// since the listings of shared folders lag.
    ///
    /// # Errors
    /// When a ledger cannot be read.
    pub fn refresh(&mut self, folder: &Path) -> io::Result<()> {
        let open: Vec<u32> = self
            .sessions
            .iter()
            .filter(|(number, told)| !told.ended && self.own != Some(**number))
            .map(|(number, _)| *number)
            .collect();
        for number in open {
            self.tail(folder, number)?;
        }
        while self.tail(folder, self.last() + 1)? {}
        Ok(())
    }

    /// Reads on in the ledger of a run; gives whether there is one.
    fn tail(&mut self, folder: &Path, number: u32) -> io::Result<bool> {
        let mut file = match File::open(path(folder, number)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
            file => file?,
        };
        let mut told = self.sessions.remove(&number).unwrap_or_default();
        // Intents matter only of a run that has not ended, and are half of all lines.
        told.ended |= has_ended(&mut file)?;
        file.seek(SeekFrom::Start(told.read))?;
        let mut reader = BufReader::with_capacity(1 << 18, file);
        let mut bytes = Vec::new();
        loop {
            bytes.clear();
            let length = reader.read_until(b'\n', &mut bytes)?;
            // What has no end yet is being written, or the torn tail of a run that was killed.
            if bytes.pop() != Some(b'\n') {
                break;
            }
            told.read += length as u64;
            let Some(line) = std::str::from_utf8(&bytes).ok().and_then(sound) else {
                continue;
            };
            if told.ended && line.starts_with("{\"intent\"") {
                continue;
            }
            // Nearly all lines are of this kind.
            if line.starts_with("{\"published\"") {
                if let Ok(View { published }) = serde_json::from_str(line) {
                    self.take_published(&published, &mut told);
                }
            } else if let Ok(line) = serde_json::from_str(line) {
                self.take(line, &mut told);
            }
        }
        if told.ended {
            told.intents.clear();
            told.staged.clear();
            told.held.clear();
        }
        self.sessions.insert(number, told);
        Ok(true)
    }

    fn take(&mut self, line: Line, told: &mut Told) {
        match line {
            Line::Began(began) => told.began = Some(began),
            Line::Staged(staged) => told.staged.push(staged),
            Line::Left { process } => told.staged.retain(|staged| staged.process != process),
            Line::Held(held) => told.held.push(held),
            Line::Intent(intent) => told.intents.push(intent),
            // Read without copying, above.
            Line::Published { .. } | Line::Ended => {}
            Line::Aside { path, .. } => {
                self.published.remove(path.as_str());
            }
            Line::Failed(failed) => told.failed.push(failed),
            Line::Warned(warned) => {
                self.warned.insert(warned.kind);
            }
            Line::Buried { session } => {
                if let Some(dead) = self.sessions.get_mut(&session) {
                    dead.ended = true;
                    dead.intents.clear();
                    dead.staged.clear();
                    dead.held.clear();
                }
            }
        }
    }

    fn take_published(&mut self, line: &PublishedView<'_>, told: &mut Told) {
        let record = &line.record;
        if !told.intents.is_empty() {
            told.intents.retain(|intent| {
                intent.record.path != record.path || intent.record.hash != record.hash
            });
        }
        if matches!(line.how, How::Rendered | How::Recovered) {
            told.brought += 1;
            if told.recent.len() == RECENT {
                told.recent.pop_front();
            }
            told.recent.push_back(record.time.clone().into_owned());
        }
        let known = Known {
            stamp: Stamp {
                size: record.size,
                modified: record.modified,
            },
            hash: Hash::of_digits(&record.hash),
            fingerprint: record.fingerprint.as_deref().map(|text| self.shared(text)),
            run: record.run.as_deref().map(|text| self.shared(text)),
        };
        self.published.insert(record.path.as_ref().into(), known);
    }

    /// Whether somebody has told that this very file has its true name.
    pub(crate) fn tells_of(&self, record: &Record) -> bool {
        let known = self.published.get(record.path.as_str());
        known.is_some_and(|known| known.hash == Hash::of_digits(&record.hash))
    }

    /// Takes in what this run published itself.
    pub(crate) fn publish(&mut self, record: &Record) {
        let known = Known {
            stamp: Stamp {
                size: record.size,
                modified: record.modified,
            },
            hash: Hash::of_digits(&record.hash),
            fingerprint: record.fingerprint.as_deref().map(|text| self.shared(text)),
            run: record.run.as_deref().map(|text| self.shared(text)),
        };
        self.published.insert(record.path.as_str().into(), known);
    }

    /// A text that many files share, held once.
    fn shared(&mut self, text: &str) -> Arc<str> {
        if let Some(known) = self.shared.get(text) {
            return Arc::clone(known);
        }
        let shared: Arc<str> = text.into();
        self.shared.insert(Arc::clone(&shared));
        shared
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
            print(line, &mut text)?;
        }
        self.log.append(text.as_bytes(), sync)
    }
}

/// Whether the last line of a ledger says that its run has ended.
fn has_ended(file: &mut File) -> io::Result<bool> {
    const END: &[u8] = b"\"line\":\"ended\"}\n";
    let length = file.seek(SeekFrom::End(0))?;
    let Some(start) = length.checked_sub(END.len() as u64) else {
        return Ok(false);
    };
    file.seek(SeekFrom::Start(start))?;
    let mut last = [0; END.len()];
    file.read_exact(&mut last)?;
    Ok(last == END)
}

const HEAD: &str = "{\"check\":\"";
const MIDDLE: &str = "\",\"line\":";

/// The CRC-32 (ISO-HDLC) of a line: torn lines are what it is there to find.
fn check(text: &str) -> String {
    format!("{:08x}", crc32fast::hash(text.as_bytes()))
}

fn print(line: &Line, out: &mut String) -> io::Result<()> {
    let text = serde_json::to_string(line)?;
    for part in [HEAD, &check(&text), MIDDLE, &text, "}\n"] {
        out.push_str(part);
    }
    Ok(())
}

/// What a line holds, where its checksum is right.
fn sound(line: &str) -> Option<&str> {
    let (sum, rest) = line.strip_prefix(HEAD)?.split_once(MIDDLE)?;
    let text = rest.strip_suffix('}')?;
    (check(text) == sum).then_some(text)
}

#[cfg(test)]
mod tests {
    use super::*;

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
        };
        for line in [
            Line::Ended,
            Line::Staged(Staged {
                folder: "a".to_owned(),
                process: 3,
                label: "kiln".to_owned(),
                log: "l".to_owned(),
                time: "2026-01-01T00:00:00Z".to_owned(),
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
                replaces: Some(Replaces::Keep),
                record: record.clone(),
            }),
            Line::Published {
                frame: 7,
                how: How::Adopted,
                record,
            },
        ] {
            let mut printed = String::new();
            print(&line, &mut printed).unwrap();
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
        print(&line, &mut printed).unwrap();
        assert_eq!(parse(printed.trim_end()), Some(line));
        for length in 0..printed.len() - 1 {
            if printed.is_char_boundary(length) {
                assert_eq!(parse(&printed[..length]), None);
            }
        }
        assert_eq!(parse(&printed.trim_end().replace("\"b\"", "\"c\"")), None);
    }
}
