//! A run's own sign of life.

use std::fs::{self, File};
use std::io::{self, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::{self, JoinHandle};
use std::time::Duration;

use rustix::fs::{FlockOperation, flock};

use super::{Card, Sessions};
use crate::disk::{Disk, remove};

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
        remove(&self.beat)?;
        remove(&self.path)
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
