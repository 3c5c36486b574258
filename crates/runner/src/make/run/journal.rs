//! All that a run says and writes down: to whoever watches, into its report, and into its ledger.

use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};
use truepath_core::deliverable::DeliverableId;

use truepath_core::finding::{Finding, count};
use truepath_core::frames::Frame;
use truepath_core::rules::stops;

use super::context::RunContext;
use super::outcome::grouped;
use super::pictures::FinishedPictures;
use super::warnings::Warnings;
use super::{Event, Failure, Observer, Report, RunError};
use crate::lock::lock;
use crate::make::publish::{PublishResult, VerifiedFile};
use crate::record::ledger::{Failed, Ledger, Line, Record, Replaces, Staged};

/// Somebody who hears of events from all threads of a run.
pub(super) trait Listener: Sync {
    fn hear(&self, event: &Event<'_>);
}

impl Listener for Mutex<&mut (dyn Observer + Send)> {
    fn hear(&self, event: &Event<'_>) {
        lock(self).see(event);
    }
}

/// All that a run says and writes down.
pub(super) struct Journal<'r> {
    context: &'r RunContext<'r>,
    listener: &'r (dyn Listener + 'r),
    report: Mutex<Report>,
    /// What all ledgers say of the files that are there.
    known: Mutex<Ledger>,
    warnings: Mutex<Warnings>,
    pictures: Mutex<FinishedPictures>,
    /// What the run said last that it waits for.
    waits: Mutex<Option<String>>,
}

impl<'r> Journal<'r> {
    pub(super) fn new(
        context: &'r RunContext<'r>,
        known: Ledger,
        listener: &'r (dyn Listener + 'r),
    ) -> Self {
        let report = Report {
            logs: context.session.logs.clone(),
            ..Report::default()
        };
        Self {
            context,
            listener,
            report: Mutex::new(report),
            known: Mutex::new(known),
            warnings: Mutex::default(),
            pictures: Mutex::default(),
            waits: Mutex::default(),
        }
    }

    /// What was reported, and what the ledgers say, at the end.
    pub(super) fn close(self) -> (Report, Ledger) {
        let report = self.report.into_inner();
        let known = self.known.into_inner();
        (
            report.unwrap_or_else(PoisonError::into_inner),
            known.unwrap_or_else(PoisonError::into_inner),
        )
    }

    /// Lets whoever watches see an event.
    pub(super) fn event(&self, event: &Event<'_>) {
        self.listener.hear(event);
    }

    pub(super) fn remark(&self, text: &str) {
        self.event(&Event::Remark(text));
    }

    /// Says what stays behind; the next run recovers it.
    pub(super) fn leave_behind(&self, text: &str) {
        self.report().leaves_behind = true;
        self.remark(text);
    }

    pub(super) fn report(&self) -> MutexGuard<'_, Report> {
        lock(&self.report)
    }

    pub(super) fn known(&self) -> MutexGuard<'_, Ledger> {
        lock(&self.known)
    }

    pub(super) fn warnings(&self) -> MutexGuard<'_, Warnings> {
        lock(&self.warnings)
    }

    /// Takes what a picture shows that was just published; where it is time, says what is suspicious, and gives why
    /// the run must stop, if the job wants that.
    pub(super) fn picture(
        &self,
        index: DeliverableId,
        frame: Frame,
        record: &Record,
    ) -> Option<String> {
        let RunContext {
            loaded, expansion, ..
        } = self.context;
        let mut pictures = lock(&self.pictures);
        pictures.take(expansion, index, frame, record);
        if !pictures.is_due() {
            return None;
        }
        let findings = pictures.judge(loaded, expansion);
        drop(pictures);
        for finding in &findings {
            self.event(&Event::Suspicious(finding));
        }
        stops(&loaded.job, &findings).map(|finding| finding.sentence.clone())
    }

    /// All that there is to say about what the pictures show that this run brought.
    pub(super) fn judge_pictures(&self) -> Vec<Finding> {
        lock(&self.pictures).judge_all(self.context.loaded, self.context.expansion)
    }

    /// Reads what other runs have written since.
    pub(super) fn refresh(&self) -> Result<(), RunError> {
        let ledgers = self.context.state.ledgers();
        self.known()
            .refresh(&ledgers)
            .map_err(RunError::disk(&ledgers))
    }

    /// Publishes files, while nobody has taken this run for dead.
    pub(super) fn publish(&self, mut files: Vec<VerifiedFile>) -> Vec<PublishResult> {
        for file in &mut files {
            if file.replaces == Some(Replaces::Remove) {
                let known = self.known();
                let before = known.published.get(&file.record.path);
                file.removed_hash = before.map(|one| one.hash.to_string());
            }
        }
        let session = &self.context.session;
        let stands = || session.presence.stands();
        session.publisher.publish(self.context.disk, &stands, files)
    }

    /// Writes a line about a file that stays.
    pub(super) fn write(&self, line: Line, path: &Path) -> Result<(), RunError> {
        let written = self.context.session.publisher.ledger().write(&[line]);
        written.map_err(RunError::disk(path))
    }

    /// Writes a line that others see.
    pub(super) fn note(&self, line: Line) -> Result<(), RunError> {
        self.note_all(&[line])
    }

    /// Writes lines that others see.
    pub(super) fn note_all(&self, lines: &[Line]) -> Result<(), RunError> {
        if lines.is_empty() {
            return Ok(());
        }
        let written = self.context.session.publisher.ledger().note(lines);
        written.map_err(RunError::disk(self.context.state.path()))
    }

    /// Writes down what the run waits for, once for each reason; `status` shows it until a process is started.
    pub(super) fn waits_for(&self, why: &str) -> Result<(), RunError> {
        let is_new = lock(&self.waits).replace(why.to_owned()).as_deref() != Some(why);
        match is_new {
            true => self.note(Line::Waits {
                why: why.to_owned(),
            }),
            false => Ok(()),
        }
    }

    /// Writes down that a process is about to be started.
    pub(super) fn starts(&self, staged: Staged) -> Result<(), RunError> {
        lock(&self.waits).take();
        self.note(Line::Staged(staged))
    }

    /// Frames that could not be made: reported, and written down.
    pub(super) fn failed(&self, failures: Vec<Failure>) -> Result<(), RunError> {
        for failure in &failures {
            self.event(&Event::Failed(failure));
        }
        self.failed_silently(failures)
    }

    /// Frames that could not be made, written down for the summary and for others.
    pub(super) fn failed_silently(&self, failures: Vec<Failure>) -> Result<(), RunError> {
        for (index, reason, log, frames) in grouped(&failures) {
            self.note(Line::Failed(Failed {
                path: self.context.expansion.deliverables[index].pattern.sketch(),
                frames: frames.to_string(),
                reason,
                log: log.map(|log| log.display().to_string()),
            }))?;
        }
        self.report().failures.extend(failures);
        Ok(())
    }

    /// Says which processes were ended that an engine left behind.
    pub(super) fn remark_on_left_behind(&self, names: &[String]) {
        if !names.is_empty() {
            let processes = count(names.len() as u64, "process", "processes");
            self.remark(&format!(
                "ended {processes} that an engine left behind: {}",
                names.join(", ")
            ));
        }
    }
}
