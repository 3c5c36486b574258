//! Reads `[part]`: what a bundle makes of a job.

use super::JobReader;
use crate::finding::Finding;
use crate::frames::FrameSet;
use crate::job::Job;
use crate::toml_tree::Entry;

impl JobReader<'_> {
    /// Labels of deliverables, each with its frames.
    pub(super) fn part(&mut self, entry: &Entry, job: &mut Job) {
        let Some(inner) = self.inner(entry, "[part]") else {
            return;
        };
        let mut part = Vec::new();
        for one in inner {
            let Some(text) = self.single(one) else {
                continue;
            };
            match text.value.parse::<FrameSet>() {
                Ok(frames) => part.push((one.key.clone(), frames)),
                Err(error) => self.findings.push(
                    Finding::error("TP004", error.message)
                        .at(&text.place, "")
                        .advise("it takes frames such as \"1-48\""),
                ),
            }
        }
        // The strongest file was read first.
        job.part.get_or_insert(part);
    }
}
