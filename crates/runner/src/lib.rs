//! The outside world of True Path: the disk, processes, staging, publishing, ledger and audit.
#![cfg_attr(not(test), deny(clippy::disallowed_methods))]

pub mod clock;
pub mod crash;
pub mod disk;
pub mod follow;
pub mod hand_over;
pub mod in_turns;
pub mod load;
mod lock;
pub mod look;
pub mod make;
pub mod record;
#[cfg(test)]
mod sample;
pub mod system;
mod threads;

pub use hand_over::rewrite::rewrite;
pub use load::{LoadError, Loaded, load};
pub use look::program::find_program;
pub use record::state_folder::StateFolder;
