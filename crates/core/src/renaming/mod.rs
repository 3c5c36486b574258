//! Renaming many files at once: from one template to another, without losing one.
//!
//! - [`NameReader`]: reads the values of tokens out of names, with a frame of any padding.
//! - [`Rename`]: a file that is to have another name.
//! - [`steps`]: the single renames in an order in which none meets a file, or what stands in the way.

mod name_reader;
mod steps;

pub use name_reader::{NameReader, Unclear};
pub use steps::{Obstacle, steps};

/// A file that is to have another name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rename {
    /// Its path.
    pub from: String,
    /// The path that it is to have.
    pub to: String,
}
