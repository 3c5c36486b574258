//! What runs write down, and what of that is true.
//!
//! - `state_folder` knows the layout of the state folder; `ledger` is the record of every published file, one file a run;
//!   `run_record` says when the latest run of a job began.
//! - `presence` shows which runs are at work; `claims` are marks on what only one of them may do.
//! - `aside` records what runs set aside, and `removal` says what a removal needs.
//!
//! It asks nobody but the disk. All other folders of this crate read it; runs write it.

pub mod aside;
pub(crate) mod claims;
pub mod ledger;
pub(crate) mod line_files;
pub mod presence;
pub(crate) mod project_home;
pub mod removal;
pub mod run_record;
pub mod state_folder;
pub(crate) mod value_key;
pub(crate) mod version_claims;
