//! One run at work on a job: its number, ledger, logs and sign of life, and the runs beside it.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::deliverable::Expansion;
use truepath_core::frames::FrameSet;
use truepath_core::hex::hex;

use crate::Loaded;
use crate::clock::{pause, timestamp};
use crate::crash::point;
use crate::disk::Disk;
use crate::make::job_folders::Mark;
use crate::make::publish::Publisher;
use crate::make::staging;
use crate::record::claims::Claims;
use crate::record::ledger::{self, Ledger, LedgerWriter, Line, SessionBegan};
use crate::record::presence::{self, Presence, PresenceRecord, Sessions, State as Life};
use crate::record::project_home::original_of_copy;
use crate::record::state_folder::StateFolder;

/// A run at work.
pub(crate) struct Session<'a> {
    /// Its number, from 1; it names the ledger, the logs and the staging folders.
    pub(crate) number: u32,
    pub(crate) publisher: Publisher,
    pub(crate) logs: PathBuf,
    pub(crate) presence: Presence,
    pub(crate) claims: Claims<'a>,
    pub(crate) sessions: Sessions,
    /// What it writes into the folders that it makes.
    pub(crate) mark: Mark,
    state: StateFolder,
    /// What distinguishes this state folder from all others, by its machine and path.
    owner: String,
    disk: &'a dyn Disk,
    /// Processes so far, which logs and staging folders are numbered by.
    processes: AtomicU32,
}

/// What a run brings along.
pub(crate) struct NewSession<'n> {
    pub(crate) job: &'n str,
    pub(crate) plan: String,
    /// Processes at once; none where that follows from what is measured.
    pub(crate) jobs: Option<usize>,
    pub(crate) dead_after: Duration,
    pub(crate) loaded: &'n Loaded,
    pub(crate) expansion: &'n Expansion,
}

/// Why no session can begin.
#[derive(Debug, thiserror::Error)]
pub enum SessionError {
    /// Somebody else is at work on other parts of the same frames.
    #[error(
        "another run of {job} is at work on {machine}, and what it renders overlaps with this but is not the same; \
         runs share their work when they are started alike"
    )]
    Busy {
        /// The job file of that run.
        job: String,
        /// Its machine.
        machine: String,
    },
    /// The project is a copy of another one, which has the same state folder.
    #[error(
        "the state folder {state} belongs to the project in {original}, and this one is a copy of it; give this one a state \
         folder of its own: state = \"…\""
    )]
    Copy {
        /// The folder of the original.
        original: String,
        /// The state folder.
        state: String,
    },
    /// The disk refuses.
    #[error("the state folder {path} cannot be used: {error}")]
    Disk {
        /// The folder.
        path: String,
        /// Why.
        error: io::Error,
    },
}

/// Another run that renders some of the same frames by another plan.
struct Rival {
    number: u32,
    record: PresenceRecord,
}

/// How often it is looked whether a run on another machine lives.
const BETWEEN_LOOKS: Duration = Duration::from_millis(50);

impl<'a> Session<'a> {
    /// Begins: takes a number that nobody had, and shows that it is there.
    pub(crate) fn begin(
        disk: &'a dyn Disk,
        state: &StateFolder,
        new: &NewSession<'_>,
    ) -> Result<(Self, Ledger), SessionError> {
        let refused = |error: io::Error| SessionError::Disk {
            path: state.to_string(),
            error,
        };
        let ledgers = state.ledgers();
        state.make(disk).map_err(refused)?;
        let original = original_of_copy(disk, state, &new.loaded.folder).map_err(refused)?;
        if let Some(original) = original {
            return Err(SessionError::Copy {
                original: original.display().to_string(),
                state: state.to_string(),
            });
        }
        let mut known = new.loaded.read_ledger(&ledgers).map_err(refused)?;
        let mut number = known.last() + 1;
        let mut ledger = loop {
            match LedgerWriter::create(disk, &ledger::path(&ledgers, number)) {
                Ok(ledger) => break ledger,
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => number += 1,
                Err(error) => return Err(refused(error)),
            }
        };
        let sessions = Sessions::of(state, new.dead_after);
        let deliverables = new.expansion.deliverables.iter();
        let wants = deliverables
            .map(|one| (one.pattern.sketch(), one.common.frames.selected.to_string()))
            .collect();
        let card = presence::card(new.job, new.plan.clone(), new.jobs, wants);
        let presence = Presence::begin(disk, &sessions, number, &card).map_err(refused)?;
        let logs = state.logs_of(number);
        disk.create_folders(&logs).map_err(refused)?;
        ledger
            .note(&[Line::Began(SessionBegan {
                machine: card.machine.clone(),
                job: card.job.clone(),
                time: timestamp(),
                logs: logs.display().to_string(),
                format: ledger::FORMAT,
            })])
            .map_err(refused)?;
        let session = Self {
            number,
            publisher: Publisher::new(ledger),
            logs,
            presence,
            claims: Claims::new(disk, state.claims(), number).map_err(refused)?,
            sessions,
            mark: Mark::of(state.path()),
            owner: owner(&card.machine, state.path()),
            state: state.clone(),
            disk,
            processes: AtomicU32::new(0),
        };
        let mut rival = session.rival(&known, &card);
        // One on another machine may be dead for long: it is told by a counter that stands still.
        while let Ok(Some(other)) = &rival
            && session
                .sessions
                .is_undecided(other.number)
                .map_err(refused)?
        {
            std::thread::sleep(pause(BETWEEN_LOOKS));
            rival = session.rival(&known, &card);
        }
        let busy = match rival.map(|rival| rival.map(|other| other.record)) {
            Ok(None) => None,
            Ok(Some(other)) => Some(SessionError::Busy {
                job: other.job,
                machine: other.machine,
            }),
            Err(error) => Some(refused(error)),
        };
        if let Some(error) = busy {
            session.end(&known).map_err(refused)?;
            return Err(error);
        }
        known.refresh(&ledgers).map_err(refused)?;
        known.own = Some(number);
        Ok((session, known))
    }

    /// A run that began earlier, is at work, and renders some of the same frames by another plan.
    fn rival(&self, known: &Ledger, card: &PresenceRecord) -> io::Result<Option<Rival>> {
        for (number, _) in known.sessions.iter().filter(|(_, record)| !record.ended) {
            if *number >= self.number {
                continue;
            }
            let Life::Live(other) = self.sessions.state(*number)? else {
                continue;
            };
            if other.format != card.format {
                return Err(io::Error::new(
                    io::ErrorKind::Unsupported,
                    format!(
                        "a run of another version of True Path is at work on {}, and writes format {} where this one writes {}; wait for its end",
                        other.machine, other.format, card.format
                    ),
                ));
            }
            if other.plan == card.plan {
                continue;
            }
            let mine: HashMap<&str, &str> = card
                .wants
                .iter()
                .map(|(path, frames)| (path.as_str(), frames.as_str()))
                .collect();
            let set = |text: &str| text.parse::<FrameSet>().unwrap_or_default();
            let overlaps = other.wants.iter().any(|(path, frames)| {
                mine.get(path.as_str())
                    .is_some_and(|mine| set(mine).count_shared(&set(frames)) > 0)
            });
            if overlaps {
                return Ok(Some(Rival {
                    number: *number,
                    record: other,
                }));
            }
        }
        Ok(None)
    }

    /// The number of the next process, from 1.
    pub(crate) fn next_process(&self) -> u32 {
        1 + self.processes.fetch_add(1, Ordering::Relaxed)
    }

    /// A name for a new staging folder of a process, in a folder.
    pub(crate) fn staging_folder(&self, folder: &Path, process: u32) -> PathBuf {
        staging::name(folder, &self.owner, self.number, process)
    }

    /// The machines of other runs that are at work.
    pub(crate) fn others_at_work(&self, known: &Ledger) -> Vec<String> {
        let open = known
            .sessions
            .iter()
            .filter(|(number, record)| **number != self.number && !record.ended);
        let mut machines: Vec<String> = open
            .filter_map(|(number, _)| match self.sessions.state(*number) {
                Ok(Life::Live(card)) => Some(card.machine),
                _ => None,
            })
            .collect();
        machines.sort();
        machines.dedup();
        machines
    }

    /// Whether a run holds nothing any more.
    pub(crate) fn is_gone(&self, number: u32) -> bool {
        // What cannot be known is taken for alive: that costs time, and no file.
        number != self.number
            && self
                .sessions
                .state(number)
                .is_ok_and(|state| state == Life::Ended)
    }

    /// Removes what else there is of a run that is dead and recovered.
    pub(crate) fn forget(&self, number: u32) -> io::Result<()> {
        // What it was preparing when it died is half, and may be large.
        for entry in fs::read_dir(self.state.prepared()).into_iter().flatten() {
            let entry = entry?;
            if StateFolder::is_making_of(&entry.file_name().to_string_lossy(), number) {
                self.disk.remove_tree(&entry.path())?;
            }
        }
        self.sessions.mark_recovered(self.disk, number)
    }

    /// Removes what there still is of runs that are over: another one may have died right after its ledger said that it has
    /// recovered them, and until then they seem to hold what they had in their hands.
    pub(crate) fn forget_those_over(&self, is_over: &dyn Fn(u32) -> bool) -> io::Result<()> {
        for number in self.sessions.numbers()? {
            if number != self.number && is_over(number) {
                self.forget(number)?;
            }
        }
        let is_other = |number: u32| number != self.number && is_over(number);
        self.sessions.clear(self.disk, &is_other)
    }

    /// Ends: all that was begun is done or reported. The last run to leave clears up the claims.
    pub(crate) fn end(self, known: &Ledger) -> io::Result<()> {
        self.publisher.ledger().write(&[Line::Ended])?;
        point("ended");
        self.presence.end(self.disk)?;
        let mut known = known.clone_sessions();
        known.refresh(&self.state.ledgers())?;
        // A run may have died right after its ledger said that it has ended, or is recovered, or before its
        // sign of life was written whole. One that is about to write it writes it again.
        let is_over = |number: u32| {
            let record = known.sessions.get(&number);
            record.is_some_and(|record| record.ended)
                || self
                    .sessions
                    .state(number)
                    .is_ok_and(|state| state == Life::Ended)
        };
        self.sessions.clear(self.disk, &is_over)?;
        for (number, record) in &known.sessions {
            if *number != self.number
                && !record.ended
                && self.sessions.state(*number)? != Life::Ended
            {
                return Ok(());
            }
        }
        let old = self.state.old_claims(self.number);
        match self.disk.rename_over(&self.state.claims(), &old) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            Err(error) => Err(error),
            Ok(()) => self.disk.remove_tree(&old),
        }
    }
}

/// Digits that differ for each state folder, as each machine sees it.
fn owner(machine: &str, state: &Path) -> String {
    let text = [machine.as_bytes(), state.as_os_str().as_encoded_bytes()].join(&0);
    hex(&Sha256::digest(text)[..4])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn runs_of_several_jobs_have_staging_folders_of_their_own() {
        let folder = Path::new("/renders");
        let name = |machine: &str, state: &str, number| {
            staging::name(folder, &owner(machine, Path::new(state)), number, 1)
        };
        let names = [
            name("north", "/show/.truepath", 1),
            name("north", "/other/.truepath", 1),
            name("south", "/show/.truepath", 1),
            name("north", "/show/.truepath", 2),
        ];
        let different: std::collections::BTreeSet<&PathBuf> = names.iter().collect();
        assert_eq!(different.len(), names.len());
        assert_eq!(names[0], name("north", "/show/.truepath", 1));
    }
}
