//! The runs of a job as another run, or anybody, sees them.

use std::collections::{BTreeSet, HashMap};
use std::fs::{self};
use std::io::{self};
use std::sync::Mutex;
use std::time::{Duration, Instant};

use super::{PresenceRecord, host};
use crate::disk::Disk;
use crate::lock::lock;
use crate::record::state_folder::StateFolder;
use crate::system::is_held_by_another;
use truepath_media::{MOST_TEXT, open_regular, read_regular, read_up_to_most, text_of};

/// Whether a run is at work.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// It has ended, and left nothing behind.
    Ended,
    /// It is at work.
    Live(PresenceRecord),
    /// It died, and what it left is not yet recovered.
    Dead,
}

/// The runs of a job, as another run or anybody sees them.
pub struct Sessions {
    pub(super) state: StateFolder,
    host: String,
    pub(super) dead_after: Duration,
    seen: Mutex<HashMap<u32, Heartbeat>>,
}

/// A counter as it was seen.
struct Heartbeat {
    beat: Vec<u8>,
    /// When it was first seen so.
    since: Instant,
    /// Whether it was seen to go on, since others began to look for that.
    moved: bool,
}

impl Sessions {
    /// The runs of the job with this state folder.
    #[must_use]
    pub fn of(state: &StateFolder, dead_after: Duration) -> Self {
        Self {
            state: state.clone(),
            host: host(),
            dead_after,
            seen: Mutex::default(),
        }
    }

    /// How a run is.
    ///
    /// # Errors
    /// When the state folder cannot be read.
    pub fn state(&self, number: u32) -> io::Result<State> {
        let mut file = match open_regular(&self.state.session(number)) {
            Ok(file) => file,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Ok(if self.state.dead_session(number).exists() {
                    State::Dead
                } else {
                    State::Ended
                });
            }
            Err(error) => return Err(error),
        };
        let text = text_of(read_up_to_most(&mut file, MOST_TEXT)?)?;
        let Ok(card) = serde_json::from_str::<PresenceRecord>(&text) else {
            return Ok(State::Dead);
        };
        let lives = if card.host == self.host {
            is_held_by_another(&file)?
        } else {
            let beat = match read_regular(&self.state.heartbeat(number), MOST_TEXT) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => Vec::new(),
                read => read?,
            };
            let mut seen = lock(&self.seen);
            let first = || Heartbeat {
                beat: beat.clone(),
                since: Instant::now(),
                moved: false,
            };
            let last = seen.entry(number).or_insert_with(first);
            if last.beat != beat {
                *last = Heartbeat {
                    beat,
                    since: Instant::now(),
                    moved: true,
                };
            }
            last.since.elapsed() < self.dead_after
        };
        Ok(if lives {
            State::Live(card)
        } else {
            State::Dead
        })
    }

    /// Begins to look for signs of life: those of before do not count.
    pub(crate) fn look_anew(&self) {
        let mut seen = lock(&self.seen);
        seen.values_mut().for_each(|seen| seen.moved = false);
    }

    /// Whether nobody can say yet if a run on another machine lives: its counter was not seen to go
    /// on, and has not stood still for long enough.
    pub(crate) fn is_undecided(&self, number: u32) -> io::Result<bool> {
        let State::Live(card) = self.state(number)? else {
            return Ok(false);
        };
        let seen = lock(&self.seen);
        Ok(card.host != self.host && seen.get(&number).is_some_and(|seen| !seen.moved))
    }

    /// Whether a run is, or was, on another machine than this.
    pub(crate) fn is_elsewhere(&self, number: u32) -> io::Result<bool> {
        for path in [self.state.session(number), self.state.dead_session(number)] {
            match read_regular(&path, MOST_TEXT) {
                Ok(bytes) => {
                    let card = serde_json::from_slice::<PresenceRecord>(&bytes);
                    return Ok(card.map_or(true, |card| card.host != self.host));
                }
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => return Err(error),
            }
        }
        Ok(false)
    }

    /// Keeps a dead run from publishing anything, should it come back to life.
    pub(crate) fn fence(&self, disk: &dyn Disk, number: u32) -> io::Result<()> {
        let (path, dead) = (self.state.session(number), self.state.dead_session(number));
        match disk.rename_over(&path, &dead) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        }
    }

    /// Says that all that a dead run left is recovered.
    pub(crate) fn mark_recovered(&self, disk: &dyn Disk, number: u32) -> io::Result<()> {
        disk.remove_file(&self.state.heartbeat(number))?;
        disk.remove_file(&self.state.dead_session(number))
    }

    /// The numbers of the runs of which there is anything here.
    pub(crate) fn numbers(&self) -> io::Result<BTreeSet<u32>> {
        let mut numbers = BTreeSet::new();
        for entry in fs::read_dir(self.state.sessions())? {
            let name = entry?.file_name();
            numbers.extend(StateFolder::session_of(&name.to_string_lossy()));
        }
        Ok(numbers)
    }

    /// Removes all that there is here of runs that are over.
    pub(crate) fn clear(&self, disk: &dyn Disk, is_over: &dyn Fn(u32) -> bool) -> io::Result<()> {
        for entry in fs::read_dir(self.state.sessions())? {
            let entry = entry?;
            let name = entry.file_name();
            let name = name.to_string_lossy();
            if StateFolder::session_of(&name).is_some_and(is_over) {
                disk.remove_file(&entry.path())?;
            }
        }
        Ok(())
    }
}
