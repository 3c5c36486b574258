//! The ledger: one JSON object a line, append only, one file a run, a checksum a line.
//!
//! It says what was meant and what was done; it is never trusted over the disk.
//!
//! ```
//! use truepath_runner::disk::RealDisk;
//! use truepath_runner::record::ledger::{Ledger, LedgerWriter, Line, Warned};
//!
//! # let folder = tempfile::tempdir()?;
//! # let folder = folder.path();
//! let mut writer = LedgerWriter::create(&RealDisk, &folder.join("0001.jsonl"))?;
//! writer.write(&[Line::Warned(Warned { kind: "lamp flickers".to_owned(), count: 1 })])?;
//!
//! // A line that is torn or edited is reported and counts for nothing.
//! let ledger = Ledger::read(folder)?;
//! assert!(ledger.warned.contains("lamp flickers"));
//! assert!(ledger.unsound().is_empty());
//! # Ok::<(), std::io::Error>(())
//! ```

mod files;
mod history;
mod home;
mod known;
mod line;
mod merged;
mod processes;
mod published;
mod reading;
mod recent;
mod sessions;
#[cfg(test)]
mod tests;
mod written;

use std::path::{Path, PathBuf};

pub use files::Files;
pub(crate) use history::measured;
pub use history::{FileEntry, history};
pub use known::{Hash, KnownFile, MadeBy};
pub(crate) use line::newer_format;
pub use line::{
    Chosen, FORMAT, Failed, FileOrigin, HeldAside, Intent, Line, ProcessTime, ProcessUse, Record,
    Replaces, SessionBegan, Staged, StagedMember, Unproven, Warned,
};
pub use merged::{Ledger, SessionRecord};
pub use processes::{ProcessEntry, ended_processes};
pub use written::LedgerWriter;

/// The ledger of a run.
#[must_use]
pub(crate) fn path(folder: &Path, session: u32) -> PathBuf {
    folder.join(format!("{session:04}.jsonl"))
}
