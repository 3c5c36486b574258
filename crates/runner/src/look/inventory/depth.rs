//! How closely a file is looked at, and who can look at one.

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::Frame;

use super::accepted::Accepted;
use super::found::FileOnDisk;
use crate::record::ledger::Files;

/// How closely a file is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Depth {
    /// By size and time; it is not opened.
    Stamp,
    /// It is opened where the ledger does not record it as it is.
    Unknown,
    /// Its bytes are compared with the recorded hash; it is decoded where they differ.
    Bytes,
    /// It is decoded whatever the ledger records; a movie is proven anew.
    Decode,
    /// It is decoded and measured; of a movie the bytes are compared.
    Measure,
}

impl Depth {
    /// How closely the files are looked at that the file is made from: they are wanted files themselves, and are decoded
    /// as such.
    pub(super) fn of_sources(self) -> Self {
        match self {
            Self::Stamp | Self::Bytes => self,
            Self::Unknown | Self::Decode | Self::Measure => Self::Unknown,
        }
    }
}

/// Looks at the files of a deliverable.
pub(super) trait LookAtFiles: Sync {
    /// The deliverable.
    fn deliverable(&self) -> &Deliverable;

    /// What there is of the file of a frame, once a run has taken some files as they are.
    fn found(&self, frame: Frame, depth: Depth, files: &Files, accepted: &Accepted) -> FileOnDisk;
}
