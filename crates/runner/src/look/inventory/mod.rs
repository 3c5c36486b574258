//! What there is of the files that a job wants: one look for frames, stills, movies and files with layers alike.
//!
//! - Core lists the wanted files (`Deliverable::files`) and what each is made from.
//! - [`Looker`] looks at a file of one deliverable, as closely as [`Depth`] says: by size and time, or by content.
//! - [`Today`](today::Today) is what should have made the file: a fingerprint, or the files that it is made from, which
//!   are looked at by lookers of their own ([`SourcesLook`]).
//! - [`Inventory`] has a looker for each deliverable of the chosen part of a job. Every command asks it; what a run does
//!   about a file follows from the answer, by `Policy`.

mod accepted;
mod brief;
mod depth;
mod found;
mod look;
mod neighbours;
mod sources;
mod today;

#[cfg(test)]
mod tests;

use truepath_core::deliverable::{DeliverableId, Expansion};

pub(crate) use accepted::Accepted;
pub(crate) use brief::{FilesFound, look_briefly};
pub(crate) use depth::Depth;
pub(crate) use found::{ByReason, FileOnDisk, all_frames};
pub(crate) use look::{FileLook, LookAround, Looker, refused, unverifiable};
pub(crate) use sources::{LackingFiles, described};

use crate::Loaded;
use crate::look::fingerprint::Fingerprints;

/// A looker for each deliverable of an expansion, in its order.
pub(crate) struct Inventory<'l> {
    lookers: Vec<Looker<'l>>,
}

impl<'l> Inventory<'l> {
    /// Of the chosen part of a job. Without its scene nobody knows what should have made a picture.
    pub(crate) fn new(
        loaded: &'l Loaded,
        expansion: &'l Expansion,
        fingerprints: &mut Fingerprints<'l>,
    ) -> Self {
        let around = LookAround::of(loaded);
        let deliverables = expansion.deliverables.iter();
        let lookers = deliverables.map(|deliverable| {
            Looker::new(deliverable, &around, &mut |source| {
                fingerprints.of(source).ok()
            })
        });
        Self {
            lookers: lookers.collect(),
        }
    }

    /// The looker of a deliverable, by its index in the expansion.
    pub(crate) fn of(&self, index: DeliverableId) -> &Looker<'l> {
        &self.lookers[index]
    }

    /// All lookers, in the order of the expansion.
    pub(crate) fn all(&self) -> &[Looker<'l>] {
        &self.lookers
    }
}
