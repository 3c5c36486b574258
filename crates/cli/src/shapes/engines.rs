//! What `truepath engines --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

/// The profiles that are known here
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct EnginesShape {
    /// The version of this shape
    pub(crate) version: u32,
    /// By name
    pub(crate) engines: Vec<EngineShape>,
}

/// An engine
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct EngineShape {
    /// Its name in job files
    pub(crate) name: String,
    /// `pictures` or `movies`
    pub(crate) makes: &'static str,
    /// The program that is started
    pub(crate) program: String,
    /// Where it is on this machine; null where it is not here
    pub(crate) found: Option<String>,
    /// Whether it was started to report its version (`--probe`)
    pub(crate) asked: bool,
    /// The version that it reported
    pub(crate) version: Option<String>,
    /// The formats that its profile lists; empty where it lists none
    pub(crate) formats: Vec<String>,
}
