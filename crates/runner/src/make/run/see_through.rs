//! One process from its staging folder to its outcome.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use truepath_core::command::{Invocation, ProcessSpec, frame_files};
use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::plan::label;
use truepath_core::profile::Profile;

use super::attempt::Attempt;
use super::board::ProcessSlot;
use super::engine_process::{EngineProcess, of_profile};
use super::folders::make_folders;
use super::journal::Journal;
use super::outcome::{End, Outcome};
use super::prepared::Prepared;
use super::start::Started;
use super::worker::Worker;
use super::workshop::remove_staging_folder;
use super::{Event, RunError};
use crate::clock::timestamp;
use crate::disk::write_new;
use crate::make::outside::Outside;
use crate::make::staging;
use crate::make::staging_area::StagingArea;
use crate::record::ledger::{Line, Staged, StagedMember};

/// What a process has left in its staging folder when it has ended.
pub(super) struct Rendered<'a> {
    pub(super) staging: PathBuf,
    pub(super) area: StagingArea<'a>,
    /// Files that were given to the engine, by name.
    pub(super) given: Vec<String>,
}

impl<'w> EngineProcess<'w> {
    /// Starts one process and sees it through to its outcome.
    pub(super) fn run(
        worker: Worker<'w>,
        attempt: &'w Attempt,
        slot: ProcessSlot<'_>,
    ) -> Result<Outcome, RunError> {
        let mut process = Self::begin(worker, attempt, &slot)?;
        let at_work = AtWork::new(worker.journal, process.number, slot);
        if let Some(mut rendered) = process.render()? {
            // A movie is proven by a program, which is part of the slot; to decode frames is not.
            let is_movie = process.members.first().1.movie().is_some();
            let at_work = Some(at_work).filter(|_| is_movie);
            process.collect_at_the_end(&mut rendered.area)?;
            drop(at_work);
            process.clear_up(&rendered)?;
        }
        Ok(process.outcome)
    }

    /// Starts the engine and sees it through to its end; none where it could not be started.
    pub(super) fn render(&mut self) -> Result<Option<Rendered<'w>>, RunError> {
        let Worker {
            context, workshop, ..
        } = self.worker;
        let profile = Arc::clone(&self.profile);
        let deliverables = self.members.map(|(_, one)| *one);
        let frames = &self.attempt.planned.rendered();
        let folder = make_folders(context, &deliverables, frames)?;
        self.worker.look_for_room(&folder);
        let planned = Invocation {
            threads: self.threads,
            ..Invocation::planned(&profile, &deliverables, frames)
        };
        let prepared = match self.prepared(&planned)? {
            Prepared::Ready(prepared) => prepared,
            Prepared::Not(reason) => {
                self.not_started(reason);
                return Ok(None);
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
        let mut area = self.area(&staging);
        self.start_and_attend(&spec, &staging, &mut area)?;
        self.check_staging_folder(&staging, &area)?;
        self.check_sources(&area);
        if self.outcome.end == End::Success {
            let journal = self.worker.journal;
            let first = *self.members.first();
            workshop.lines.process_ended(context, journal, first.1)?;
            // Should this run die now, the next one knows that all is finished.
            let process = self.number;
            self.worker.journal.note(Line::Succeeded { process })?;
        }
        if let Some(outside) = outside {
            let ended = outside.end(context.disk, &staging);
            ended.map_err(RunError::disk(&staging))?;
        }
        Ok(Some(Rendered {
            staging,
            area,
            given,
        }))
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
        let frames = &self.attempt.planned.frames;
        let member = |(index, one): &(DeliverableId, &Deliverable)| StagedMember {
            path: one.pattern.sketch(),
            fingerprint: workshop
                .provenance(context, *index, frames)
                .fingerprint
                .unwrap_or_default(),
        };
        self.worker.journal.starts(Staged {
            folder: staging.to_owned(),
            process: self.number,
            label: label(&deliverables),
            engine: workshop
                .provenance(context, self.members.first().0, frames)
                .engine,
            log: self.log.path().display().to_string(),
            time: timestamp(),
            frames: self.attempt.planned.rendered().to_string(),
            besides: self.attempt.besides().to_string(),
            held: self.attempt.held,
            members: self.members.iter().map(member).collect(),
            given: given.to_vec(),
        })
    }

    fn start_and_attend(
        &mut self,
        spec: &ProcessSpec,
        staging: &Path,
        area: &mut StagingArea<'_>,
    ) -> Result<(), RunError> {
        let folder = spec.folder.as_deref().map_or(staging, Path::new);
        let profile = Arc::clone(&self.profile);
        match self.start(&profile.program, &spec.arguments, spec, folder, staging)? {
            Started::Running(process) => self.attend(*process, area),
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

    /// What is made from a file that changed meanwhile is made from nobody knows what.
    fn check_sources(&mut self, area: &StagingArea<'_>) {
        let (index, _) = *self.members.first();
        let frame = self.attempt.planned.frames.first().unwrap_or(0);
        let assembling = self.worker.workshop.assembling(index, frame);
        let changed = assembling.as_ref().and_then(|one| one.changed_source());
        let changed = changed.map(Path::to_owned);
        let changed = changed.or_else(|| self.changed_frame_file(area));
        if let Some(changed) = changed.filter(|_| self.outcome.end == End::Success) {
            self.outcome.end = End::SourceChanged(changed);
        }
    }

    /// A file of the frame alone, where these are not what they were when the process began.
    fn changed_frame_file(&self, area: &StagingArea<'_>) -> Option<PathBuf> {
        let Worker {
            context, workshop, ..
        } = self.worker;
        let frame = area.frames.first()?;
        area.outputs.iter().find_map(|output| {
            let file = frame_files(output.deliverable, frame).into_iter().next()?;
            let now = workshop.provenance(context, output.index, &area.frames);
            let is_same = now.fingerprint == output.provenance.fingerprint;
            (!is_same).then(|| file.into())
        })
    }

    /// What is expected in a staging folder.
    pub(super) fn area(&self, staging: &Path) -> StagingArea<'w> {
        let Worker {
            context,
            backlog,
            workshop,
            ..
        } = self.worker;
        let planned = &self.attempt.planned;
        let frames = &planned.rendered();
        let outputs = self
            .members
            .map(|(index, one)| (*index, *one, workshop.provenance(context, *index, frames)));
        let profile: &'w Profile = &self.members.first().1.common.engine;
        let mut area = StagingArea::new(staging.to_owned(), &outputs, frames.clone(), profile);
        for output in &mut area.outputs {
            if let Some(wanted) = self.attempt.wanted_of(output.index) {
                output.besides = frames.difference(wanted).unwrap_or_default();
            }
            let replaced = &backlog.replaced[output.index];
            let first = frames.first().unwrap_or(0);
            if let Some(assembling) = workshop.assembling(output.index, first) {
                let replaces = assembling.replaces.map(|replaces| (first, replaces));
                output.replaces = replaces.into_iter().collect();
            } else if !replaced.is_empty() {
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

    /// Keeps what can be continued from, moves aside what nothing proves, and removes the staging folder
    /// or keeps it for the next process.
    pub(super) fn clear_up(&mut self, rendered: &Rendered<'_>) -> Result<(), RunError> {
        let Rendered {
            staging,
            area,
            given,
        } = rendered;
        let Worker {
            context,
            journal,
            workshop,
            ..
        } = self.worker;
        self.outcome.continuable = self.keep_checkpoints(area, true)?;
        for file in area.besides_left_over() {
            self.throw_away(&file)?;
        }
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
        let set = deliverables.first().common.processes.threads;
        let threads = set
            .or(self.threads)
            .filter(|_| self.profile.mentions("threads"));
        let took = self.outcome.spent(&deliverables);
        let used = self.outcome.used(threads, self.attempt.tries);
        let pace = self.worker.pace;
        pace.took(&label(&deliverables), took.as_ref(), used.as_ref());
        journal.note(Line::Left {
            process: self.number,
            took,
            used,
            kept,
        })?;
        if kept {
            workshop.keep_staging_folder(staging.to_owned());
        }
        Ok(())
    }
}

/// A process that counts as being at work: dropped, the next one may start.
pub(super) struct AtWork<'s> {
    journal: &'s Journal<'s>,
    number: u32,
    _slot: ProcessSlot<'s>,
}

impl<'s> AtWork<'s> {
    pub(super) fn new(journal: &'s Journal<'s>, number: u32, slot: ProcessSlot<'s>) -> Self {
        Self {
            journal,
            number,
            _slot: slot,
        }
    }
}

impl Drop for AtWork<'_> {
    fn drop(&mut self) {
        let process = self.number;
        self.journal.event(&Event::Ended { process });
    }
}
