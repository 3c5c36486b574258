//! The outside world of True Path: the disk, processes, staging, publishing, ledger and audit.

pub mod answers;
pub mod audit;
mod claims;
pub mod clock;
pub mod crash;
pub mod describe;
pub mod disk;
mod engine_log;
pub mod existing;
mod fingerprint;
mod harvest;
mod inventory;
pub mod ledger;
pub mod load;
mod movies;
mod outside;
pub mod presence;
pub mod probe;
mod process;
mod program;
pub mod progress;
mod proof;
mod publish;
mod recover;
mod rewrite;
pub mod run;
mod session;
pub mod set_up;
pub mod slurm;
mod staging;
pub mod status;
pub mod supervise;
pub mod when;

pub use load::{LoadError, Loaded, load};
pub use program::find_program;
pub use rewrite::rewrite;
