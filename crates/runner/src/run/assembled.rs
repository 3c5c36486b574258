//! What is assembled from other files: whether it is due, once these are there.

use std::path::Path;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::PlannedProcess;

use super::worker::Worker;
use super::{Event, Failure, RunError};
use crate::fingerprint::SourcesFingerprint;
use crate::inventory::{Depth, FileOnDisk, Looker};
use crate::ledger::{FileOrigin, Files};
use crate::movies;
use crate::publish::Provenance;
use crate::sources::{LackingFiles, SourcesOnDisk, described};

/// What is there of a file that is assembled, and its fingerprint; or what is lacking of its sources.
type AssembledOnDisk = Result<(FileOnDisk, String), LackingFiles>;

impl Worker<'_> {
    fn assembled_on_disk(&self, index: usize, frame: Frame) -> Result<AssembledOnDisk, RunError> {
        let one = &self.context.expansion.deliverables[index];
        let path = one.path(frame);
        // Proving a file takes a while: what is known of it is copied, and not held.
        let known = {
            let sources = one.sources(frame);
            let sources = sources
                .iter()
                .flat_map(|(source, frames)| frames.iter().map(|frame| source.path(frame)));
            let paths: Vec<String> = sources.chain([path.clone()]).collect();
            self.journal.known().published.only(paths.into_iter())
        };
        let seen = if one.is_assembled_movie() {
            self.movie_on_disk(one, &known)
        } else {
            self.picture_on_disk(one, frame, &known)
        };
        seen.map_err(RunError::disk(Path::new(&path)))
    }

    fn movie_on_disk(
        &self,
        movie: &Deliverable,
        known: &Files,
    ) -> std::io::Result<AssembledOnDisk> {
        let seen = movies::look(
            movie,
            known,
            self.context.policy.verify_all,
            &self.context.loaded.folder,
        )?;
        Ok(match seen.fingerprint {
            Some(fingerprint) => Ok((seen.there, fingerprint)),
            None => Err(seen.lacking),
        })
    }

    fn picture_on_disk(
        &self,
        one: &Deliverable,
        frame: Frame,
        known: &Files,
    ) -> std::io::Result<AssembledOnDisk> {
        let sources = SourcesOnDisk::look(one, frame, known)?;
        let today = match sources.fingerprint(|| SourcesFingerprint::of(one))? {
            Ok(today) => today,
            Err(lacking) => return Ok(Err(lacking)),
        };
        let depth = if self.context.policy.verify_all {
            Depth::Decode
        } else {
            Depth::Unknown
        };
        let looker = Looker::expecting(one, known, Some(&today));
        let there = looker.look(frame, depth).there;
        Ok(Ok((there, today)))
    }

    /// Whether a file is to be assembled now. It is not when its sources are not whole, or when it is
    /// there and of these very files; one of others that a run has made is set aside.
    pub(super) fn is_due(
        &self,
        index: usize,
        frame: Frame,
        planned: &PlannedProcess,
    ) -> Result<bool, RunError> {
        let one = &self.context.expansion.deliverables[index];
        let path = one.path(frame);
        let (there, fingerprint) = match self.assembled_on_disk(index, frame)? {
            Ok(seen) => seen,
            Err(lacking) => {
                self.prospects.out_of_reach(planned);
                let whole = if one.is_assembled_movie() {
                    "its sequence is not whole"
                } else {
                    "what it is made of is not whole"
                };
                self.journal.failed(vec![Failure {
                    deliverable: index,
                    frame,
                    reason: format!("{whole}: {}", described(&lacking)),
                    log: None,
                }])?;
                return Ok(false);
            }
        };
        self.workshop.know_assembled(index, frame, fingerprint);
        match there {
            FileOnDisk::Missing => return Ok(true),
            FileOnDisk::Valid | FileOnDisk::Touched => {}
            FileOnDisk::Changed(_) if self.context.policy.keep_stale => {
                let provenance = self
                    .workshop
                    .provenance(self.context, index, &planned.frames);
                self.files()
                    .take_in(one, frame, &provenance, FileOrigin::Accepted)?;
                self.journal.report().accepted += 1;
            }
            FileOnDisk::Changed(_) if self.context.policy.rerender_stale => {
                self.files()
                    .make_room(&path, "it is not the file that was published")?;
                return Ok(true);
            }
            FileOnDisk::Changed(difference) => {
                let changed = FrameSet::range(frame, frame);
                self.journal
                    .report()
                    .changed
                    .push((index, difference, changed));
            }
            FileOnDisk::Unverifiable(reason) => {
                let frames = FrameSet::range(frame, frame);
                self.journal
                    .report()
                    .unverifiable
                    .push((index, reason, frames));
            }
            // A run has made it of other files: it is made again, and the old one stays beside.
            FileOnDisk::Stale => {
                let changed = if one.is_assembled_movie() {
                    "its frames have changed since it was made"
                } else {
                    "what it is made of has changed since it was made"
                };
                self.files().make_room(&path, changed)?;
                return Ok(true);
            }
            FileOnDisk::Broken(flaw) => {
                self.files().make_room(&path, &flaw)?;
                return Ok(true);
            }
            FileOnDisk::Unrecorded => {
                let run = self.context.provenance[index].run.clone();
                self.files().take_in(
                    one,
                    frame,
                    &Provenance::without_run(run),
                    FileOrigin::Adopted,
                )?;
                self.journal.report().adopted += 1;
            }
        }
        self.prospects.rendered(planned);
        self.journal.report().kept += 1;
        Ok(false)
    }

    /// What became of files that are assembled, with which another run has done.
    pub(super) fn settle_assembled(&self, planned: &PlannedProcess) -> Result<(), RunError> {
        let index = *planned.deliverables.first();
        for frame in planned.frames.iter() {
            let seen = self.assembled_on_disk(index, frame)?;
            if matches!(seen, Ok((FileOnDisk::Valid, _))) {
                self.brought_elsewhere(index, frame);
                continue;
            }
            let failure = Failure {
                deliverable: index,
                frame,
                reason: "another run began it and did not bring it".to_owned(),
                log: None,
            };
            self.journal.event(&Event::Failed(&failure));
            self.journal.report().failures.push(failure);
        }
        Ok(())
    }
}
