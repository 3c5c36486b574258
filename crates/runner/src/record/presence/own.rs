//! A run's own sign of life.

use std::fs::File;
use std::io;
use std::path::PathBuf;
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::{self, JoinHandle};
use std::time::Duration;

use super::{PresenceRecord, Sessions};
use crate::disk::Disk;

/// So often a sign of life is written again, should others remove it, half written, each time.
const MOST_WRITTEN_AGAIN: usize = 100;

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
        card: &PresenceRecord,
    ) -> io::Result<Self> {
        let state = &sessions.state;
        disk.create_folders(&state.sessions())?;
        let (path, beat) = (state.session(number), state.heartbeat(number));
        let text = serde_json::to_vec(card)?;
        let mut left = MOST_WRITTEN_AGAIN;
        let lock = loop {
            match disk.create_locked(&path, &text) {
                // The last run to leave has taken a half-written file for that of a run that died.
                Err(error) if error.kind() == io::ErrorKind::NotFound && left > 0 => left -= 1,
                written => break written?,
            }
        };
        let (stop, stopped) = channel();
        let pause =
            (sessions.dead_after / 8).clamp(Duration::from_millis(20), Duration::from_secs(5));
        let mut write = disk.rewriter(&beat);
        let own = path.clone();
        let heart = thread::spawn(move || {
            let mut count: u64 = 0;
            while stopped.recv_timeout(pause) == Err(RecvTimeoutError::Timeout) {
                // One that others took for dead leaves nothing behind that they have cleared up.
                if !own.exists() {
                    break;
                }
                count += 1;
                // A beat that fails is a beat that others miss: they will see.
                let _ = write(format!("{count:020}\n").as_bytes());
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
    pub(crate) fn end(mut self, disk: &dyn Disk) -> io::Result<()> {
        self.still();
        disk.remove_file(&self.beat)?;
        disk.remove_file(&self.path)
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
