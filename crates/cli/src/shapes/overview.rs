//! What `truepath overview --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

/// All that is to be made, a line each
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Overview {
    /// The version of this shape
    pub(crate) version: u32,
    /// In the order in which they are made
    pub(crate) lines: Vec<OverviewEntry>,
}

/// An output of a shot, variant, view and camera, with its passes
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct OverviewEntry {
    pub(crate) shot: String,
    pub(crate) variant: Option<String>,
    pub(crate) view: Option<String>,
    pub(crate) camera: Option<String>,
    pub(crate) output: String,
    pub(crate) passes: Vec<String>,
    pub(crate) engine: String,
    pub(crate) preset: Option<String>,
    /// Width and height in pixels; null where it is the scene's
    pub(crate) size: Option<String>,
    /// The frames that are wanted; of a movie those that it shows
    pub(crate) frames: String,
    /// How many files that makes
    pub(crate) files: u64,
    /// How many of them the ledger has
    pub(crate) done: u64,
    /// Playing time, where the frames per second are known
    pub(crate) seconds: Option<f64>,
    /// Bytes of all files
    pub(crate) bytes: Option<u64>,
    /// Whether the bytes come from files that are there; else they are a rule of thumb
    pub(crate) measured: bool,
}
