//! All that the ledgers record of one file: read when somebody asks, since it is not held for all files.

use std::collections::HashMap;
use std::io;
use std::path::Path;

use truepath_core::frames::FrameSet;

use super::sessions::{LedgerSessions, SessionLines};
use super::{FileOrigin, Line, ProcessTime, ProcessUse, Record, SessionBegan, Staged};

/// One time that a file got its true name.
#[derive(Debug, Clone, PartialEq)]
pub struct FileEntry {
    /// The number of the run.
    pub session: u32,
    /// How that run began.
    pub began: Option<SessionBegan>,
    /// The frame.
    pub frame: i64,
    /// How it came.
    pub how: FileOrigin,
    /// What was recorded.
    pub record: Record,
    /// The process that made it, where one did.
    pub process: Option<Staged>,
    /// What that process took for all that it brought.
    pub took: Option<ProcessTime>,
    /// What it used.
    pub used: Option<ProcessUse>,
}

/// All entries about a file in the ledgers of a folder, the oldest first.
///
/// # Errors
/// When a ledger cannot be read.
pub fn history(folder: &Path, file: &str) -> io::Result<Vec<FileEntry>> {
    let mut entries = Vec::new();
    for lines in LedgerSessions::of(folder) {
        of_session(lines?, file, &mut entries)?;
    }
    Ok(entries)
}

/// The last record of each file whose picture was measured, by its path, in the ledgers of a folder.
///
/// # Errors
/// When a ledger cannot be read.
pub(crate) fn measured(folder: &Path) -> io::Result<HashMap<String, Record>> {
    let mut records = HashMap::new();
    for lines in LedgerSessions::of(folder) {
        for line in lines? {
            if let Line::Published { record, .. } = line? {
                records.insert(record.path.clone(), record);
            }
        }
    }
    records.retain(|_, record: &mut Record| record.picture.is_some());
    Ok(records)
}

fn of_session(lines: SessionLines, file: &str, entries: &mut Vec<FileEntry>) -> io::Result<()> {
    let session = lines.session;
    let mut began = None;
    let mut staged: Vec<Staged> = Vec::new();
    let first = entries.len();
    for line in lines {
        match line? {
            Line::Began(one) => began = Some(one),
            Line::Staged(one) => staged.push(one),
            Line::Published { frame, how, record } if record.path == file => {
                let makes = |one: &&Staged| {
                    let frames: FrameSet = one.frames.parse().unwrap_or_default();
                    let fingerprint = record.fingerprint.as_ref();
                    frames.contains(frame)
                        && one
                            .members
                            .iter()
                            .any(|member| Some(&member.fingerprint) == fingerprint)
                };
                let is_made = matches!(how, FileOrigin::Rendered | FileOrigin::Accepted);
                entries.push(FileEntry {
                    session,
                    began: began.clone(),
                    frame,
                    how,
                    process: staged.iter().rev().find(makes).filter(|_| is_made).cloned(),
                    record,
                    took: None,
                    used: None,
                });
            }
            Line::Left {
                process,
                took,
                used,
                ..
            } => {
                for entry in &mut entries[first..] {
                    let is_it = |one: &Staged| one.process == process;
                    if entry.process.as_ref().is_some_and(is_it) {
                        entry.took.clone_from(&took);
                        entry.used.clone_from(&used);
                    }
                }
            }
            _ => {}
        }
    }
    Ok(())
}
