//! Movies: whether one is due, once its sequence is there.

use std::path::Path;

use super::work::Work;
use super::{Event, Failure, RunError};
use crate::inventory::There;
use crate::movies;

impl Work<'_> {
    /// Whether a movie is to be put together now. It is not when its sequence is not whole, or
    /// when it is there and of these very frames; one of other frames that a run has made is set
    /// aside.
    pub(super) fn movie_is_due(&mut self, index: usize) -> Result<bool, RunError> {
        let expansion = self.expansion;
        let movie = &expansion.deliverables[index];
        let Some(source) = movie.movie().and_then(|one| one.source.as_deref()) else {
            return Ok(false);
        };
        let source = source.label();
        let frame = movie.common.clip.first().unwrap_or(0);
        let path = movie.path(frame);
        let file = Path::new(&path);
        let seen = movies::look(movie, &self.known, false, &self.loaded.folder)
            .map_err(RunError::disk(file))?;
        if !seen.lacking.is_empty() {
            let lacking = &seen.lacking;
            let failure = Failure {
                deliverable: index,
                frame,
                reason: format!("its sequence is not whole: frames {lacking} of {source}"),
                log: None,
            };
            self.watch.see(&Event::Failed(&failure));
            self.report.failures.push(failure);
            return Ok(false);
        }
        self.credits[index].fingerprint = seen.fingerprint;
        match seen.there {
            There::Missing => return Ok(true),
            There::AsRecorded => {}
            // A run has made it of other frames: it is made again, and the old one stays beside.
            There::OtherSettings => {
                self.make_room(&path, "its frames have changed since it was made")?;
                return Ok(true);
            }
            There::Broken(flaw) => {
                self.make_room(&path, &flaw)?;
                return Ok(true);
            }
            There::Unrecorded => self.adopt(file, frame)?,
        }
        self.report.kept += 1;
        Ok(false)
    }
}
