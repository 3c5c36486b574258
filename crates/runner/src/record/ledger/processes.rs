//! What the ledgers record of every process: read when somebody asks what rendering took.

use std::io;
use std::path::Path;

use super::sessions::{LedgerSessions, SessionLines};
use super::{Line, ProcessTime, ProcessUse, Staged};

/// A process that has ended.
#[derive(Debug, Clone, PartialEq)]
pub struct ProcessEntry {
    /// The number of its run.
    pub session: u32,
    /// The machine.
    pub machine: String,
    /// What it was to make.
    pub staged: Staged,
    /// What it took for all that it brought; none of one that brought nothing.
    pub took: Option<ProcessTime>,
    /// What it used; none in ledgers of before.
    pub used: Option<ProcessUse>,
}

/// All processes that have ended, the oldest first.
///
/// # Errors
/// When a ledger cannot be read.
pub fn ended_processes(folder: &Path) -> io::Result<Vec<ProcessEntry>> {
    let mut all = Vec::new();
    for lines in LedgerSessions::of(folder) {
        of_session(lines?.without_files(), &mut all)?;
    }
    Ok(all)
}

fn of_session(lines: SessionLines, all: &mut Vec<ProcessEntry>) -> io::Result<()> {
    let session = lines.session;
    let mut machine = String::new();
    let mut at_work: Vec<Staged> = Vec::new();
    for line in lines {
        match line? {
            Line::Began(began) => machine = began.machine,
            Line::Staged(staged) => at_work.push(staged),
            Line::Left {
                process,
                took,
                used,
                ..
            } => {
                let Some(at) = at_work.iter().position(|one| one.process == process) else {
                    continue;
                };
                all.push(ProcessEntry {
                    session,
                    machine: machine.clone(),
                    staged: at_work.swap_remove(at),
                    took,
                    used,
                });
            }
            _ => {}
        }
    }
    Ok(())
}
