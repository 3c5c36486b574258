//! What `truepath tokens --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;

/// Every token and its values
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Tokens {
    /// The version of this shape
    pub(crate) version: u32,
    /// In the order of the reference
    pub(crate) tokens: Vec<TokenShape>,
}

/// A token
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct TokenShape {
    pub(crate) token: String,
    /// What it stands for
    pub(crate) meaning: &'static str,
    /// Each value that it takes in the chosen part of the job
    pub(crate) values: Vec<ValuedShape>,
}

/// A value of a token
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ValuedShape {
    pub(crate) value: String,
    /// The places that set it, the winner first, then what it beat
    pub(crate) origins: Vec<OriginShape>,
}

/// A place that sets a value
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct OriginShape {
    /// The level, such as `[project]`
    pub(crate) level: &'static str,
    pub(crate) file: String,
    /// From 1
    pub(crate) line: usize,
    /// From 1
    pub(crate) column: usize,
}
