//! Pictures that nothing proves: they are moved aside, never published, and removed once their frame
//! is finished.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use super::engine_process::EngineProcess;
use super::existing_files::ExistingFiles;
use super::outcome::End;
use super::worker::Worker;
use super::{Event, RunError};
use crate::disk::{has_content, stamp};
use crate::make::publish::VerifiedFile;
use crate::make::staging_area::StagingArea;
use crate::make::unproven::move_aside;
use crate::record::aside::AsideEntry;
use crate::record::ledger::{Line, Unproven};

impl EngineProcess<'_> {
    /// Moves what a process left of its frames aside. What was moved aside before under the same true
    /// name gives way to it.
    pub(super) fn move_unproven_aside(&self, area: &StagingArea<'_>) -> Result<(), RunError> {
        let Worker {
            context, journal, ..
        } = self.worker;
        let outcome = &self.outcome;
        for (_, output, frame) in area.left_over() {
            let path = area.outputs[output].deliverable.path(frame);
            self.worker.files().discard(&|one| one.path == path)?;
        }
        let hash = |index, frame| outcome.unproven.get(&(index, frame)).cloned();
        let code = match outcome.end {
            End::Code(code) => Some(code),
            _ => None,
        };
        let moved = move_aside(context.disk, area, &hash, code);
        for one in moved.map_err(RunError::disk(&area.folder))? {
            journal
                .known()
                .unproven
                .insert(one.aside.clone(), one.clone());
            journal.note(Line::Unproven(one))?;
        }
        Ok(())
    }
}

impl ExistingFiles<'_> {
    /// Removes pictures that were moved aside and that are finished by now.
    pub(super) fn discard_finished(&self) -> Result<(), RunError> {
        if self.journal.known().unproven.is_empty() {
            return Ok(());
        }
        self.journal.refresh()?;
        let published: Vec<String> = {
            let known = self.journal.known();
            let all = known.unproven.values().map(|one| one.path.clone());
            all.filter(|path| known.published.get(path).is_some())
                .collect()
        };
        self.discard(&|one| published.contains(&one.path) && Path::new(&one.path).is_file())
    }

    /// Removes some pictures that were moved aside; one that somebody has changed since stays.
    fn discard(&self, which: &dyn Fn(&Unproven) -> bool) -> Result<(), RunError> {
        let chosen: BTreeMap<String, Unproven> = {
            let known = self.journal.known();
            let all = known.unproven.iter().filter(|(_, one)| which(one));
            all.map(|(aside, one)| (aside.clone(), one.clone()))
                .collect()
        };
        for (aside, one) in chosen {
            let file = PathBuf::from(&aside);
            let is_ours = self.context.job_folders().is_set_aside(&file);
            let is_unchanged = stamp(&file).is_ok_and(|found| found == Some(one.stamp));
            if is_ours && is_unchanged {
                let entry = AsideEntry::of(file.clone()).map_err(RunError::disk(&file))?;
                let removed = entry.remove(self.context.disk);
                removed.map_err(RunError::disk(&file))?;
            }
            self.journal.known().unproven.remove(&aside);
            self.journal.note(Line::Discarded { aside })?;
        }
        Ok(())
    }

    /// Says what was moved aside and is still there at the end.
    pub(super) fn report_unproven(&self) {
        let left: Vec<PathBuf> = {
            let known = self.journal.known();
            let ours = |one: &&Unproven| {
                let mut all = self.context.expansion.deliverables.iter();
                all.any(|deliverable| deliverable.pattern.read(&one.path).is_some())
            };
            let asides = known.unproven.values().filter(ours);
            asides.map(|one| PathBuf::from(&one.aside)).collect()
        };
        for to in left.iter().filter(|to| to.is_file()) {
            self.journal.event(&Event::Aside {
                what: "a picture that is not proven to be finished",
                to,
            });
        }
    }

    /// Takes pictures that were moved aside as they are: those that decode, of today's settings, whose
    /// process ended by itself.
    pub(super) fn accept_unproven(&self) -> Result<(), RunError> {
        if !self.context.policy.accept_unproven {
            return Ok(());
        }
        let all: Vec<Unproven> = self.journal.known().unproven.values().cloned().collect();
        let mut ready = Vec::new();
        for one in all {
            let (Some(hash), Some(_)) = (&one.hash, one.code) else {
                continue;
            };
            let aside = PathBuf::from(&one.aside);
            let wanted = self
                .context
                .expansion
                .deliverables
                .iter()
                .enumerate()
                .find_map(|(index, of)| {
                    let frame = of.pattern.read(&one.path)?;
                    let frame = frame.or_else(|| of.common.frames.selected.first())?;
                    of.common
                        .frames
                        .selected
                        .contains(frame)
                        .then_some((index, frame))
                });
            let Some((index, frame)) = wanted else {
                continue;
            };
            let deliverable = &self.context.expansion.deliverables[index];
            let provenance = &self.context.provenance[index]
                .clone()
                .of_frame(deliverable, frame);
            if !self.context.job_folders().is_set_aside(&aside) {
                continue;
            }
            let is_as_it_was = has_content(&aside, hash).unwrap_or(false);
            if provenance.fingerprint != one.fingerprint || !is_as_it_was {
                continue;
            }
            let record = crate::make::publish::record(&aside, Path::new(&one.path), provenance)
                .map_err(RunError::disk(&aside))?;
            ready.push(VerifiedFile {
                staged: aside,
                frame,
                replaces: None,
                removed_hash: None,
                how: crate::record::ledger::FileOrigin::Accepted,
                record,
            });
        }
        let results = self.journal.publish(ready);
        let mut accepted = 0;
        for brought in results.into_iter().flatten() {
            accepted += 1;
            self.journal.known().publish(&brought.record);
        }
        self.journal.report().accepted += accepted;
        self.discard_finished()
    }
}
