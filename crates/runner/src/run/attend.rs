//! Attends to an engine at work: reads its log, takes what it finishes, and ends it when it takes too
//! long.

use std::time::Duration;

use truepath_core::deliverable::Limits;

use super::log::Log;
use super::outcome::{End, Outcome};
use super::times::Times;
use super::work::Work;
use super::{Event, RunError};
use crate::clock::{Moment, pause};
use crate::engine_log::{Meaning, Reader};
use crate::harvest::{Field, HarvestError, When};
use crate::process::{Happening, Process};
use crate::publish::Brought;

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
        field: &mut Field<'_>,
        log: &mut Log,
        outcome: &mut Outcome,
    ) -> Result<(), RunError> {
        let common = &field.crops[0].deliverable.common;
        let (profile, limits) = (std::sync::Arc::clone(&common.engine), common.limits.clone());
        let members: Vec<_> = field
            .crops
            .iter()
            .map(|crop| (crop.index, crop.deliverable))
            .collect();
        let reader = self.reader(&profile)?;
        let staging = field.staging.clone();
        let mut times = Times::now();
        let is_silent = field.is_predictable() && !reader.tells_files();
        // Files that it told of before they were finished.
        let mut told: Vec<String> = Vec::new();
        // Why it is ended, and when it was asked to.
        let mut ending: Option<(End, Moment)> = None;
        loop {
            if let Some((_, since)) = &ending {
                if since.elapsed() > GRACE {
                    process.kill();
                }
            } else if let Some(end) = self.why_end(&mut times, &limits, &profile, outcome.published)
            {
                match self.board.halted() {
                    Some(halt) if !halt.finish => process.kill(),
                    _ => process.terminate(),
                }
                ending = Some((end, Moment::now()));
            }
            let mut published = match process
                .next(pause(TICK))
                .map_err(RunError::disk(&staging))?
            {
                Happening::Ended(code) => {
                    outcome.took = times.started.elapsed().saturating_sub(outcome.start);
                    let fine = profile.fine_exits.contains(&i64::from(code));
                    outcome.end = match ending {
                        Some((end, _)) => end,
                        None => End::Exit(if fine { 0 } else { code }),
                    };
                    return Ok(());
                }
                Happening::Quiet => Ok(0),
                Happening::Line(line) => {
                    times.line = Moment::now();
                    log.engine(&line).map_err(RunError::disk(log.path()))?;
                    match reader.read(&line) {
                        Some(Meaning::File(name)) if field.is_predictable() => {
                            let published = self.harvest(field, When::Told(&name), log);
                            if matches!(published, Ok(0))
                                && field.expects(&name)
                                && !told.contains(&name)
                            {
                                told.push(name);
                            }
                            published
                        }
                        Some(Meaning::Frame(frame)) => {
                            if outcome.began.replace(frame).is_none() {
                                outcome.start = times.started.elapsed();
                            }
                            times.frame = Moment::now();
                            times.at_work = true;
                            let process = number;
                            self.tell(&Event::Frame { process, frame });
                            Ok(0)
                        }
                        Some(Meaning::Progress(percent)) => {
                            let process = number;
                            self.tell(&Event::Percent { process, percent });
                            Ok(0)
                        }
                        Some(Meaning::Warning(text)) => {
                            self.warnings().add(&text, log.path(), log.lines());
                            Ok(0)
                        }
                        Some(Meaning::Error(text)) => {
                            outcome.last_error = Some(text);
                            Ok(0)
                        }
                        _ => Ok(0),
                    }
                }
            };
            // Also while it prints without a pause.
            if matches!(published, Ok(0)) && times.looked.elapsed() >= TICK {
                times.looked = Moment::now();
                published = match is_silent {
                    true => self.harvest(field, When::Passed, log),
                    false => self.harvest_told(field, &mut told, log),
                };
            }
            match published {
                Ok(0) => {}
                Ok(published) => {
                    outcome.published += published;
                    times.frame = Moment::now();
                    times.at_work = true;
                    if field.is_whole() {
                        times.whole.get_or_insert(Moment::now());
                    }
                }
                Err(Troubled::Unknown(_)) => {}
                Err(Troubled::Run(error)) => return Err(*error),
            }
            if profile.checkpoint.is_some() && times.checkpoint.elapsed() > limits.checkpoint_every
            {
                self.keep_checkpoints(&profile, &members, &staging, false)?;
                times.checkpoint = Moment::now();
            }
        }
    }

    /// Publishes what is finished by now of the files that an engine told of too soon.
    fn harvest_told(
        &self,
        field: &mut Field<'_>,
        told: &mut Vec<String>,
        log: &mut Log,
    ) -> Result<u64, Troubled> {
        let mut published = 0;
        let mut early = Vec::new();
        for name in told.drain(..) {
            match self.harvest(field, When::Told(&name), log)? {
                0 => early.push(name),
                more => published += more,
            }
        }
        *told = early;
        Ok(published)
    }

    /// Why a process is to be ended, if it is.
    fn why_end(
        &self,
        times: &mut Times,
        limits: &Limits,
        profile: &truepath_core::engine::Profile,
        published: u64,
    ) -> Option<End> {
        // It has brought everything and does not go.
        if times
            .whole
            .is_some_and(|since| since.elapsed() > AFTER_THE_LAST)
        {
            return Some(End::Exit(0));
        }
        if let Some(halt) = self.board.halted() {
            let since = times.halted.get_or_insert(Moment::now());
            // What was finished since then was the frame that was nearly done.
            let finished = times.at_work && published > 0 && times.frame > *since;
            // What can be gone on with need not be waited for.
            if !halt.finish
                || finished
                || profile.checkpoint.is_some()
                || since.elapsed() > times.to_finish(published)
            {
                return Some(End::Halted);
            }
        }
        times.too_long(limits)
    }

    fn reader(&self, profile: &truepath_core::engine::Profile) -> Result<Reader, RunError> {
        Reader::new(profile).map_err(|error| RunError::Pattern {
            engine: profile.name.clone(),
            error,
        })
    }

    pub(super) fn harvest(
        &self,
        field: &mut Field<'_>,
        when: When<'_>,
        log: &mut Log,
    ) -> Result<u64, Troubled> {
        let publish = |files| self.publish(files);
        let harvested = match field.harvest(&publish, when) {
            Ok(harvested) => harvested,
            Err(HarvestError::Learn(error)) => {
                return Err(Troubled::Unknown(format!(
                    "{error}; describe how it names its files in a profile"
                )));
            }
            Err(error) => return Err(Troubled::Run(Box::new(error.into()))),
        };
        for one in &harvested {
            let name = one.staged.file_name().unwrap_or_default().to_string_lossy();
            let Brought { record, aside } = &one.brought;
            log.run(&format!("{name} is {}", record.path))
                .map_err(|error| Troubled::Run(Box::new(RunError::disk(log.path())(error))))?;
            {
                let mut report = self.report();
                report.rendered += 1;
                report.largest = report.largest.max(record.size);
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
        Ok(harvested.len() as u64)
    }
}

/// Why a harvest brought nothing.
pub(super) enum Troubled {
    /// The files cannot be told apart.
    Unknown(String),
    /// The run cannot go on.
    Run(Box<RunError>),
}
