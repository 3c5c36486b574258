//! Why a file is what it is: which frame of what, who made it, when and with what, and what state it is in.

use std::io::{self, BufRead, BufReader};
use std::path::{Path, PathBuf};

use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::file_state::FileState;
use truepath_core::frames::{Frame, FrameSet};

use crate::Loaded;
use crate::look::fingerprint::{Fingerprints, of_all_frames};
use crate::look::inventory::{Depth, FileOnDisk, LookAround, Looker, described};
use crate::look::stale::why_stale;
use crate::make::engine_log::{LineMeaning, LogReader, run_says};
use crate::record::ledger::{FileEntry, Ledger, history};
use truepath_media::open_regular;

/// The state of a file, and why it has that.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileVerdict {
    /// The state, the same in every command.
    pub state: FileState,
    /// Why, as sentences; of a stale file what has changed since.
    pub reasons: Vec<String>,
}

impl FileVerdict {
    pub(crate) fn of(found: &FileOnDisk) -> Self {
        Self {
            state: found.state(),
            reasons: found.reason().into_iter().collect(),
        }
    }
}

/// What is known of a file of a job.
#[derive(Debug)]
pub struct FileFacts {
    /// The index of its deliverable.
    pub deliverable: DeliverableId,
    /// Its frame.
    pub frame: Frame,
    /// The state of the file: `foreign` where the job does not want this frame.
    pub verdict: FileVerdict,
    /// The pictures of other files that it is made of, without rendering.
    pub sources: Vec<String>,
    /// Each time that it got its true name, the oldest first.
    pub history: Vec<FileEntry>,
    /// What made the picture, by name and value, as it was recorded.
    pub inputs: Vec<(String, String)>,
    /// Where its process wrote what it did.
    pub log: Option<LogPlace>,
}

/// The place of a file in the log of its process.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LogPlace {
    /// The log.
    pub path: PathBuf,
    /// The line that says that the file has its true name, from 1; none where there is none.
    pub line: Option<u64>,
    /// The command line of the process.
    pub command: Option<String>,
    /// What the engine warned of while it was at the frame, each once, with the first line that says it, from 1; of an
    /// engine that does not report its frames, what it warned of at all.
    pub warnings: Vec<(u64, String)>,
}

/// What is known of a file; none where no part of the job gives it this name.
///
/// # Errors
/// When the state of the job cannot be read.
pub fn why(loaded: &Loaded, all: &Expansion, path: &str) -> io::Result<Option<FileFacts>> {
    let mut files = DeliverableId::with_each(&all.deliverables).filter_map(|(index, one)| {
        let file = one.file_of_path(path)?;
        Some((index, file))
    });
    let Some((index, file)) = files.next() else {
        return Ok(None);
    };
    let (one, frame) = (file.deliverable(), file.frame);
    let ledgers = loaded.state_folder().ledgers();
    let ledger = Ledger::read(&ledgers)?;
    let mut fingerprints = Fingerprints::new(loaded);
    let looker = Looker::new(one, &LookAround::of(loaded), &mut |source| {
        fingerprints.of(source).ok()
    });
    let found = looker.look(frame, Depth::Unknown, &ledger.published).found;
    let mut verdict = FileVerdict::of(&found);
    if !file.is_wanted() && found != FileOnDisk::Missing {
        verdict = FileVerdict {
            state: FileState::Foreign,
            reasons: vec!["the job does not want this frame".to_owned()],
        };
    }
    if verdict.state == FileState::Stale && !one.is_assembled() {
        let frames = FrameSet::from_frames([frame]);
        let today = fingerprints.recorded_inputs(one);
        let reasons = why_stale(one, &frames, &ledger, &today);
        verdict.reasons = reasons.into_iter().flat_map(|one| one.changes).collect();
    }
    let history = history(&ledgers, path)?;
    let last = history.last();
    let sources = pictures(one, frame);
    if verdict.state == FileState::Stale {
        let lacking = looker.assembly(frame, Depth::Unknown, &ledger.published);
        verdict
            .reasons
            .extend(lacking.err().map(|lacking| described(&lacking)));
        verdict
            .reasons
            .extend(changed_since(&ledgers, last, &sources)?);
    }
    let fingerprint = last.and_then(|entry| entry.record.fingerprint.as_deref());
    let inputs = fingerprint
        .and_then(|one| ledger.inputs.get(of_all_frames(one)))
        .cloned();
    let log = last
        .and_then(|entry| entry.process.as_ref())
        .map(|process| in_log(Path::new(&process.log), path, frame, one));
    Ok(Some(FileFacts {
        deliverable: index,
        frame,
        verdict,
        inputs: inputs.unwrap_or_default(),
        log,
        history,
        sources,
    }))
}

/// The files that a picture is made of without rendering; a movie has too many to name.
fn pictures(one: &Deliverable, frame: Frame) -> Vec<String> {
    if one.movie().is_some() {
        return Vec::new();
    }
    let sources = one.sources(frame).into_iter();
    sources.map(|(source, _)| source.path(frame)).collect()
}

/// What has become of the files that a picture is made of since it was made.
fn changed_since(
    ledgers: &Path,
    made: Option<&FileEntry>,
    sources: &[String],
) -> io::Result<Vec<String>> {
    let time = |entry: &FileEntry| entry.record.time.parse::<jiff::Timestamp>().ok();
    let made = made.and_then(time);
    let mut changes = Vec::new();
    for source in sources {
        if !Path::new(source).exists() {
            changes.push(format!("{source} is not there"));
            continue;
        }
        let published = history(ledgers, source)?.last().and_then(time);
        if published > made {
            changes.push(format!("{source} is newer"));
        }
    }
    Ok(changes)
}

/// Finds a file in the log of its process.
fn in_log(log: &Path, path: &str, frame: Frame, one: &Deliverable) -> LogPlace {
    let mut place = LogPlace {
        path: log.to_owned(),
        line: None,
        command: None,
        warnings: Vec::new(),
    };
    let reader = LogReader::new(&one.common.engine).ok();
    let mut at: Option<Frame> = None;
    let Ok(file) = open_regular(log) else {
        return place;
    };
    let named = format!(" is {path}");
    for (number, line) in (1..).zip(BufReader::new(file).split(b'\n').map_while(Result::ok)) {
        let line = String::from_utf8_lossy(&line);
        let Some(own) = run_says(&line) else {
            let printed = line.split_once(' ').map_or("", |(_, printed)| printed);
            match reader.as_ref().and_then(|reader| reader.read(printed)) {
                Some(LineMeaning::Frame(begun)) => at = Some(begun),
                Some(LineMeaning::Warning(text))
                    if at.is_none_or(|at| at == frame)
                        && !place.warnings.iter().any(|(_, known)| *known == text) =>
                {
                    place.warnings.push((number, text));
                }
                _ => {}
            }
            continue;
        };
        if let (None, Some(command)) = (&place.command, own.strip_prefix("$ ")) {
            place.command = Some(command.to_owned());
        }
        if own.ends_with(&named) {
            place.line = Some(number);
        }
    }
    place
}
