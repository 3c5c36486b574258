//! How a scene can ask the understudy to misbehave.

use std::time::Duration;

use serde::Deserialize;

/// What goes wrong, and at which frame.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, rename_all = "kebab-case")]
pub struct Mishap {
    /// Ends with an error before this frame.
    pub fail_at: Option<i64>,
    /// Does nothing more, for ever, at this frame.
    pub hang_at: Option<i64>,
    /// Leaves half of this frame's file, and says that it is written.
    pub truncate_at: Option<i64>,
    /// Leaves an empty file for this frame, and says that it is written.
    pub empty_at: Option<i64>,
    /// Leaves this frame out, in silence.
    pub skip_at: Option<i64>,
    /// Renders this frame at half its size.
    pub wrong_size_at: Option<i64>,
    /// Warnings for every frame.
    #[serde(default)]
    pub noisy: u32,
    /// Milliseconds that every frame takes longer.
    #[serde(default)]
    pub slow: u64,
}

impl Mishap {
    /// The time that every frame takes longer.
    #[must_use]
    pub fn pause(&self) -> Duration {
        Duration::from_millis(self.slow)
    }
}
