//! A run, and all that it starts and moves.
//!
//! - `run` makes what is missing, in a `session`; `probe` tries a few frames.
//! - `staging` and `staging_area` are where engines write, `process` and `supervisor` start and end them, `engine_log` reads
//!   what they print, `outside` takes care of those that write where the scene says.
//! - `publish` gives finished files their true names; `unproven` and `checkpoints` keep what is not finished.
//! - `recover` takes up what a dead run left, as far as `job_folders` shows that it is this job's.
//!
//! It asks `look` what there is, and writes to `record`.

pub(crate) mod checkpoints;
pub(crate) mod complaint;
pub(crate) mod engine_log;
pub(crate) mod job_folders;
pub(crate) mod mask;
mod outside;
pub mod probe;
pub(crate) mod process;
pub(crate) mod publish;
pub(crate) mod recover;
pub mod run;
pub(crate) mod session;
pub mod set_up;
pub mod slurm;
pub(crate) mod staging;
pub(crate) mod staging_area;
pub mod supervisor;
pub(crate) mod unproven;
