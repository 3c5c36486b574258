//! Renders invocation after invocation, and tries again only what is still missing.

use std::collections::VecDeque;
use std::sync::atomic::Ordering;

use truepath_core::frames::FrameSet;
use truepath_core::plan::{Invocation, plan};

use super::RunError;
use super::outcome::End;
use super::work::Work;

impl Work<'_> {
    /// Renders the missing frames of every deliverable.
    pub(super) fn render(&mut self, missing: Vec<FrameSet>) -> Result<(), RunError> {
        // With each invocation goes how often in a row its frames came to nothing.
        let mut queue: VecDeque<(Invocation, u32)> =
            plan(self.expansion, &|index| missing[index].clone())
                .into_iter()
                .map(|invocation| (invocation, 0))
                .collect();
        while let Some((invocation, barren)) = queue.pop_front() {
            if self.options.interrupt.load(Ordering::Relaxed) {
                self.report.interrupted = true;
                return Ok(());
            }
            let one = &self.expansion.deliverables[invocation.deliverables[0]];
            if one.is_put_together() && !self.movie_is_due(invocation.deliverables[0])? {
                continue;
            }
            let outcome = self.process(&invocation)?;
            if matches!(outcome.end, End::Interrupted) {
                self.report.interrupted = true;
                return Ok(());
            }
            let barren = if outcome.published > 0 { 0 } else { barren + 1 };
            let again = self.judge(&invocation, outcome, barren);
            for next in plan(self.expansion, &|index| {
                again.get(&index).cloned().unwrap_or_default()
            })
            .into_iter()
            .rev()
            {
                queue.push_front((next, barren));
            }
        }
        Ok(())
    }
}
