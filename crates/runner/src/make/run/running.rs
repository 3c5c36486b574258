//! A run at work: its parts, and the threads that work with them.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread::{self, Thread};

use super::board::{Board, StopReason};
use super::context::RunContext;
use super::existing_files::Backlog;
use super::journal::Journal;
use super::other_runs::OtherRuns;
use super::pace::Pace;
use super::prospects::Prospects;
use super::worker::Worker;
use super::workshop::Workshop;

/// A run at work.
pub(super) struct Running<'r> {
    pub(super) context: &'r RunContext<'r>,
    pub(super) journal: &'r Journal<'r>,
    /// What was missing when the run began.
    pub(super) backlog: Backlog,
    pub(super) board: Board,
    /// How the work is shared out on this machine.
    pub(super) pace: Pace,
    /// Which deliverables can be rendered at all.
    pub(super) prospects: Prospects,
    pub(super) workshop: Workshop,
}

impl Running<'_> {
    /// Renders all there is to render, on threads that this one watches over.
    pub(super) fn render_and_watch(&self) {
        let threads = threads(self.pace.most_at_once());
        let left = AtomicUsize::new(threads);
        let main = thread::current();
        thread::scope(|scope| {
            for _ in 0..threads {
                scope.spawn(|| {
                    let _leaving = WorkingThread {
                        board: &self.board,
                        left: &left,
                        main: &main,
                    };
                    self.worker().render();
                });
            }
            self.watch(&|| left.load(Ordering::Acquire) == 0);
        });
    }

    /// The other runs of the job.
    pub(super) fn other_runs(&self) -> OtherRuns<'_> {
        OtherRuns {
            context: self.context,
            journal: self.journal,
        }
    }

    /// One thread's view of the run.
    pub(super) fn worker(&self) -> Worker<'_> {
        Worker {
            context: self.context,
            journal: self.journal,
            backlog: &self.backlog,
            board: &self.board,
            pace: &self.pace,
            prospects: &self.prospects,
            workshop: &self.workshop,
        }
    }
}

/// How many threads a run has: more than processes, so that what one has brought is published while
/// the next one renders. A run of one process at a time does one thing after the other.
fn threads(jobs: usize) -> usize {
    match jobs {
        0 | 1 => 1,
        jobs => jobs + (2 * jobs).min(8),
    }
}

/// A thread that is at work; dropped, it is no more. One that panics takes the others along: what it
/// had in its hands nobody else has, and a run that waits for it would wait for ever.
struct WorkingThread<'t> {
    board: &'t Board,
    left: &'t AtomicUsize,
    main: &'t Thread,
}

impl Drop for WorkingThread<'_> {
    fn drop(&mut self) {
        if thread::panicking() {
            self.board.halt(StopReason {
                why: "a thread of the run has panicked".to_owned(),
                finish: true,
                interrupted: false,
            });
        }
        self.left.fetch_sub(1, Ordering::Release);
        self.main.unpark();
    }
}
