//! What `truepath match --format json` prints.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::Serialize;

/// Names and what was read out of them
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct MatchedShape {
    /// The version of this shape
    pub(crate) version: u32,
    /// In the order of the arguments
    pub(crate) names: Vec<NameReadings>,
}

/// A name
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct NameReadings {
    pub(crate) name: String,
    /// The template that it was compared with, or that was nearest
    pub(crate) template: String,
    /// Every way to read it: the tokens with their values
    pub(crate) readings: Vec<BTreeMap<String, String>>,
    /// Where it departs from the template, if it does
    pub(crate) departs: Option<DepartureShape>,
}

/// Where a name departs from a template
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct DepartureShape {
    /// The byte of the name, from 0
    pub(crate) byte: usize,
    /// What is expected there
    pub(crate) expected: Vec<String>,
}
