//! Movies: whether one is due, once its sequence is there.

use std::path::Path;

use truepath_core::frames::FrameSet;

use super::worker::Worker;
use super::{Event, Failure, RunError};
use crate::inventory::FileOnDisk;
use crate::ledger::FileOrigin;
use crate::movies::{self, MovieOnDisk};
use crate::publish::Provenance;

impl Worker<'_> {
    fn movie_on_disk(&self, index: usize) -> Result<MovieOnDisk, RunError> {
        let movie = &self.context.expansion.deliverables[index];
        let path = movie.path(movie.common.frames.shot.first().unwrap_or(0));
        // Proving a movie takes a while: what is known is copied, and not held.
        let known = self.journal.known().clone();
        let seen = movies::look(
            movie,
            &known,
            self.context.policy.verify_all,
            &self.context.loaded.folder,
        );
        seen.map_err(RunError::disk(Path::new(&path)))
    }

    /// Whether a movie is to be assembled now. It is not when its sequence is not whole, or
    /// when it is there and of these very frames; one of other frames that a run has made is set
    /// aside.
    pub(super) fn movie_is_due(&self, index: usize) -> Result<bool, RunError> {
        let movie = &self.context.expansion.deliverables[index];
        let Some(source) = movie.movie().and_then(|one| one.source.as_deref()) else {
            return Ok(false);
        };
        let source = source.label();
        let frame = movie.common.frames.shot.first().unwrap_or(0);
        let path = movie.path(frame);
        let seen = self.movie_on_disk(index)?;
        if !seen.lacking.is_empty() {
            let lacking = &seen.lacking;
            self.journal.failed(vec![Failure {
                deliverable: index,
                frame,
                reason: format!("its sequence is not whole: frames {lacking} of {source}"),
                log: None,
            }])?;
            return Ok(false);
        }
        self.workshop.know_movie(index, seen.fingerprint);
        match seen.there {
            FileOnDisk::Missing => return Ok(true),
            FileOnDisk::Valid | FileOnDisk::Touched => {}
            FileOnDisk::Changed(_) if self.context.policy.keep_stale => {
                let provenance = self.workshop.provenance(self.context, index);
                self.files()
                    .take_in(movie, frame, &provenance, FileOrigin::Accepted)?;
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
                let movie = FrameSet::range(frame, frame);
                self.journal
                    .report()
                    .unverifiable
                    .push((index, reason, movie));
            }
            // A run has made it of other frames: it is made again, and the old one stays beside.
            FileOnDisk::Stale => {
                self.files()
                    .make_room(&path, "its frames have changed since it was made")?;
                return Ok(true);
            }
            FileOnDisk::Broken(flaw) => {
                self.files().make_room(&path, &flaw)?;
                return Ok(true);
            }
            FileOnDisk::Unrecorded => {
                let run = self.context.provenance[index].run.clone();
                self.files().take_in(
                    movie,
                    frame,
                    &Provenance::without_run(run),
                    FileOrigin::Adopted,
                )?;
                self.journal.report().adopted += 1;
            }
        }
        self.journal.report().kept += 1;
        Ok(false)
    }

    /// What became of a movie that another run has done with.
    pub(super) fn settle_movie(&self, index: usize) -> Result<(), RunError> {
        let movie = &self.context.expansion.deliverables[index];
        let frame = movie.common.frames.shot.first().unwrap_or(0);
        if self.movie_on_disk(index)?.there == FileOnDisk::Valid {
            self.brought_elsewhere(index, frame);
            return Ok(());
        }
        let failure = Failure {
            deliverable: index,
            frame,
            reason: "another run began it and did not bring it".to_owned(),
            log: None,
        };
        self.journal.event(&Event::Failed(&failure));
        self.journal.report().failures.push(failure);
        Ok(())
    }
}
