//! What a run does beside rendering: listens for those who want it to stop, and looks at the clock,
//! the disk and the other runs.

use std::collections::BTreeSet;
use std::path::Path;
use std::sync::atomic::Ordering;
use std::time::Duration;

use super::board::StopReason;
use super::pace::{Noticed, gigabytes};
use super::running::Running;
use super::{Event, RunError};
use crate::clock::{Moment, pause};
use crate::record::ledger::Line;

/// How often it is looked at what costs nothing.
const TICK: Duration = Duration::from_millis(50);
/// How often disk and other runs are looked at.
const ROUND: Duration = Duration::from_millis(500);

impl Running<'_> {
    /// Watches until all threads are done.
    pub(super) fn watch(&self, done: &dyn Fn() -> bool) {
        let mut round = Moment::now();
        let round_length = ROUND.min(super::prepare::dead_after(self.context.loaded) / 4);
        while !done() {
            self.listen();
            if round.elapsed() > round_length {
                if let Err(error) = self.look_around() {
                    self.board.fail(error);
                }
                round = Moment::now();
            }
            self.look_at_the_machine();
            self.journal.event(&Event::Tick);
            std::thread::park_timeout(pause(TICK));
        }
    }

    /// Whether somebody wants it to stop, or its time is over.
    fn listen(&self) {
        let asked = self.context.options.interrupt.load(Ordering::Relaxed);
        if asked > 0 {
            let first = self.board.halt(StopReason {
                why: "stopped by a signal".to_owned(),
                finish: asked == 1,
                interrupted: true,
            });
            if first && asked == 1 {
                self.journal.remark(
                    "stopping: frames that are nearly done are finished; once more stops at once",
                );
            }
        }
        if self
            .context
            .options
            .until
            .is_some_and(|until| Moment::now() >= until)
        {
            self.worker().halt("its time is over");
        }
        if let Some(why) = (self.context.options.stop_when)() {
            self.worker().halt(&why);
        }
    }

    /// Lets more processes work where cores are idle, and says where memory runs short.
    fn look_at_the_machine(&self) {
        if let Some(noticed) = self.pace.look() {
            match noticed {
                Noticed::Chosen(chosen) => {
                    // What it is good for is the next run: this one goes on without it.
                    if let Err(error) = self.journal.note(Line::Chosen(chosen)) {
                        self.board.fail(error);
                    }
                }
                Noticed::Shortage { need, free } => self.journal.remark(&format!(
                    "the processes at work need up to {} of memory, and {} are free: fewer at once would not be in danger",
                    gigabytes(need),
                    gigabytes(free)
                )),
            }
            self.board.look_again();
        }
    }

    fn look_around(&self) -> Result<(), RunError> {
        if !self.context.session.presence.stands() {
            return Err(RunError::Fenced);
        }
        self.journal.refresh()?;
        self.other_runs().recover_dead_runs()?;
        // Thousands of folders lie below a few; each process looks at its own besides.
        let roots = self
            .context
            .expansion
            .deliverables
            .iter()
            .map(|one| &*one.root);
        for root in roots.collect::<BTreeSet<&str>>() {
            self.worker().look_for_room(Path::new(root));
        }
        Ok(())
    }
}
