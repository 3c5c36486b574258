//! Attends to an engine at work: reads its log, publishes what it finishes, and ends it when it takes
//! too long.

use std::time::Duration;

use truepath_core::deliverable::Limits;
use truepath_core::finding::count;
use truepath_core::profile::Profile;

use super::log::Log;
use super::outcome::{End, Outcome};
use super::times::Times;
use super::work::Work;
use super::{Event, RunError};
use crate::clock::{Moment, pause};
use crate::engine_log::{Meaning, Reader};
use crate::process::{Exit, Happening, Process};
use crate::publish::Brought;
use crate::staging_area::{CollectError, Collected, Evidence, StagingArea};

/// How often an engine is looked at that says nothing.
const TICK: Duration = Duration::from_millis(100);
/// How long a group may take to end when it is asked to.
const GRACE: Duration = Duration::from_secs(5);
/// How long an engine may go on that has brought everything.
const AFTER_THE_LAST: Duration = Duration::from_secs(10);

impl Work<'_> {
    /// Sees a process through to its end.
    pub(super) fn attend(
        &self,
        mut process: Process<'_>,
        number: u32,
        area: &mut StagingArea<'_>,
        log: &mut Log,
        outcome: &mut Outcome,
    ) -> Result<(), RunError> {
        let common = &area.outputs[0].deliverable.common;
        let (profile, limits) = (
            std::sync::Arc::clone(&common.engine),
            common.processes.limits.clone(),
        );
        let reader = self.reader(&profile)?;
        let staging = area.folder.clone();
        let mut times = Times::now();
        let is_watched = area.is_predictable() && profile.in_order;
        // Files that it named before they were finished.
        let mut named: Vec<String> = Vec::new();
        // Why it is ended, and when it was asked to.
        let mut ending: Option<(End, Moment)> = None;
        loop {
            if let Some((_, since)) = &ending {
                if since.elapsed() > GRACE {
                    process.kill();
                }
            } else if let Some(end) = self.why_end(&mut times, &limits, &profile, area, outcome) {
                match self.board.halted() {
                    Some(halt) if !halt.finish => process.kill(),
                    _ => process.terminate(),
                }
                ending = Some((end, Moment::now()));
            }
            let happening = process.next(pause(TICK));
            let mut published = match happening.map_err(RunError::disk(&staging))? {
                Happening::Ended(exit) => {
                    self.remark_on_left_behind(process.left_behind());
                    log.engine_ended().map_err(RunError::disk(log.path()))?;
                    outcome.took = times.started.elapsed().saturating_sub(outcome.start);
                    outcome.end = match ending {
                        Some((end, _)) => end,
                        None => end_of(exit, &profile),
                    };
                    return Ok(());
                }
                Happening::Quiet => 0,
                Happening::Line(line) => {
                    times.line = Moment::now();
                    let meaning = reader.read(&line);
                    log.engine(&line, meaning.is_some())
                        .map_err(RunError::disk(log.path()))?;
                    outcome.complaint.line(&line);
                    match meaning {
                        Some(Meaning::File(name)) if area.is_predictable() => {
                            let evidence = Evidence {
                                named: std::slice::from_ref(&name),
                                ..Evidence::default()
                            };
                            let published = self.collect_at_work(area, evidence, log)?;
                            if published == 0 && area.expects(&name) && !named.contains(&name) {
                                named.push(name);
                            }
                            published
                        }
                        Some(meaning) => {
                            self.understood(meaning, number, area, log, outcome, &mut times);
                            0
                        }
                        None => 0,
                    }
                }
            };
            // Also while it prints without a pause.
            if published == 0 && times.looked.elapsed() >= TICK {
                times.looked = Moment::now();
                let evidence = Evidence {
                    named: &named,
                    in_order: is_watched,
                    success: false,
                };
                if is_watched || !named.is_empty() {
                    published = self.collect_at_work(area, evidence, log)?;
                    named.retain(|name| area.expects(name));
                }
            }
            if published > 0 {
                outcome.published += published;
                times.frame = Moment::now();
                times.at_work = true;
                if area.is_whole() {
                    times.whole.get_or_insert(Moment::now());
                }
            }
            if profile.checkpoint.is_some() && times.checkpoint.elapsed() > limits.checkpoint_every
            {
                self.keep_checkpoints(area, false)?;
                times.checkpoint = Moment::now();
            }
        }
    }

    /// Says which processes were ended that an engine left behind.
    pub(super) fn remark_on_left_behind(&self, names: &[String]) {
        if !names.is_empty() {
            let processes = count(names.len() as u64, "process", "processes");
            self.tell(&Event::Remark(&format!(
                "ended {processes} that an engine left behind: {}",
                names.join(", ")
            )));
        }
    }

    /// What follows from a line of the log that names no file.
    fn understood(
        &self,
        meaning: Meaning,
        process: u32,
        area: &mut StagingArea<'_>,
        log: &Log,
        outcome: &mut Outcome,
        times: &mut Times,
    ) {
        match meaning {
            Meaning::Frame(frame) => {
                if area.begun.is_none() {
                    outcome.start = times.started.elapsed();
                }
                area.begun = area.begun.max(Some(frame));
                times.frame = Moment::now();
                times.at_work = true;
                self.tell(&Event::Frame { process, frame });
            }
            Meaning::Progress(percent) => self.tell(&Event::Percent { process, percent }),
            Meaning::Warning(text) => self.warnings().add(&text, log.path(), log.lines()),
            Meaning::Error(text) => outcome.complaint.error(&text),
            Meaning::File(_) | Meaning::Saved => {}
        }
    }

    /// Why a process is to be ended, if it is.
    fn why_end(
        &self,
        times: &mut Times,
        limits: &Limits,
        profile: &Profile,
        area: &StagingArea<'_>,
        outcome: &Outcome,
    ) -> Option<End> {
        let published = outcome.published;
        // It has brought everything and does not go.
        if times
            .whole
            .is_some_and(|since| since.elapsed() > AFTER_THE_LAST)
        {
            return Some(End::Success);
        }
        if let Some(halt) = self.board.halted() {
            let since = times.halted.get_or_insert(Moment::now());
            // What was finished since then was the frame that was nearly done.
            let finished = times.at_work && published > 0 && times.frame > *since;
            // What can be continued need not be waited for.
            if !halt.finish
                || finished
                || profile.checkpoint.is_some()
                || since.elapsed() > times.to_finish(published)
            {
                return Some(End::Halted);
            }
        }
        if area.wrong_kind().is_some() {
            return Some(End::WrongKind);
        }
        times.too_long(limits)
    }

    fn reader(&self, profile: &Profile) -> Result<Reader, RunError> {
        Reader::new(profile).map_err(|error| RunError::Pattern {
            engine: profile.name.clone(),
            error,
        })
    }

    /// Publishes what is finished while the engine works; gives how many files.
    fn collect_at_work(
        &self,
        area: &mut StagingArea<'_>,
        evidence: Evidence<'_>,
        log: &mut Log,
    ) -> Result<u64, RunError> {
        let publish = |files| self.publish(files);
        match area.collect(&publish, evidence, true) {
            Ok(collected) => self.collected(&collected, log),
            // More files may tell.
            Err(CollectError::Learn(_)) => Ok(0),
            Err(error) => Err(error.into()),
        }
    }

    /// Reports files that got their true names; gives how many.
    pub(super) fn collected(
        &self,
        collected: &[Collected],
        log: &mut Log,
    ) -> Result<u64, RunError> {
        for one in collected {
            let name = one.staged.file_name().unwrap_or_default().to_string_lossy();
            let Brought { record, aside } = &one.brought;
            log.run(&format!("{name} is {}", record.path))
                .map_err(RunError::disk(log.path()))?;
            {
                let mut report = self.report();
                report.rendered += 1;
                report.largest = report.largest.max(record.size);
                let one_of = &self.expansion.deliverables[one.deliverable].common;
                if let Some(reason) = &record.unverifiable
                    && !one_of.allows_unverifiable
                {
                    report.brought_unverifiable(one.deliverable, reason, one.frame);
                }
            }
            self.known().publish(record);
            self.tell(&Event::Published {
                deliverable: one.deliverable,
                frame: one.frame,
                path: &record.path,
                elsewhere: false,
            });
            if let Some(to) = aside {
                self.tell(&Event::Aside {
                    what: "the file that it replaces",
                    to,
                });
            }
        }
        Ok(collected.len() as u64)
    }
}

/// How a process ended that nobody asked to.
fn end_of(exit: Exit, profile: &Profile) -> End {
    match exit {
        Exit::Code(0) => End::Success,
        Exit::Code(code) if profile.success_codes.contains(&i64::from(code)) => End::Success,
        Exit::Code(code) => End::Code(code),
        Exit::Signal(signal) => End::Signal(signal),
    }
}
