//! What should have made the files of a deliverable, by the job of today.

use std::borrow::Cow;
use std::sync::OnceLock;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::Frame;

use super::accepted::Accepted;
use super::depth::{Depth, LookAtFiles};
use super::sources::SourcesLook;
use crate::look::fingerprint::{Fingerprint, SourcesFingerprint};
use crate::record::ledger::Files;

/// What should have made the files of a deliverable.
pub(super) enum Today<'l> {
    /// An engine, with settings that are the same for all of them; none where nobody knows them.
    Rendered(Option<Fingerprint>),
    /// The files of other deliverables.
    Assembled(Assembly<'l>),
}

/// The files of other deliverables that files are made from.
pub(super) struct Assembly<'l> {
    /// What the settings of the deliverable add to them. It is asked for only where a file is there, since sounds are
    /// read for it.
    own: OnceLock<Option<SourcesFingerprint>>,
    /// Looks at the files, in the order of `Deliverable::sources`.
    pub(super) sources: Vec<Box<dyn LookAtFiles + 'l>>,
}

impl<'l> Assembly<'l> {
    /// Of a deliverable; `looker` gives what looks at the files of another one.
    pub(super) fn new(
        deliverable: &'l Deliverable,
        looker: &mut dyn FnMut(&'l Deliverable) -> Box<dyn LookAtFiles + 'l>,
    ) -> Self {
        // Every frame has the same deliverables as sources.
        let first = deliverable.common.frames.shot.first().unwrap_or(0);
        let sources = deliverable.sources(first).into_iter();
        Self {
            own: OnceLock::new(),
            sources: sources.map(|(source, _)| looker(source)).collect(),
        }
    }

    /// The fingerprint that a file has that is made from files with these hashes.
    pub(super) fn fingerprint(
        &self,
        deliverable: &Deliverable,
        hashes: &[String],
    ) -> Option<String> {
        let own = self
            .own
            .get_or_init(|| SourcesFingerprint::of(deliverable).ok());
        own.as_ref().map(|own| own.with(hashes))
    }
}

/// The fingerprint that a file should have.
pub(super) enum WantedFingerprint<'t> {
    Known(Cow<'t, Fingerprint>),
    /// Nobody knows it.
    Unknown,
    /// Files that it is made from are not as they should be: no file can be made from them.
    NotWhole,
}

impl Today<'_> {
    /// The fingerprint that the file of a frame should have.
    pub(super) fn fingerprint(
        &self,
        deliverable: &Deliverable,
        frame: Frame,
        depth: Depth,
        files: &Files,
        accepted: &Accepted,
    ) -> WantedFingerprint<'_> {
        match self {
            Self::Rendered(Some(fingerprint)) => {
                WantedFingerprint::Known(fingerprint.of_frame(deliverable, frame))
            }
            Self::Rendered(None) => WantedFingerprint::Unknown,
            Self::Assembled(assembly) => {
                let sources = SourcesLook::new(
                    deliverable,
                    &assembly.sources,
                    frame,
                    depth,
                    files,
                    accepted,
                );
                if !sources.lacking.is_empty() {
                    return WantedFingerprint::NotWhole;
                }
                if sources.not_opened > 0 {
                    return WantedFingerprint::Unknown;
                }
                let fingerprint = assembly.fingerprint(deliverable, &sources.hashes);
                fingerprint.map_or(WantedFingerprint::Unknown, |fingerprint| {
                    WantedFingerprint::Known(Cow::Owned(Fingerprint::of_any_recipe(fingerprint)))
                })
            }
        }
    }
}
