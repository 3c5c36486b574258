//! Pictures for True Path: what a file holds, whether it holds all of it, and how one is written.

mod canvas;
mod exr_file;
mod facts;
mod image_file;
mod png_file;
mod verify;

pub use canvas::{Canvas, EncodeError};
pub use facts::{Facts, Flaw, Wanted};
pub use verify::verify;
