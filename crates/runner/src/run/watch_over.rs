//! What a run does beside rendering: listens for those who want it to stop, and looks at the clock,
//! the disk and the other runs.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};

use super::board::Halt;
use super::work::Work;
use super::{Event, RunError};

/// How often it is looked at what costs nothing.
const TICK: Duration = Duration::from_millis(50);
/// How often disk and other runs are looked at.
const ROUND: Duration = Duration::from_millis(500);
/// So many frames more must fit on the disk for every process.
const SPARE: u64 = 3;

impl Work<'_> {
    /// Watches until all threads are done.
    pub(super) fn watch_over(&self, done: &dyn Fn() -> bool) {
        let mut round = Instant::now();
        let round_length = ROUND.min(super::prepare::dead_after(self.loaded) / 4);
        while !done() {
            self.listen();
            if round.elapsed() > round_length {
                if let Err(error) = self.look_around() {
                    self.board.fail(error);
                }
                round = Instant::now();
            }
            self.tell(&Event::Tick);
            std::thread::park_timeout(TICK);
        }
    }

    /// Whether somebody wants it to stop, or its time is over.
    fn listen(&self) {
        let asked = self.options.interrupt.load(Ordering::Relaxed);
        if asked > 0 {
            let first = self.board.halt(Halt {
                why: "somebody asked it to stop".to_owned(),
                finish: asked == 1,
                interrupted: true,
            });
            if first && asked == 1 {
                self.tell(&Event::Remark(
                    "stopping: frames that are nearly done are finished; once more stops at once",
                ));
            }
        }
        if self
            .options
            .until
            .is_some_and(|until| Instant::now() >= until)
        {
            self.halt("its time is over");
        }
    }

    fn halt(&self, why: &str) {
        let first = self.board.halt(Halt {
            why: why.to_owned(),
            finish: true,
            interrupted: false,
        });
        if first {
            self.tell(&Event::Remark(&format!("stopping: {why}")));
        }
    }

    fn look_around(&self) -> Result<(), RunError> {
        if !self.session.presence.stands() {
            return Err(RunError::Fenced);
        }
        self.refresh()?;
        self.pick_up_the_dead()?;
        let largest = self.report().largest;
        let wanted = largest * SPARE * self.options.jobs as u64;
        let roots: BTreeSet<&str> = self
            .expansion
            .deliverables
            .iter()
            .map(|one| &*one.root)
            .collect();
        for root in roots {
            let Ok(disk) = rustix::fs::statvfs(Path::new(root)) else {
                continue;
            };
            let free = disk.f_bavail * disk.f_frsize;
            if largest > 0 && free < wanted {
                self.halt(&format!(
                    "only {:.1} MB are free below {root}, less than the next frames may need",
                    free as f64 / 1e6
                ));
            }
        }
        Ok(())
    }
}
