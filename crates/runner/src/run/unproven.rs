//! Pictures that nothing proves: they are moved aside, never published, and removed once their frame
//! is finished.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use super::outcome::{End, Outcome};
use super::work::Work;
use super::{Event, RunError};
use crate::disk::{hash_file, stamp};
use crate::ledger::{Line, Unproven};
use crate::publish::Ready;
use crate::staging_area::StagingArea;
use crate::unproven::move_aside;

impl Work<'_> {
    /// Moves what a process left of its frames aside. What was moved aside before under the same true
    /// name gives way to it.
    pub(super) fn move_unproven_aside(
        &self,
        area: &StagingArea<'_>,
        outcome: &Outcome,
    ) -> Result<(), RunError> {
        for (_, output, frame) in area.left_over() {
            let path = area.outputs[output].deliverable.path(frame);
            self.discard(&|one| one.path == path)?;
        }
        let hash = |index, frame| outcome.unproven.get(&(index, frame)).cloned();
        let code = match outcome.end {
            End::Code(code) => Some(code),
            _ => None,
        };
        let moved = move_aside(self.disk, area, &hash, code);
        for one in moved.map_err(RunError::disk(&area.folder))? {
            self.known().unproven.insert(one.aside.clone(), one.clone());
            self.note(Line::Unproven(one))?;
        }
        Ok(())
    }

    /// Removes pictures that were moved aside and that are finished by now.
    pub(super) fn discard_finished(&self) -> Result<(), RunError> {
        if self.known().unproven.is_empty() {
            return Ok(());
        }
        self.refresh()?;
        let published: Vec<String> = {
            let known = self.known();
            let all = known.unproven.values().map(|one| one.path.clone());
            all.filter(|path| known.published.get(path).is_some())
                .collect()
        };
        self.discard(&|one| published.contains(&one.path) && Path::new(&one.path).is_file())
    }

    /// Removes some pictures that were moved aside; one that somebody has changed since stays.
    fn discard(&self, which: &dyn Fn(&Unproven) -> bool) -> Result<(), RunError> {
        let chosen: BTreeMap<String, Unproven> = {
            let known = self.known();
            let all = known.unproven.iter().filter(|(_, one)| which(one));
            all.map(|(aside, one)| (aside.clone(), one.clone()))
                .collect()
        };
        for (aside, one) in chosen {
            let file = PathBuf::from(&aside);
            let folder = file.parent().unwrap_or(Path::new("/"));
            let is_ours = self.grounds().is_set_aside(&file);
            let is_unchanged = stamp(&file).is_ok_and(|found| found == Some(one.stamp));
            if is_ours && is_unchanged {
                self.disk
                    .remove_file(&file)
                    .map_err(RunError::disk(&file))?;
                // Only an empty one goes.
                let _ = std::fs::remove_dir(folder);
            }
            self.known().unproven.remove(&aside);
            self.note(Line::Discarded { aside })?;
        }
        Ok(())
    }

    /// Says what was moved aside and is still there at the end.
    pub(super) fn report_unproven(&self) {
        let left: Vec<PathBuf> = {
            let known = self.known();
            let ours = |one: &&Unproven| {
                let mut all = self.expansion.deliverables.iter();
                all.any(|deliverable| deliverable.pattern.read(&one.path).is_some())
            };
            let asides = known.unproven.values().filter(ours);
            asides.map(|one| PathBuf::from(&one.aside)).collect()
        };
        for to in left.iter().filter(|to| to.is_file()) {
            self.tell(&Event::Aside {
                what: "a picture that is not proven to be finished",
                to,
            });
        }
    }

    /// Takes pictures that were moved aside as they are: those that decode, of today's settings, whose
    /// process ended by itself.
    pub(super) fn accept_unproven(&self) -> Result<(), RunError> {
        if !self.policy.accept_unproven {
            return Ok(());
        }
        let all: Vec<Unproven> = self.known().unproven.values().cloned().collect();
        let mut ready = Vec::new();
        for one in all {
            let (Some(hash), Some(_)) = (&one.hash, one.code) else {
                continue;
            };
            let aside = PathBuf::from(&one.aside);
            let wanted = self
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
            let credits = &self.credits[index];
            if !self.grounds().is_set_aside(&aside) {
                continue;
            }
            let is_as_it_was = hash_file(&aside).is_ok_and(|found| found == *hash);
            if credits.fingerprint != one.fingerprint || !is_as_it_was {
                continue;
            }
            let record = crate::publish::record(&aside, Path::new(&one.path), credits)
                .map_err(RunError::disk(&aside))?;
            ready.push(Ready {
                staged: aside,
                frame,
                replaces: None,
                removed: None,
                how: crate::ledger::How::Accepted,
                record,
            });
        }
        let results = self.publish(ready);
        let mut accepted = 0;
        for brought in results.into_iter().flatten() {
            accepted += 1;
            self.known().publish(&brought.record);
        }
        self.report().accepted += accepted;
        self.discard_finished()
    }
}
