//! Pictures for True Path: what a file holds, whether it holds all of it, and how one is written.

mod canvas;
mod dpx_file;
mod exr_file;
mod facts;
mod image_file;
mod png_file;
mod verify;
mod wav_file;

pub use canvas::{Canvas, EncodeError, write_exr};
pub use facts::{Facts, Flaw, Wanted};
pub use verify::verify;
pub use wav_file::wav_seconds;
