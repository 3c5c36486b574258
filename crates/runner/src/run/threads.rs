//! The threads of a run.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread::{self, Thread};

use super::board::Halt;
use super::work::Work;

impl Work<'_> {
    /// Renders all there is to render, on threads that this one watches over.
    pub(super) fn render_and_watch(&self) {
        let threads = threads(self.options.jobs);
        let left = AtomicUsize::new(threads);
        let main = thread::current();
        thread::scope(|scope| {
            for _ in 0..threads {
                scope.spawn(|| {
                    let _leaving = Leaving {
                        work: self,
                        left: &left,
                        main: &main,
                    };
                    self.render();
                });
            }
            self.watch_over(&|| left.load(Ordering::Acquire) == 0);
        });
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
struct Leaving<'t, 'w> {
    work: &'t Work<'w>,
    left: &'t AtomicUsize,
    main: &'t Thread,
}

impl Drop for Leaving<'_, '_> {
    fn drop(&mut self) {
        if thread::panicking() {
            self.work.board.halt(Halt {
                why: "a thread of the run has panicked".to_owned(),
                finish: true,
                interrupted: false,
            });
        }
        self.left.fetch_sub(1, Ordering::Release);
        self.main.unpark();
    }
}
