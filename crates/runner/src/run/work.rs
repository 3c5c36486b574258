//! What a run has in its hands.

use std::path::PathBuf;

use truepath_core::deliverable::Expansion;

use super::{Options, Report, Watch};
use crate::Loaded;
use crate::ledger::Ledger;
use crate::publish::Credits;
use crate::session::Session;

/// A run at work.
pub(super) struct Work<'a> {
    pub(super) loaded: &'a Loaded,
    pub(super) expansion: &'a Expansion,
    pub(super) options: &'a Options<'a>,
    pub(super) watch: &'a mut dyn Watch,
    pub(super) report: Report,
    pub(super) session: Session,
    pub(super) credits: Vec<Credits>,
    /// What is known of the files that are there.
    pub(super) known: Ledger,
    /// The state folder.
    pub(super) state: PathBuf,
    /// What was prepared and is not to be kept.
    pub(super) to_remove: Vec<PathBuf>,
    /// Processes started so far.
    pub(super) processes: u32,
}
