//! What the ledgers record of every process: read when somebody asks what rendering took.

use std::fs::File;
use std::io::{self, BufRead, BufReader};
use std::path::Path;

use super::home::Home;
use super::written::sound;
use super::{Line, ProcessTime, ProcessUse, Staged, path};

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
    let home = Home::of_ledgers(folder);
    let mut all = Vec::new();
    for session in 1.. {
        let ledger = match File::open(path(folder, session)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => break,
            ledger => ledger?,
        };
        of_session(session, BufReader::new(ledger), &home, &mut all)?;
    }
    Ok(all)
}

fn of_session(
    session: u32,
    mut lines: impl BufRead,
    home: &Home,
    all: &mut Vec<ProcessEntry>,
) -> io::Result<()> {
    let mut machine = String::new();
    let mut at_work: Vec<Staged> = Vec::new();
    let mut bytes = Vec::new();
    while lines.read_until(b'\n', &mut bytes)? > 0 {
        let text = String::from_utf8_lossy(&bytes).into_owned();
        bytes.clear();
        let Some(line) = sound(text.trim_end_matches('\n')) else {
            continue;
        };
        // Nearly all lines are about single files.
        if line.starts_with("{\"published\"") || line.starts_with("{\"intent\"") {
            continue;
        }
        match serde_json::from_str::<Line>(&home.whole_line(line)) {
            Ok(Line::Began(began)) => machine = began.machine,
            Ok(Line::Staged(staged)) => at_work.push(staged),
            Ok(Line::Left {
                process,
                took,
                used,
                ..
            }) => {
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
