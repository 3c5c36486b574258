//! What `truepath passes list --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

use super::VERSION;

/// The layers of files
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct PassesShape {
    /// The version of this shape
    version: u32,
    /// Each layer of each file, in the order of the files
    pub(crate) layers: Vec<LayerShape>,
}

impl PassesShape {
    pub(crate) fn new(layers: Vec<LayerShape>) -> Self {
        Self {
            version: VERSION,
            layers,
        }
    }
}

/// A layer of a file
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct LayerShape {
    /// The file
    pub(crate) file: String,
    /// The name of the layer; empty where its channels have none before them
    pub(crate) layer: String,
    /// The names of its channels, without that of the layer
    pub(crate) channels: Vec<String>,
    /// What the samples of each channel are: `half`, `float` or `whole`
    pub(crate) samples: Vec<String>,
    /// Width and height of its pixels
    pub(crate) size: String,
    /// Width and height of the whole picture
    pub(crate) display: String,
    /// Where its pixels begin in that picture, from the left
    pub(crate) left: i32,
    /// From the top
    pub(crate) top: i32,
}
