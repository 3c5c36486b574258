//! What there is: of wanted files, of scenes, of engines, and of any folder.
//!
//! - `inventory` looks at wanted files, and decides their state for every command; `fingerprint` says what should have made
//!   them, `stale` why they are stale, `proof` whether a movie is whole.
//! - `describe` asks engines about scenes (by way of `ask` and `program`), `needed_files` lists what these need.
//! - `splits` says what runs have found about clips.
//! - `large_files` reads a large input once, and keeps its hash in the cache of the user (`user_folders`).
//! - `existing` looks by names alone, for `check`.
//! - `scan` finds the sequences of any folder, `verify_all` looks at their files, `proxy_cache` makes them small.
//!
//! It reads `record`, and changes nothing.

pub(crate) mod ask;
pub mod describe;
pub mod existing;
pub(crate) mod fingerprint;
pub(crate) mod inventory;
pub(crate) mod large_files;
pub(crate) mod named_in_scenes;
pub(crate) mod needed_files;
pub(crate) mod program;
pub(crate) mod proof;
pub mod proxy_cache;
pub mod scan;
pub mod splits;
pub mod stale;
pub mod user_folders;
pub mod verify_all;
