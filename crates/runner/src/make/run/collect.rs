//! What is taken out of a staging folder: files that get their true names, and what is missing and why.

use std::path::Path;

use super::board::StopReason;
use super::engine_process::EngineProcess;
use super::outcome::End;
use super::worker::Worker;
use super::{Event, RunError};
use crate::make::publish::PublishedFile;
use crate::make::staging_area::{CollectError, Evidence, Harvest, StagingArea};

impl EngineProcess<'_> {
    /// Publishes what the process has finished by its end, and sees what is missing and why.
    pub(super) fn collect_at_the_end(
        &mut self,
        area: &mut StagingArea<'_>,
    ) -> Result<(), RunError> {
        let taken_back = self.take_back(area)?;
        let success = self.outcome.end == End::Success;
        let is_stopped = self.outcome.end == End::Stopped;
        let saved = std::mem::take(&mut self.outcome.saved);
        if is_stopped {
            self.restore_saved(area, &saved)?;
        }
        // A state that was saved at the limit is what the job asks for.
        let evidence = self.evidence_at_the_end(if is_stopped { &saved } else { &[] });
        let journal = self.worker.journal;
        let harvest = area.collect(&|files| journal.publish(files), evidence, false);
        let harvest = self.unless_unknown(harvest)?;
        self.outcome.published += self.collected(harvest)?;
        self.set_taken_back_aside(area, &taken_back)?;
        if !success {
            self.see_what_is_unproven(area)?;
        }
        self.see_what_is_missing(area);
        Ok(())
    }

    /// What proves that files are finished when the process has ended; `named` are files that are final whatever the end.
    pub(super) fn evidence_at_the_end<'e>(&self, named: &'e [String]) -> Evidence<'e> {
        Evidence {
            named,
            in_order: self.profile.in_order && self.is_believed(),
            success: self.outcome.end == End::Success,
            log_goes_on: false,
        }
    }

    /// What was taken out of the staging folder; nothing where the names of its files do not show which frames they are.
    pub(super) fn unless_unknown<T: Default>(
        &mut self,
        taken: Result<T, CollectError>,
    ) -> Result<T, RunError> {
        match taken {
            // Half a set of files may show nothing, and is no reason to give up.
            Err(CollectError::Learn(_)) if self.outcome.end != End::Success => Ok(T::default()),
            Err(CollectError::Learn(error)) => {
                self.outcome.unknown_files = Some(format!(
                    "{error}; describe how it names its files in a profile"
                ));
                Ok(T::default())
            }
            taken => Ok(taken?),
        }
    }

    /// Notes what is wanted and has not got its true name, and what was found bad of it.
    pub(super) fn see_what_is_missing(&mut self, area: &StagingArea<'_>) {
        let outputs = area.outputs.iter();
        self.outcome.missing = outputs
            .map(|output| (output.index, area.wanted(output), output.flaws.clone()))
            .collect();
    }

    /// What a process that did not end with success was working on, and what it left of it.
    fn see_what_is_unproven(&mut self, area: &mut StagingArea<'_>) -> Result<(), RunError> {
        let Worker {
            context, journal, ..
        } = self.worker;
        let in_order = self.profile.in_order;
        let began = area.last_begun();
        let unproven = area.unproven()?;
        let is_by_itself = matches!(self.outcome.end, End::Code(_));
        if context.policy.accept_unproven && is_by_itself {
            let harvest = area.accept(&|files| journal.publish(files), unproven)?;
            let accepted = self.collected(harvest)?;
            self.outcome.published += accepted;
            journal.report().accepted += accepted;
        } else {
            let pictures = unproven.iter().map(|one| {
                let index = area.outputs[one.output].index;
                ((index, one.frame), one.content.hash().to_owned())
            });
            self.outcome.unproven = pictures.collect();
        }
        let last = self.outcome.unproven.keys().map(|(_, frame)| *frame).max();
        self.outcome.last_unproven = last.filter(|last| in_order && Some(*last) == began);
        let first_missing = || {
            let missing = area
                .outputs
                .iter()
                .filter_map(|one| area.missing(one).first());
            missing.min().filter(|_| in_order)
        };
        self.outcome.failed_at = match self.outcome.end {
            End::Halted | End::NotStarted(_) | End::Stopped => None,
            _ => began.or_else(first_missing),
        };
        Ok(())
    }

    /// Reports files that got their true names; gives how many.
    pub(super) fn collected(&mut self, harvest: Harvest) -> Result<u64, RunError> {
        let journal = self.worker.journal;
        for one in &harvest.besides {
            if !self.attempt.held {
                self.worker.compare_with_published(one);
            }
            self.throw_away(&one.staged)?;
        }
        for one in &harvest.collected {
            let name = one.staged.file_name().unwrap_or_default().to_string_lossy();
            let PublishedFile { record, aside } = &one.brought;
            let written = self.log.run(&format!("{name} is {}", record.path));
            written.map_err(RunError::disk(self.log.path()))?;
            {
                let mut report = journal.report();
                report.rendered += 1;
                report.largest = report.largest.max(record.size);
                let all = &self.worker.context.expansion.deliverables;
                if let Some(reason) = &record.unverifiable
                    && !all[one.deliverable].common.allows_unverifiable
                {
                    report.brought_unverifiable(one.deliverable, reason, one.frame);
                }
            }
            let written = self.outcome.written.entry(one.frame).or_default();
            *written = record.modified.max(*written);
            journal.known().publish(record);
            journal.event(&Event::Published {
                deliverable: one.deliverable,
                frame: one.frame,
                path: &record.path,
                elsewhere: false,
            });
            if let Some(why) = journal.picture(one.deliverable, one.frame, record) {
                self.worker.board.halt(StopReason {
                    why: format!("{why}; the job says to stop then"),
                    finish: true,
                    interrupted: false,
                });
            }
            if let Some(to) = aside {
                journal.event(&Event::Aside {
                    what: "the file that it replaces",
                    to,
                });
            }
        }
        Ok(harvest.collected.len() as u64)
    }

    /// Removes a picture that this run has rendered and nobody wants.
    pub(super) fn throw_away(&self, staged: &Path) -> Result<(), RunError> {
        let removed = self.worker.context.disk.remove_file(staged);
        removed.map_err(RunError::disk(staged))?;
        self.worker.journal.report().thrown_away += 1;
        Ok(())
    }
}
