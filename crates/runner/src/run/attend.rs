//! Attends to an engine at work: reads its log, and takes what it finishes.

use std::fs::File;
use std::io::Write;
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};

use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, RunError};
use crate::engine_log::{Meaning, Reader};
use crate::harvest::{Field, HarvestError, Harvested, When};
use crate::process::{Happening, Process};

/// How often an engine is looked at that says nothing.
const TICK: Duration = Duration::from_millis(100);

impl Work<'_> {
    /// Reads what an engine says, publishes what it finishes, and ends it when it takes too long.
    pub(super) fn attend(
        &mut self,
        mut process: Process,
        field: &mut Field<'_>,
        log: &mut File,
        outcome: &mut Outcome,
    ) -> Result<(), RunError> {
        let common = &field.crops[0].deliverable.common;
        let (profile, limit) = (std::sync::Arc::clone(&common.engine), common.frame_limit);
        let reader = Reader::new(&profile).map_err(|error| RunError::Pattern {
            engine: profile.name.clone(),
            error,
        })?;
        let staging = field.staging.clone();
        let mut since = Instant::now();
        loop {
            if self.options.interrupt.load(Ordering::Relaxed) {
                process.kill();
                outcome.end = End::Interrupted;
                return Ok(());
            }
            if let Some(limit) = limit.filter(|limit| since.elapsed() > *limit) {
                process.kill();
                outcome.end = End::TooLong(limit);
                return Ok(());
            }
            let published = match process.next(TICK).map_err(RunError::disk(&staging))? {
                Happening::Ended(code) => {
                    let fine = profile.fine_exits.contains(&i64::from(code));
                    outcome.end = End::Exit(if fine { 0 } else { code });
                    return Ok(());
                }
                Happening::Quiet if field.is_predictable() && !reader.tells_files() => {
                    self.harvest(field, When::Passed)
                }
                Happening::Quiet => Ok(0),
                Happening::Line(line) => {
                    writeln!(log, "{line}").map_err(RunError::disk(&outcome.log))?;
                    match reader.read(&line) {
                        Some(Meaning::File(name)) if field.is_predictable() => {
                            self.harvest(field, When::Told(&name))
                        }
                        Some(Meaning::Frame(frame)) => {
                            outcome.began = Some(frame);
                            since = Instant::now();
                            Ok(0)
                        }
                        Some(Meaning::Warning(_)) => {
                            self.report.warnings += 1;
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
            match published {
                Ok(0) => {}
                Ok(published) => {
                    outcome.published += published;
                    since = Instant::now();
                }
                Err(Troubled::Unknown(_)) => {}
                Err(Troubled::Run(error)) => return Err(*error),
            }
        }
    }

    pub(super) fn harvest(
        &mut self,
        field: &mut Field<'_>,
        when: When<'_>,
    ) -> Result<u64, Troubled> {
        let ledger = &mut self.session.ledger;
        let harvested: Vec<Harvested> = match field.harvest(self.options.disk, ledger, when) {
            Ok(harvested) => harvested,
            Err(HarvestError::Learn(error)) => {
                return Err(Troubled::Unknown(format!(
                    "{error}; describe how it names its files in a profile"
                )));
            }
            Err(error) => return Err(Troubled::Run(Box::new(error.into()))),
        };
        for (deliverable, frame, record) in &harvested {
            self.report.rendered += 1;
            let known = &mut self.known.published;
            known.insert(record.path.clone(), record.clone());
            self.watch.see(&Event::Published {
                deliverable: *deliverable,
                frame: *frame,
                path: &record.path,
            });
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
