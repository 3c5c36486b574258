//! Command lines: what one process of an engine is started with.
//!
//! An [`Invocation`] is one process: a profile, the deliverables that it makes, their frames, and a
//! staging folder. It knows the value of each token of the profile. [`arguments`] writes its
//! arguments, [`ProcessSpec`] all that it needs; [`SharedParts`] is what many processes of one
//! sequence have in common, worked out once. [`PictureInputs`] says which of that can change a
//! picture, [`Overrides`] what the scene is left to decide, and [`learn`] which frame a file is where
//! the engine chooses the names.

mod arguments;
mod burn_in;
mod fill;
mod frame_files;
mod given_file;
mod invocation;
pub mod learn;
mod line_words;
mod overrides;
mod picture_inputs;
mod picture_values;
mod process_spec;
mod shared_parts;
mod source_files;

pub use arguments::arguments;
pub use burn_in::{burn_in_of, burn_in_text};
pub use fill::{ArgumentError, fill};
pub use frame_files::frame_files;
pub use given_file::literal;
pub use invocation::Invocation;
pub use line_words::line_words;
pub use overrides::Overrides;
pub use picture_inputs::PictureInputs;
pub use picture_values::map_row;
pub use process_spec::ProcessSpec;
pub use shared_parts::SharedParts;
pub use source_files::{SourceFiles, printf};
