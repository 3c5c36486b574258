//! What becomes of files beside runs: on their way to other machines and people, and out of the way.
//!
//! - `bundle` carries parts of a job to machines that share nothing, and their frames home.
//! - `manifest` writes and compares lists of hashes, `renaming` gives many files other names.
//! - `queue` is the file of several jobs, changed by way of `rewrite`.
//! - `clean` and `superseded` remove what nobody needs any more.

pub mod bundle;
pub mod clean;
pub mod manifest;
pub mod queue;
pub mod renaming;
pub(crate) mod rewrite;
pub mod superseded;
