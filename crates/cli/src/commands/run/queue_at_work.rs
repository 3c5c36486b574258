//! What a queue adds to the run of one of its jobs.

use truepath_runner::make::run::{Event, Observer};

use crate::show::progress::ProgressLines;

/// What a queue adds to the run of one of its jobs.
pub(in crate::commands) trait QueueAtWork: Sync {
    /// Why the job at work is to be left, if it is.
    fn why_leave(&self) -> Option<String>;
    /// What the queue has to say since it was asked last.
    fn remarks(&self) -> Vec<String>;
    /// A line for each of its jobs, above the screen of the one at work: a word of ten columns, and the job; none where
    /// they are as when they were asked for last.
    fn new_lines(&self) -> Option<Vec<(String, String)>>;
}

/// Shows what a queue has to say beside what happens in the run of one of its jobs.
pub(super) struct WithQueue<'w> {
    pub(super) queue: Option<&'w dyn QueueAtWork>,
    pub(super) inner: &'w mut ProgressLines,
}

impl Observer for WithQueue<'_> {
    fn see(&mut self, event: &Event<'_>) {
        if let (Some(queue), Event::Tick) = (self.queue, event) {
            for remark in queue.remarks() {
                self.inner.see(&Event::Remark(&remark));
            }
            if let Some(lines) = queue.new_lines() {
                self.inner.set_heading(lines);
            }
        }
        self.inner.see(event);
    }
}
