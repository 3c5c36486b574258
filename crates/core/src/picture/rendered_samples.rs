//! How many samples a pixel of a picture has got.

use std::fmt;

use serde::{Deserialize, Serialize};

/// The samples of each pixel: how many were rendered, and how many were asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct RenderedSamples {
    /// How many were rendered.
    pub done: u64,
    /// How many were asked for; none where the engine does not report it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub wanted: Option<u64>,
}

impl RenderedSamples {
    /// How many were asked for, where fewer were rendered.
    #[must_use]
    pub fn missed(self) -> Option<u64> {
        self.wanted.filter(|wanted| self.done < *wanted)
    }
}

impl fmt::Display for RenderedSamples {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.wanted {
            Some(wanted) => write!(out, "{} of {wanted} samples", self.done),
            None => write!(out, "{} samples", self.done),
        }
    }
}
