//! All that the ledgers of a job record, merged; read again, only what is new is read.

use std::collections::{BTreeMap, BTreeSet, HashSet, VecDeque};
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::Path;

use jiff::Timestamp;
use truepath_core::balance::Memory;
use truepath_core::forecast::RenderTimes;
use truepath_core::split::FoundSplit;

use super::home::Home;
use super::known::SharedMakers;
use super::newer_format;
use super::published::{PublishedFiles, RecordReader};
use super::reading::{Parsed, read_lines};
use super::{
    Chosen, FORMAT, Failed, FileOrigin, Files, Hash, HeldAside, Intent, Line, ProcessTime,
    ProcessUse, Record, SessionBegan, Staged, Unproven, path,
};
use truepath_media::open_regular;

/// So many times are kept of every run.
const RECENT: usize = 64;

/// What one run recorded.
#[derive(Debug, Clone, Default)]
pub struct SessionRecord {
    /// How it began.
    pub began: Option<SessionBegan>,
    /// Intents that no published line followed.
    pub intents: Vec<Intent>,
    /// Staging folders whose process has not ended.
    pub staged: Vec<Staged>,
    /// Staging folders that were empty and kept for later processes.
    pub kept: BTreeSet<String>,
    /// Processes that ended with success, of those whose staging folder is not done with.
    pub succeeded: BTreeSet<u32>,
    /// Everything that it held aside.
    pub held: Vec<HeldAside>,
    /// What failed.
    pub failed: Vec<Failed>,
    /// Files that it brought to their true names, rendered or recovered.
    pub brought: u64,
    /// When the last of them came, by the clock of its machine.
    pub recent: VecDeque<Timestamp>,
    /// What it waits for, where it has started nothing since it said so.
    pub waits: Option<String>,
    /// Whether it has ended, or what it left is recovered.
    pub ended: bool,
    /// Lines of its ledger that are not sound, counted from 1: they are ignored.
    pub unsound: Vec<u64>,
    /// Lines of its ledger that were read.
    lines: u64,
    /// Bytes of its ledger that were read.
    read: u64,
}

/// All that the ledgers of a job record, merged.
#[derive(Debug, Clone, Default)]
pub struct Ledger {
    /// What was recorded last of every published file.
    pub published: Files,
    /// What each run recorded, by its number.
    pub sessions: BTreeMap<u32, SessionRecord>,
    /// Pictures that were moved aside because nothing proves them, by where they are.
    pub unproven: BTreeMap<String, Unproven>,
    /// What made the pictures of each fingerprint.
    pub inputs: BTreeMap<String, Vec<(String, String)>>,
    /// What was found about the clips of lines, by what these are known by.
    pub splits: BTreeMap<String, FoundSplit>,
    /// Kinds of warnings that were ever reported.
    pub warned: HashSet<String>,
    /// What processes took.
    pub experience: RenderTimes,
    /// What processes needed.
    pub memory: Memory,
    /// What was chosen last, by machine.
    pub chosen: BTreeMap<String, Chosen>,
    origins: SharedMakers,
    /// The run that reads this: what it writes itself it knows.
    pub(crate) own: Option<u32>,
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

    /// The lines that are not sound, by the names of their ledgers: they are ignored.
    #[must_use]
    pub fn unsound(&self) -> Vec<(String, u64)> {
        let mut all = Vec::new();
        for (number, record) in &self.sessions {
            let name = path(Path::new("ledger"), *number).display().to_string();
            all.extend(record.unsound.iter().map(|line| (name.clone(), *line)));
        }
        all
    }

    /// What is wrong with the ledgers, as sentences: lines that are not sound.
    #[must_use]
    pub fn remarks(&self) -> Vec<String> {
        let unsound = self.unsound().into_iter();
        let remarks = unsound.map(|(ledger, line)| {
            format!("{ledger}:{line} is no sound line of a ledger, and is ignored")
        });
        remarks.collect()
    }

    /// The runs alone, to read on from here without what they published.
    pub(crate) fn clone_sessions(&self) -> Self {
        Self {
            sessions: self.sessions.clone(),
            own: self.own,
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
    pub(crate) fn refresh(&mut self, folder: &Path) -> io::Result<()> {
        let open: Vec<u32> = self
            .sessions
            .iter()
            .filter(|(number, record)| !record.ended && self.own != Some(**number))
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
        let mut file = match open_regular(&path(folder, number)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
            file => file?,
        };
        let mut record = self.sessions.remove(&number).unwrap_or_default();
        // Intents matter only of a run that has not ended, and are half of all lines.
        record.ended |= has_ended(&mut file)?;
        let more = file.metadata()?.len().saturating_sub(record.read);
        file.seek(SeekFrom::Start(record.read))?;
        let intents = !record.ended;
        let read = read_lines(
            &mut file,
            more,
            intents,
            &Home::of_ledgers(folder),
            |line| match line {
                Parsed::Published(published) => self.take_published(published, &mut record),
                Parsed::Other(line) => self.take(*line, &mut record),
            },
        )?;
        record.read += read.bytes;
        let before = record.lines;
        let began = record.began.as_ref();
        if let Some(began) = began.filter(|began| began.format > FORMAT) {
            let name = path(Path::new("ledger"), number);
            return Err(newer_format(&name.display().to_string(), began.format));
        }
        record
            .unsound
            .extend(read.unsound.iter().map(|line| before + line));
        record.lines += read.lines;
        if record.ended {
            record.intents.clear();
            record.staged.clear();
            record.kept.clear();
            record.held.clear();
        }
        self.sessions.insert(number, record);
        Ok(true)
    }

    fn take(&mut self, line: Line, record: &mut SessionRecord) {
        match line {
            Line::Began(began) => record.began = Some(began),
            Line::Staged(staged) => {
                record.waits = None;
                record.staged.push(staged);
            }
            Line::Waits { why } => record.waits = Some(why),
            Line::Left {
                process,
                took,
                used,
                kept,
            } => self.left(process, (took, used), kept, record),
            Line::Chosen(chosen) => {
                self.chosen.insert(chosen.machine.clone(), chosen);
            }
            Line::Succeeded { process } => {
                record.succeeded.insert(process);
            }
            Line::Inputs {
                fingerprint,
                inputs,
            } => {
                self.inputs.insert(fingerprint, inputs);
            }
            Line::Split { key, found } => {
                self.splits.insert(key, found);
            }
            Line::Unproven(one) => {
                self.unproven.insert(one.aside.clone(), one);
            }
            Line::Discarded { aside } => {
                self.unproven.remove(&aside);
            }
            Line::Held(held) => record.held.push(held),
            Line::Intent(intent) => record.intents.push(intent),
            // Read without copying, above.
            Line::Published { .. } | Line::Ended => {}
            Line::Aside { path, .. } => {
                self.published.remove(&path);
            }
            Line::Failed(failed) => record.failed.push(failed),
            Line::Warned(warned) => {
                self.warned.insert(warned.kind);
            }
            Line::Recovered { session } => {
                if let Some(dead) = self.sessions.get_mut(&session) {
                    dead.ended = true;
                    dead.intents.clear();
                    dead.staged.clear();
                    dead.kept.clear();
                    dead.held.clear();
                }
            }
        }
    }

    /// A process has ended.
    fn left(
        &mut self,
        process: u32,
        (took, used): (Option<ProcessTime>, Option<ProcessUse>),
        kept: bool,
        record: &mut SessionRecord,
    ) {
        let Some(at) = record.staged.iter().position(|one| one.process == process) else {
            return;
        };
        let staged = record.staged.swap_remove(at);
        record.succeeded.remove(&process);
        if kept {
            record.kept.insert(staged.folder.clone());
        } else {
            record.kept.remove(&staged.folder);
        }
        if let Some(used) = used {
            self.memory.add(&staged.label, used.memory);
        }
        if let Some(took) = took {
            self.experience.add(&staged.label, took.rendered());
            self.experience
                .add_frames(&staged.label, &took.frames_of(&staged));
        }
    }

    fn take_published(&mut self, published: PublishedFiles, record: &mut SessionRecord) {
        if !record.intents.is_empty() {
            record.intents.retain(|intent| {
                *intent.record.path != *published.path()
                    || Hash::of_record(&intent.record.hash) != published.known.hash
            });
        }
        if matches!(published.how, FileOrigin::Rendered | FileOrigin::Recovered) {
            record.brought += 1;
            if record.recent.len() == RECENT {
                record.recent.pop_front();
            }
            record.recent.extend(published.time);
        }
        self.remember(published);
    }

    /// Whether somebody has recorded that this very file has its true name.
    pub(crate) fn has_recorded(&self, record: &Record) -> bool {
        let known = self.published.get(&record.path);
        known.is_some_and(|known| known.hash == Hash::of_record(&record.hash))
    }

    /// Takes in what this run published itself.
    pub(crate) fn publish(&mut self, record: &Record) {
        self.remember(RecordReader::default().of_record(FileOrigin::Rendered, record));
    }

    fn remember(&mut self, published: PublishedFiles) {
        let PublishedFiles {
            folder,
            name,
            mut known,
            ..
        } = published;
        known.origin = self.origins.held(known.origin);
        self.published.insert(&folder, name, known);
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
