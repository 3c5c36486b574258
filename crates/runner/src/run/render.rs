//! Renders invocation after invocation, and tries again only what is still missing.

use std::collections::VecDeque;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::atomic::Ordering;
use std::time::{Duration, Instant};

use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{Call, Profile, arguments};
use truepath_core::frames::FrameSet;
use truepath_core::plan::{Invocation, plan};
use truepath_core::quote::posix_line;

use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, RunError};
use crate::engine_log::{Meaning, Reader};
use crate::harvest::{Field, HarvestError, Harvested, When};
use crate::inventory::stays_inside;
use crate::ledger::{Line, Member, Staged};
use crate::process::{Happening, Process};
use crate::program::find_program;
use crate::staging;

/// How often an engine is looked at that says nothing.
const TICK: Duration = Duration::from_millis(100);

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

    /// Starts one process and sees it through.
    fn process(&mut self, invocation: &Invocation) -> Result<Outcome, RunError> {
        self.processes += 1;
        let expansion = self.expansion;
        let members: Vec<(usize, &Deliverable)> = invocation
            .deliverables
            .iter()
            .map(|&index| (index, &expansion.deliverables[index]))
            .collect();
        let deliverables: Vec<&Deliverable> = members.iter().map(|(_, one)| *one).collect();
        let profile = std::sync::Arc::clone(&deliverables[0].common.engine);
        let folder = self.folders(&deliverables, &invocation.frames)?;
        let name = invocation.name(&expansion.deliverables);
        let log_path = self
            .session
            .logs
            .join(format!("{:04}-{name}.log", self.processes));
        let mut log = File::create_new(&log_path).map_err(RunError::disk(&log_path))?;
        let call = |staging| Call {
            deliverables: &deliverables,
            frames: &invocation.frames,
            staging,
        };
        let profile_error = |error: truepath_core::engine::ArgumentError| {
            RunError::Harvest(format!("{}: {error}", profile.name))
        };
        let links = call("").links(&profile).map_err(profile_error)?;
        let staging = staging::create(
            self.options.disk,
            &folder,
            self.session.number,
            self.processes,
            &links,
        )
        .map_err(RunError::disk(&folder))?;
        let staging_name = staging.display().to_string();
        let members_told = members.iter().map(|(index, one)| Member {
            path: one.pattern.sketch(),
            fingerprint: self.credits[*index].fingerprint.clone().unwrap_or_default(),
        });
        let line = Line::Staged(Staged {
            folder: staging_name.clone(),
            frames: invocation.frames.to_string(),
            members: members_told.collect(),
        });
        self.session
            .ledger
            .write(&line)
            .map_err(RunError::disk(&staging))?;
        let arguments = arguments(&profile, &call(&staging_name), false).map_err(profile_error)?;
        let mut label = deliverables[0].label();
        if deliverables.len() > 1 {
            label = format!("{label} and {} more", deliverables.len() - 1);
        }
        self.watch.see(&Event::Started {
            label: &label,
            frames: &invocation.frames,
            log: &log_path,
        });
        let crops = members
            .iter()
            .map(|(index, one)| (*index, *one, self.credits[*index].clone()))
            .collect();
        let mut field = Field::new(staging, crops, invocation.frames.clone(), &profile);
        let mut outcome = Outcome {
            end: End::Interrupted,
            began: None,
            last_error: None,
            published: 0,
            missing: Vec::new(),
            log: log_path.clone(),
            unknown_files: None,
        };
        let program = if profile.program == Profile::THIS_PROGRAM {
            Some(self.options.this_program.to_owned())
        } else {
            find_program(&profile.program, &self.loaded.folder)
        };
        match program {
            None => {
                outcome.end =
                    End::NotStarted(format!("the program `{}` is not here", profile.program))
            }
            Some(program) => {
                let line = posix_line(
                    &program.display().to_string(),
                    arguments.iter().map(String::as_str),
                );
                writeln!(log, "$ {line}").map_err(RunError::disk(&log_path))?;
                let started = Process::start(
                    self.options.this_program,
                    &program,
                    &arguments,
                    &deliverables[0].common.env,
                    &field.staging,
                );
                match started {
                    Ok(process) => self.attend(process, &mut field, &mut log, &mut outcome)?,
                    Err(error) => {
                        outcome.end =
                            End::NotStarted(format!("the supervisor cannot be started: {error}"))
                    }
                }
            }
        }
        match self.harvest(&mut field, When::Ended) {
            Ok(published) => outcome.published += published,
            Err(Troubled::Unknown(reason)) => outcome.unknown_files = Some(reason),
            Err(Troubled::Run(error)) => return Err(*error),
        }
        outcome.missing = field
            .crops
            .iter()
            .map(|crop| (crop.index, field.missing(crop), crop.flaws.clone()))
            .collect();
        for to in staging::clear(self.options.disk, &field.staging, &name)
            .map_err(RunError::disk(&folder))?
        {
            self.watch.see(&Event::Aside {
                what: "a file that was not asked for or is not whole",
                to: &to,
            });
        }
        Ok(outcome)
    }

    /// Makes the folders of the true names, and sees that no link leads out of their places.
    fn folders(
        &self,
        deliverables: &[&Deliverable],
        frames: &FrameSet,
    ) -> Result<PathBuf, RunError> {
        let mut first = None;
        for deliverable in deliverables {
            let root = Path::new(&*deliverable.root);
            for folder in deliverable.folders(frames) {
                let folder = PathBuf::from(folder);
                self.make_inside(&folder, root)?;
                first.get_or_insert(folder);
            }
        }
        Ok(first.unwrap_or_default())
    }

    /// Makes a folder, unless a link leads it out of its place.
    fn make_inside(&self, folder: &Path, root: &Path) -> Result<(), RunError> {
        let disk = self.options.disk;
        disk.create_folders(root).map_err(RunError::disk(root))?;
        let there = folder
            .ancestors()
            .find(|above| above.is_dir())
            .unwrap_or(root);
        if !stays_inside(there, root).map_err(RunError::disk(there))? {
            return Err(RunError::Outside {
                folder: folder.display().to_string(),
                root: root.display().to_string(),
            });
        }
        disk.create_folders(folder).map_err(RunError::disk(folder))
    }

    /// Reads what an engine says, publishes what it finishes, and ends it when it takes too long.
    fn attend(
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
                    outcome.end = End::Exit(code);
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

    fn harvest(&mut self, field: &mut Field<'_>, when: When<'_>) -> Result<u64, Troubled> {
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
enum Troubled {
    /// The files cannot be told apart.
    Unknown(String),
    /// The run cannot go on.
    Run(Box<RunError>),
}
