//! Pictures for True Path: what a file holds, whether it holds all of it, and how one is written.

pub mod canvas;
mod exr_file;
mod image_file;
mod png_file;
pub mod verify;

pub use canvas::{Canvas, EncodeError};
pub use verify::{Facts, Flaw, Wanted, verify};
