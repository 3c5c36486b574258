//! Movies without another program.
//!
//! - [`MovieWriter`] takes pictures one after another and puts them, with a sound, into a file that plays while it loads.
//! - `planes` turns a picture into luma and chroma, `h264` and `motion_jpeg` code it, `sound` reads the sound and codes it.
//! - `boxes` and `sample_entries` write what stands around them, `read` finds it again, `container` knows others, [`movie_headers`] shows what
//!   it says, and [`examine_movie`] decodes all of it.

mod boxes;
mod container;
mod examine;
mod h264;
mod headers;
mod motion_jpeg;
mod planes;
mod read;
mod sample_entries;
mod sound;
mod sound_file;
mod writer;

pub use examine::{MovieFacts, examine_movie};
pub use headers::{MovieHeaders, movie_headers};
pub use sound::{SoundError, SoundFormat, SoundSource};
pub use writer::{MovieCodec, MovieError, MovieOptions, MovieWriter};
