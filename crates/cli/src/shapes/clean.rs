//! What `truepath clean --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

use super::VERSION;

/// What runs have left
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CleanShape {
    /// The version of this shape
    version: u32,
    /// Whether what was named is removed
    applied: bool,
    /// What the state folder holds, by kind
    pub(crate) kinds: Vec<KindShape>,
    /// What lies in the folders set-aside beside the frames
    pub(crate) set_aside: Vec<SetAsideShape>,
    /// Earlier versions of the job
    pub(crate) versions: Vec<VersionShape>,
}

impl CleanShape {
    pub(crate) fn new(applied: bool) -> Self {
        Self {
            version: VERSION,
            applied,
            kinds: Vec::new(),
            set_aside: Vec::new(),
            versions: Vec::new(),
        }
    }
}

/// Files of one kind
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct KindShape {
    /// `logs`, `checkpoints`, `caches` or `proxies`
    pub(crate) kind: &'static str,
    pub(crate) files: u64,
    pub(crate) bytes: u64,
    /// Files that are younger than asked for
    pub(crate) younger: u64,
    /// Whether they are removed
    pub(crate) removed: bool,
}

/// A file or folder in a folder set-aside
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SetAsideShape {
    pub(crate) path: String,
    pub(crate) files: u64,
    pub(crate) bytes: u64,
    /// Where it was, where a run has recorded it
    pub(crate) from: Option<String>,
    /// Why it was moved
    pub(crate) why: Option<String>,
    /// When, as RFC 3339
    pub(crate) time: Option<String>,
    /// Why it stays, where it does
    pub(crate) stays: Option<String>,
    /// Whether it is removed
    pub(crate) removed: bool,
}

/// An earlier version of the job
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct VersionShape {
    pub(crate) version: i64,
    /// Files that are not needed any more
    pub(crate) files: u64,
    pub(crate) bytes: u64,
    /// Files that are kept
    pub(crate) kept: u64,
    /// Files that no run has published, or that have changed since
    pub(crate) not_published: u64,
    /// Files whose deliverable is not valid in the current version
    pub(crate) without_successor: u64,
    /// Whether they are removed
    pub(crate) removed: bool,
    /// The lists of their hashes
    pub(crate) lists: Vec<String>,
}
