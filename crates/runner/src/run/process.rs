//! One process of an engine: its staging folder, what is laid into it, and what is taken out of it.

use std::fs::File;
use std::io::Write;
use std::path::Path;
use std::sync::atomic::Ordering;

use truepath_core::command::{ArgumentError, Invocation, ProcessSpec};
use truepath_core::deliverable::Deliverable;
use truepath_core::plan::{PlannedProcess, label};
use truepath_core::profile::Profile;

use super::board::{Attempt, Turn};
use super::log::Log;
use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, RunError};
use crate::clock::timestamp;
use crate::ledger::{Line, Member, Staged};
use crate::outside::Outside;
use crate::staging;
use crate::staging_area::{CollectError, Evidence, StagingArea};

/// A deliverable of a process, with its index.
pub(super) type Members<'e> = [(usize, &'e Deliverable)];

impl Work<'_> {
    /// Starts one process and sees it through.
    pub(super) fn process(&self, attempt: &Attempt, turn: Turn<'_>) -> Result<Outcome, RunError> {
        let planned = &attempt.planned;
        let number = 1 + self.processes.fetch_add(1, Ordering::Relaxed);
        let expansion = self.expansion;
        let deliverables = planned.members(&expansion.deliverables);
        let name = planned.name(&expansion.deliverables);
        let log_path = self.session.logs.join(format!("{number:04}-{name}.log"));
        let mut log = Log::create(log_path.clone()).map_err(RunError::disk(&log_path))?;
        self.tell(&Event::Started {
            process: number,
            label: &label(&deliverables),
            deliverables: &planned.deliverables,
            frames: match deliverables[0].is_put_together() {
                true => &deliverables[0].common.frames.shot,
                false => &planned.frames,
            },
            log: &log_path,
        });
        let at_work = AtWork {
            work: self,
            number,
            _turn: turn,
        };
        self.see_through(attempt, at_work, &name, &mut log)
    }

    fn see_through(
        &self,
        attempt: &Attempt,
        at_work: AtWork<'_, '_>,
        name: &str,
        log: &mut Log,
    ) -> Result<Outcome, RunError> {
        let planned = &attempt.planned;
        let number = at_work.number;
        let deliverables = planned.members(&self.expansion.deliverables);
        let indices = planned.deliverables.iter().copied();
        let members: Vec<(usize, &Deliverable)> =
            indices.zip(deliverables.iter().copied()).collect();
        let profile = std::sync::Arc::clone(&deliverables[0].common.engine);
        let folder = self.folders(&deliverables, &planned.frames)?;
        self.look_for_room(&folder);
        let mut outcome = Outcome::new(log.path().to_owned());
        let scouting = Invocation::planned(&profile, &deliverables, &planned.frames);
        let prepared = match self.prepared(&scouting, log)? {
            Ok(prepared) => prepared,
            Err(reason) => {
                outcome.end = End::NotStarted(reason);
                outcome.missing = members
                    .iter()
                    .map(|(index, _)| (*index, planned.frames.clone(), Default::default()))
                    .collect();
                return Ok(outcome);
            }
        };
        let (staging, is_new) = self.staging_folder(&folder, number);
        let staging_name = staging.display().to_string();
        let invocation = Invocation {
            staging: &staging_name,
            prepared: prepared.as_deref(),
            ..scouting
        };
        let mut spec = invocation.spec().map_err(of_profile(&profile))?;
        let given: Vec<String> = spec.files.iter().map(|(name, _)| name.clone()).collect();
        // Told before it is there, so that no staging folder is ever unknown.
        self.note(Line::Staged(Staged {
            folder: staging_name.clone(),
            process: number,
            label: label(&deliverables),
            log: log.path().display().to_string(),
            time: timestamp(),
            frames: planned.frames.to_string(),
            members: self.told(&members),
            given: given.clone(),
        }))?;
        let disk = self.disk;
        if is_new {
            self.session
                .mark
                .make(disk, &staging)
                .map_err(RunError::disk(&staging))?;
        }
        self.lay_in(&spec, &staging)?;
        let laid_in = self.checkpoints_laid_in(&invocation, &members, attempt.tries)?;
        spec.arguments.extend(laid_in);
        let writes = invocation.writes().map_err(of_profile(&profile))?;
        let outside = match &writes {
            Some(writes) => Some(
                Outside::begin(disk, &self.session.publisher, &self.session.mark, writes)
                    .map_err(RunError::disk(&staging))?,
            ),
            None => None,
        };
        let mut area = self.area(&staging, &members, planned, &profile);
        let work = spec.folder.clone();
        let work = work.as_deref().map_or(staging.as_path(), Path::new);
        let command = (profile.program.as_str(), spec.arguments.as_slice());
        match self.start(&profile, command, &spec, work, log)? {
            Ok(process) => self.attend(process, number, &mut area, log, &mut outcome)?,
            Err(reason) => outcome.end = End::NotStarted(reason),
        }
        self.see_to_the_staging_folder(&staging, &area, &mut outcome)?;
        if outcome.end == End::Success {
            // Should this run die now, the next one knows that all is finished.
            self.note(Line::Succeeded { process: number })?;
        }
        // A movie is proven by a program, which is part of the turn; to decode frames is not.
        let at_work = Some(at_work).filter(|_| members[0].1.is_put_together());
        if let Some(outside) = outside {
            outside
                .end(disk, &staging)
                .map_err(RunError::disk(&staging))?;
        }
        self.collect_at_the_end(&mut area, log, &mut outcome)?;
        drop(at_work);
        outcome.continuable = self.keep_checkpoints(&area, true)?;
        let is_unsuccessful = outcome.end != End::Success;
        if is_unsuccessful || !outcome.all_missing().is_empty() {
            self.move_unproven_aside(&area, &outcome)?;
        }
        let kept = Self::is_fit_for_more(&staging, &outcome)?;
        if !kept {
            self.remove_staging_folder(&staging, name, &given)?;
        }
        self.note(Line::Left {
            process: number,
            took: outcome.spent(&deliverables),
            kept,
        })?;
        if kept {
            self.emptied().push(staging);
        }
        Ok(outcome)
    }

    /// An engine that has done away with its staging folder has failed, unless all was published before.
    fn see_to_the_staging_folder(
        &self,
        staging: &Path,
        area: &StagingArea<'_>,
        outcome: &mut Outcome,
    ) -> Result<(), RunError> {
        if staging::is_there(staging) {
            return Ok(());
        }
        if !area.is_whole() && !matches!(outcome.end, End::Halted | End::NotStarted(_)) {
            outcome.end = End::StagingGone;
        }
        // What stands in its place is set aside; what follows finds an empty folder.
        self.remove_staging_folder(staging, "instead-of", &[])?;
        let made = self.session.mark.make(self.disk, staging);
        made.map_err(RunError::disk(staging))
    }

    /// Publishes what a process has finished by its end, and sees what is missing and why.
    fn collect_at_the_end(
        &self,
        area: &mut StagingArea<'_>,
        log: &mut Log,
        outcome: &mut Outcome,
    ) -> Result<(), RunError> {
        let profile = &area.outputs[0].deliverable.common.engine;
        let (success, in_order) = (outcome.end == End::Success, profile.in_order);
        let evidence = Evidence {
            named: &[],
            in_order,
            success,
        };
        let publish = |files| self.publish(files);
        match area.collect(&publish, evidence, false) {
            Ok(collected) => outcome.published += self.collected(&collected, log)?,
            // Half a set of files tells nothing, and is no reason to give up.
            Err(CollectError::Learn(_)) if !success => {}
            Err(CollectError::Learn(error)) => {
                outcome.unknown_files = Some(format!(
                    "{error}; describe how it names its files in a profile"
                ));
            }
            Err(error) => return Err(error.into()),
        }
        if !success {
            let began = area.last_begun();
            let unproven = area.unproven()?;
            let is_by_itself = matches!(outcome.end, End::Code(_));
            if self.policy.accept_unproven && is_by_itself {
                let collected = area.accept(&publish, unproven)?;
                outcome.published += self.collected(&collected, log)?;
                self.report().accepted += collected.len() as u64;
            } else {
                let pictures = unproven.iter().map(|one| {
                    let index = area.outputs[one.output].index;
                    ((index, one.frame), one.hash.clone())
                });
                outcome.unproven = pictures.collect();
            }
            let last = outcome.unproven.keys().map(|(_, frame)| *frame).max();
            outcome.last_unproven = last.filter(|last| in_order && Some(*last) == began);
            let first = || {
                let missing = area
                    .outputs
                    .iter()
                    .filter_map(|one| area.missing(one).first());
                missing.min().filter(|_| in_order)
            };
            outcome.failed_at = match outcome.end {
                End::Halted | End::NotStarted(_) => None,
                _ => began.or_else(first),
            };
        }
        outcome.missing = area
            .outputs
            .iter()
            .map(|output| (output.index, area.missing(output), output.flaws.clone()))
            .collect();
        Ok(())
    }

    fn told(&self, members: &Members<'_>) -> Vec<Member> {
        let member = |(index, one): &(usize, &Deliverable)| Member {
            path: one.pattern.sketch(),
            fingerprint: self.credits_of(*index).fingerprint.unwrap_or_default(),
        };
        members.iter().map(member).collect()
    }

    /// What is expected in a staging folder.
    fn area<'f>(
        &self,
        staging: &Path,
        members: &Members<'f>,
        planned: &PlannedProcess,
        profile: &'f Profile,
    ) -> StagingArea<'f> {
        let outputs = members
            .iter()
            .map(|(index, one)| (*index, *one, self.credits_of(*index)))
            .collect();
        let mut area =
            StagingArea::new(staging.to_owned(), outputs, planned.frames.clone(), profile);
        for output in &mut area.outputs {
            let replaced = &self.replaced[output.index];
            if !replaced.is_empty() {
                output.replaces = planned
                    .frames
                    .iter()
                    .filter_map(|frame| Some((frame, *replaced.get(&frame)?)))
                    .collect();
            }
        }
        area
    }

    /// Lays links and files into a staging folder.
    fn lay_in(&self, spec: &ProcessSpec, staging: &Path) -> Result<(), RunError> {
        for (name, target) in &spec.links {
            let name = staging.join(name);
            self.disk
                .link(target, &name)
                .map_err(RunError::disk(staging))?;
        }
        for (name, text) in &spec.files {
            let path = staging.join(name);
            File::create_new(&path)
                .and_then(|mut file| file.write_all(text.as_bytes()))
                .map_err(RunError::disk(&path))?;
        }
        Ok(())
    }
}

/// A process that counts as being at work: dropped, the next one may start.
struct AtWork<'s, 'w> {
    work: &'s Work<'w>,
    number: u32,
    _turn: Turn<'s>,
}

impl Drop for AtWork<'_, '_> {
    fn drop(&mut self) {
        let process = self.number;
        self.work.tell(&Event::Ended { process });
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
