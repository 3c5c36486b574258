//! One process of an engine: its staging folder, what is laid into it, and what is taken out of it.

use std::path::Path;
use std::sync::Arc;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::command::{ArgumentError, Invocation, ProcessSpec};
use truepath_core::deliverable::{Deliverable, Limits};
use truepath_core::plan::label;
use truepath_core::profile::Profile;

use super::board::{Attempt, Turn};
use super::folders::make_folders;
use super::journal::Journal;
use super::log::Log;
use super::outcome::{End, Outcome};
use super::prepared::Prepared;
use super::start::Started;
use super::worker::Worker;
use super::workshop::remove_staging_folder;
use super::{Event, RunError};
use crate::clock::timestamp;
use crate::disk::write_new;
use crate::ledger::{Line, Member, Staged};
use crate::outside::Outside;
use crate::staging;
use crate::staging_area::{CollectError, Evidence, StagingArea};

/// One process of an engine.
pub(super) struct EngineProcess<'w> {
    pub(super) worker: Worker<'w>,
    pub(super) attempt: &'w Attempt,
    /// Its number in this run, from 1.
    pub(super) number: u32,
    /// What it makes, with the indices of the deliverables.
    pub(super) members: AtLeastOne<(usize, &'w Deliverable)>,
    pub(super) profile: Arc<Profile>,
    /// What its log and its files are called by.
    name: String,
    pub(super) log: Log,
    pub(super) outcome: Outcome,
}

impl<'w> EngineProcess<'w> {
    /// Starts one process and sees it through to its outcome.
    pub(super) fn run(
        worker: Worker<'w>,
        attempt: &'w Attempt,
        turn: Turn<'_>,
    ) -> Result<Outcome, RunError> {
        let mut process = Self::begin(worker, attempt)?;
        let at_work = AtWork {
            journal: worker.journal,
            number: process.number,
            _turn: turn,
        };
        process.see_through(at_work)?;
        Ok(process.outcome)
    }

    /// How long it may take.
    pub(super) fn limits(&self) -> &'w Limits {
        let first = self
            .attempt
            .planned
            .first(&self.worker.context.expansion.deliverables);
        &first.common.processes.limits
    }

    fn begin(worker: Worker<'w>, attempt: &'w Attempt) -> Result<Self, RunError> {
        let context = worker.context;
        let planned = &attempt.planned;
        let number = context.session.next_process();
        let deliverables = planned.members(&context.expansion.deliverables);
        let name = planned.name(&context.expansion.deliverables);
        let path = context.session.logs.join(format!("{number:04}-{name}.log"));
        let log = Log::create(context.disk, path.clone()).map_err(RunError::disk(&path))?;
        let path = log.path().to_owned();
        let first = planned.first(&context.expansion.deliverables);
        worker.journal.event(&Event::Started {
            process: number,
            label: &label(&deliverables),
            deliverables: &planned.deliverables,
            frames: if first.is_put_together() {
                &first.common.frames.shot
            } else {
                &planned.frames
            },
            log: &path,
        });
        let all = &context.expansion.deliverables;
        Ok(Self {
            worker,
            attempt,
            number,
            profile: Arc::clone(&first.common.engine),
            members: planned.deliverables.map(|index| (*index, &all[*index])),
            name,
            log,
            outcome: Outcome::new(path),
        })
    }

    fn see_through(&mut self, at_work: AtWork<'_>) -> Result<(), RunError> {
        let Worker {
            context, workshop, ..
        } = self.worker;
        let profile = Arc::clone(&self.profile);
        let deliverables = self.members.map(|(_, one)| *one);
        let frames = &self.attempt.planned.frames;
        let folder = make_folders(context, &deliverables, frames)?;
        self.worker.look_for_room(&folder);
        let planned = Invocation::planned(&profile, &deliverables, frames);
        let prepared = match self.prepared(&planned)? {
            Prepared::Ready(prepared) => prepared,
            Prepared::Not(reason) => {
                self.not_started(reason);
                return Ok(());
            }
        };
        let (staging, is_new) = workshop.staging_folder(context, &folder, self.number);
        let staging_name = staging.display().to_string();
        let invocation = Invocation {
            staging: &staging_name,
            prepared: prepared.as_deref(),
            ..planned
        };
        let mut spec = invocation.spec().map_err(of_profile(&profile))?;
        let given: Vec<String> = spec.files.iter().map(|(name, _)| name.clone()).collect();
        self.announce(&staging_name, &given)?;
        if is_new {
            let made = context.session.mark.make(context.disk, &staging);
            made.map_err(RunError::disk(&staging))?;
        }
        self.lay_in(&spec, &staging)?;
        spec.arguments.extend(self.lay_checkpoints_in(&invocation)?);
        let writes = invocation.writes().map_err(of_profile(&profile))?;
        let outside = match &writes {
            Some(writes) => {
                let session = &context.session;
                let begun = Outside::begin(context.disk, &session.publisher, &session.mark, writes);
                Some(begun.map_err(RunError::disk(&staging))?)
            }
            None => None,
        };
        let mut area = self.area(&staging, &profile);
        self.start_and_attend(&spec, &staging, &mut area)?;
        self.check_staging_folder(&staging, &area)?;
        if self.outcome.end == End::Success {
            // Should this run die now, the next one knows that all is finished.
            let process = self.number;
            self.worker.journal.note(Line::Succeeded { process })?;
        }
        // A movie is proven by a program, which is part of the turn; to decode frames is not.
        let at_work = Some(at_work).filter(|_| self.members.first().1.is_put_together());
        if let Some(outside) = outside {
            let ended = outside.end(context.disk, &staging);
            ended.map_err(RunError::disk(&staging))?;
        }
        self.collect_at_the_end(&mut area)?;
        drop(at_work);
        self.clear_up(&staging, &area, &given)
    }

    /// The process could not be started: all its frames are missing.
    fn not_started(&mut self, reason: String) {
        let frames = &self.attempt.planned.frames;
        self.outcome.end = End::NotStarted(reason);
        self.outcome.missing = self
            .members
            .iter()
            .map(|(index, _)| (*index, frames.clone(), Default::default()))
            .collect();
    }

    /// Writes down that there will be a staging folder, so that none is ever unknown.
    fn announce(&self, staging: &str, given: &[String]) -> Result<(), RunError> {
        let Worker {
            context, workshop, ..
        } = self.worker;
        let deliverables = self.members.map(|(_, one)| *one);
        let member = |(index, one): &(usize, &Deliverable)| Member {
            path: one.pattern.sketch(),
            fingerprint: workshop
                .credits(context, *index)
                .fingerprint
                .unwrap_or_default(),
        };
        self.worker.journal.note(Line::Staged(Staged {
            folder: staging.to_owned(),
            process: self.number,
            label: label(&deliverables),
            log: self.log.path().display().to_string(),
            time: timestamp(),
            frames: self.attempt.planned.frames.to_string(),
            members: self.members.iter().map(member).collect(),
            given: given.to_vec(),
        }))
    }

    fn start_and_attend(
        &mut self,
        spec: &ProcessSpec,
        staging: &Path,
        area: &mut StagingArea<'_>,
    ) -> Result<(), RunError> {
        let folder = spec.folder.as_deref().map_or(staging, Path::new);
        let profile = Arc::clone(&self.profile);
        match self.start(&profile.program, &spec.arguments, spec, folder)? {
            Started::Running(process) => self.attend(process, area),
            Started::Not(reason) => {
                self.outcome.end = End::NotStarted(reason);
                Ok(())
            }
        }
    }

    /// An engine that has done away with its staging folder has failed, unless all was published before.
    fn check_staging_folder(
        &mut self,
        staging: &Path,
        area: &StagingArea<'_>,
    ) -> Result<(), RunError> {
        if staging::is_there(staging) {
            return Ok(());
        }
        if !area.is_whole() && !matches!(self.outcome.end, End::Halted | End::NotStarted(_)) {
            self.outcome.end = End::StagingGone;
        }
        let Worker {
            context, journal, ..
        } = self.worker;
        // What stands in its place is set aside; what follows finds an empty folder.
        remove_staging_folder(context, journal, staging, "instead-of", &[])?;
        let made = context.session.mark.make(context.disk, staging);
        made.map_err(RunError::disk(staging))
    }

    /// Publishes what the process has finished by its end, and sees what is missing and why.
    fn collect_at_the_end(&mut self, area: &mut StagingArea<'_>) -> Result<(), RunError> {
        let (success, in_order) = (self.outcome.end == End::Success, self.profile.in_order);
        let evidence = Evidence {
            named: &[],
            in_order,
            success,
        };
        let journal = self.worker.journal;
        let publish = |files| journal.publish(files);
        match area.collect(&publish, evidence, false) {
            Ok(collected) => self.outcome.published += self.collected(&collected)?,
            // Half a set of files tells nothing, and is no reason to give up.
            Err(CollectError::Learn(_)) if !success => {}
            Err(CollectError::Learn(error)) => {
                self.outcome.unknown_files = Some(format!(
                    "{error}; describe how it names its files in a profile"
                ));
            }
            Err(error) => return Err(error.into()),
        }
        if !success {
            self.see_what_is_unproven(area)?;
        }
        self.outcome.missing = area
            .outputs
            .iter()
            .map(|output| (output.index, area.missing(output), output.flaws.clone()))
            .collect();
        Ok(())
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
            let collected = area.accept(&|files| journal.publish(files), unproven)?;
            self.outcome.published += self.collected(&collected)?;
            journal.report().accepted += collected.len() as u64;
        } else {
            let pictures = unproven.iter().map(|one| {
                let index = area.outputs[one.output].index;
                ((index, one.frame), one.hash.clone())
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
            End::Halted | End::NotStarted(_) => None,
            _ => began.or_else(first_missing),
        };
        Ok(())
    }

    /// Keeps what can be continued from, moves aside what nothing proves, and removes the staging folder
    /// or keeps it for the next process.
    fn clear_up(
        &mut self,
        staging: &Path,
        area: &StagingArea<'_>,
        given: &[String],
    ) -> Result<(), RunError> {
        let Worker {
            context,
            journal,
            workshop,
            ..
        } = self.worker;
        self.outcome.continuable = self.keep_checkpoints(area, true)?;
        if self.outcome.end != End::Success || !self.outcome.all_missing().is_empty() {
            self.move_unproven_aside(area)?;
        }
        // One of which something may still come is not used again.
        let all_is_well = self.outcome.end == End::Success && self.outcome.all_missing().is_empty();
        let kept = all_is_well && staging::is_empty(staging).map_err(RunError::disk(staging))?;
        if !kept {
            remove_staging_folder(context, journal, staging, &self.name, given)?;
        }
        let deliverables = self.members.map(|(_, one)| *one);
        journal.note(Line::Left {
            process: self.number,
            took: self.outcome.spent(&deliverables),
            kept,
        })?;
        if kept {
            workshop.keep_staging_folder(staging.to_owned());
        }
        Ok(())
    }

    /// What is expected in a staging folder.
    fn area<'f>(&self, staging: &Path, profile: &'f Profile) -> StagingArea<'f>
    where
        'w: 'f,
    {
        let Worker {
            context,
            stock,
            workshop,
            ..
        } = self.worker;
        let frames = &self.attempt.planned.frames;
        let outputs = self
            .members
            .map(|(index, one)| (*index, *one, workshop.credits(context, *index)));
        let mut area = StagingArea::new(staging.to_owned(), &outputs, frames.clone(), profile);
        for output in &mut area.outputs {
            let replaced = &stock.replaced[output.index];
            if !replaced.is_empty() {
                output.replaces = frames
                    .iter()
                    .filter_map(|frame| Some((frame, *replaced.get(&frame)?)))
                    .collect();
            }
        }
        area
    }

    /// Lays links and files into a staging folder.
    fn lay_in(&self, spec: &ProcessSpec, staging: &Path) -> Result<(), RunError> {
        let disk = self.worker.context.disk;
        for (name, target) in &spec.links {
            let linked = disk.link(target, &staging.join(name));
            linked.map_err(RunError::disk(staging))?;
        }
        for (name, text) in &spec.files {
            let path = staging.join(name);
            let written = write_new(disk, &path, text.as_bytes());
            written.map_err(RunError::disk(&path))?;
        }
        Ok(())
    }
}

/// A process that counts as being at work: dropped, the next one may start.
struct AtWork<'s> {
    journal: &'s Journal<'s>,
    number: u32,
    _turn: Turn<'s>,
}

impl Drop for AtWork<'_> {
    fn drop(&mut self) {
        let process = self.number;
        self.journal.event(&Event::Ended { process });
    }
}

/// A mistake of a profile that shows only when it is used.
pub(super) fn of_profile(profile: &Profile) -> impl FnOnce(ArgumentError) -> RunError + use<> {
    let name = profile.name.clone();
    move |error| RunError::Profile {
        engine: name,
        error,
    }
}
