//! Which runs of a job are at work, on this machine and on others.
//!
//! A run shows that it is there by a file, `sessions/NUMBER`. On its own machine the system tells
//! whether it lives, by a lock on that file; elsewhere a counter beside it goes on while it lives,
//! and others judge by their own clocks how long it has stood still. A run that is dead is fenced
//! off first: its file is renamed, and a run without its file publishes nothing more.

use std::collections::HashMap;
use std::fs::{self, File};
use std::io::{self, Read, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::sync::{Mutex, PoisonError};
use std::thread::{self, JoinHandle};
use std::time::{Duration, Instant};

use rustix::fs::{FlockOperation, flock};
use serde::{Deserialize, Serialize};

use crate::disk::Disk;

/// What a run says of itself.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Card {
    /// The machine, for people.
    pub machine: String,
    /// The machine, for programs: no other has it, and it has another after it was started again.
    pub host: String,
    /// The number of its process there.
    pub process: u32,
    /// The job file's name.
    pub job: String,
    /// Tells its plan from every other.
    pub plan: String,
    /// How many processes it starts at once.
    pub jobs: usize,
}

/// Whether a run is at work.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum State {
    /// It has ended, and left nothing behind.
    Ended,
    /// It is at work.
    Live(Card),
    /// It died, and what it left is not yet picked up.
    Dead,
}

/// The runs of a job, as another run or anybody sees them.
pub struct Sessions {
    folder: PathBuf,
    host: String,
    dead_after: Duration,
    seen: Mutex<HashMap<u32, Seen>>,
}

/// A counter as it was seen.
struct Seen {
    beat: Vec<u8>,
    /// When it was first seen so.
    since: Instant,
    /// Whether it was seen to go on, since others began to look for that.
    moved: bool,
}

/// The name of this machine: what `TRUEPATH_MACHINE` says, else the system's.
pub fn machine() -> String {
    let told = std::env::var("TRUEPATH_MACHINE").ok();
    told.filter(|name| !name.is_empty()).unwrap_or_else(|| {
        rustix::system::uname()
            .nodename()
            .to_string_lossy()
            .into_owned()
    })
}

/// A machine that was started again is another: its locks are gone.
fn host() -> String {
    if std::env::var_os("TRUEPATH_MACHINE").is_some() {
        return machine();
    }
    let boot = fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default();
    format!("{} {}", machine(), boot.trim())
}

impl Sessions {
    /// The runs of the job with this state folder.
    #[must_use]
    pub fn of(state: &Path, dead_after: Duration) -> Self {
        Self {
            folder: state.join("sessions"),
            host: host(),
            dead_after,
            seen: Mutex::default(),
        }
    }

    fn path(&self, number: u32) -> PathBuf {
        self.folder.join(format!("{number:04}"))
    }

    fn fenced(&self, number: u32) -> PathBuf {
        self.folder.join(format!("{number:04}.dead"))
    }

    fn beat(&self, number: u32) -> PathBuf {
        self.folder.join(format!("{number:04}.beat"))
    }

    /// How a run is.
    ///
    /// # Errors
    /// When the state folder cannot be read.
    pub fn state(&self, number: u32) -> io::Result<State> {
        let mut file = match File::open(self.path(number)) {
            Ok(file) => file,
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                return Ok(match self.fenced(number).exists() {
                    true => State::Dead,
                    false => State::Ended,
                });
            }
            Err(error) => return Err(error),
        };
        let mut text = String::new();
        file.read_to_string(&mut text)?;
        let Ok(card) = serde_json::from_str::<Card>(&text) else {
            return Ok(State::Dead);
        };
        let lives = if card.host == self.host {
            match flock(&file, FlockOperation::NonBlockingLockShared) {
                Ok(()) => false,
                Err(rustix::io::Errno::WOULDBLOCK) => true,
                Err(error) => return Err(error.into()),
            }
        } else {
            let beat = match fs::read(self.beat(number)) {
                Err(error) if error.kind() == io::ErrorKind::NotFound => Vec::new(),
                read => read?,
            };
            let mut seen = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
            let first = || Seen {
                beat: beat.clone(),
                since: Instant::now(),
                moved: false,
            };
            let last = seen.entry(number).or_insert_with(first);
            if last.beat != beat {
                *last = Seen {
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
        let mut seen = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
        seen.values_mut().for_each(|seen| seen.moved = false);
    }

    /// Whether nobody can tell yet if a run on another machine lives: its counter was not seen to go
    /// on, and has not stood still for long enough.
    pub(crate) fn is_undecided(&self, number: u32) -> io::Result<bool> {
        let State::Live(card) = self.state(number)? else {
            return Ok(false);
        };
        let seen = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
        Ok(card.host != self.host && seen.get(&number).is_some_and(|seen| !seen.moved))
    }

    /// Whether a run is, or was, on another machine than this.
    pub(crate) fn is_elsewhere(&self, number: u32) -> io::Result<bool> {
        for path in [self.path(number), self.fenced(number)] {
            match fs::read(path) {
                Ok(bytes) => {
                    let card = serde_json::from_slice::<Card>(&bytes);
                    return Ok(card.map_or(true, |card| card.host != self.host));
                }
                Err(error) if error.kind() == io::ErrorKind::NotFound => {}
                Err(error) => return Err(error),
            }
        }
        Ok(false)
    }

    /// Keeps a dead run from publishing anything, should it come back to life.
    pub(crate) fn fence(&self, number: u32) -> io::Result<()> {
        match fs::rename(self.path(number), self.fenced(number)) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        }
    }

    /// Says that all that a dead run left is picked up.
    pub(crate) fn bury(&self, number: u32) -> io::Result<()> {
        for path in [self.beat(number), self.fenced(number)] {
            match fs::remove_file(path) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                _ => {}
            }
        }
        Ok(())
    }
}

impl Sessions {
    /// Removes all that there is here of runs that are over.
    pub(crate) fn clear(&self, is_over: &dyn Fn(u32) -> bool) -> io::Result<()> {
        for entry in fs::read_dir(&self.folder)? {
            let entry = entry?;
            let name = entry.file_name();
            let name = name.to_string_lossy();
            let number = name
                .split('.')
                .next()
                .and_then(|number| number.parse().ok());
            if number.is_some_and(is_over) {
                match fs::remove_file(entry.path()) {
                    Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                    _ => {}
                }
            }
        }
        Ok(())
    }
}

/// This run's own sign of life.
pub(crate) struct Presence {
    path: PathBuf,
    beat: PathBuf,
    /// Held for as long as the process lives: the system lets go of it whatever happens.
    _lock: File,
    heart: Option<(Sender<()>, JoinHandle<()>)>,
}

impl Presence {
    /// Shows that this run is there.
    pub(crate) fn begin(
        disk: &dyn Disk,
        sessions: &Sessions,
        number: u32,
        card: &Card,
    ) -> io::Result<Self> {
        disk.create_folders(&sessions.folder)?;
        let (path, beat) = (sessions.path(number), sessions.beat(number));
        let whole = sessions.folder.join(format!("{number:04}.new"));
        let mut lock = File::create(&whole)?;
        lock.write_all(&serde_json::to_vec(card)?)?;
        flock(&lock, FlockOperation::NonBlockingLockExclusive).map_err(io::Error::from)?;
        fs::rename(&whole, &path)?;
        let (stop, stopped) = channel();
        let pause =
            (sessions.dead_after / 8).clamp(Duration::from_millis(20), Duration::from_secs(5));
        let pulse = beat.clone();
        let heart = thread::spawn(move || {
            let mut count: u64 = 0;
            while stopped.recv_timeout(pause) == Err(RecvTimeoutError::Timeout) {
                count += 1;
                // A beat that fails is a beat that others miss: they will see.
                let _ = write_in_place(&pulse, count);
            }
        });
        Ok(Self {
            path,
            beat,
            _lock: lock,
            heart: Some((stop, heart)),
        })
    }

    /// Whether nobody has taken this run for dead.
    pub(crate) fn stands(&self) -> bool {
        self.path.exists()
    }

    /// Says that this run has ended, and left nothing behind.
    pub(crate) fn end(mut self) -> io::Result<()> {
        self.still();
        for path in [&self.beat, &self.path] {
            match fs::remove_file(path) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                _ => {}
            }
        }
        Ok(())
    }

    fn still(&mut self) {
        if let Some((stop, heart)) = self.heart.take() {
            drop(stop);
            let _ = heart.join();
        }
    }
}

impl Drop for Presence {
    /// Without an end, others must find this run dead.
    fn drop(&mut self) {
        self.still();
    }
}

fn write_in_place(path: &Path, count: u64) -> io::Result<()> {
    let mut file = File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(path)?;
    file.rewind()?;
    file.write_all(format!("{count:020}\n").as_bytes())
}

/// What a run that begins says of itself.
pub(crate) fn card(job: &str, plan: String, jobs: usize) -> Card {
    Card {
        machine: machine(),
        host: host(),
        process: std::process::id(),
        job: job.to_owned(),
        plan,
        jobs,
    }
}
