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
    /// Leaves this frame out without a message.
    pub skip_at: Option<i64>,
    /// Renders this frame at half its size.
    pub wrong_size_at: Option<i64>,
    /// Leaves a rough picture of every frame first, whole and of the right kind, and puts the final
    /// one in its place when the frame has taken its time.
    #[serde(default)]
    pub rough: bool,
    /// One in so many frames goes wrong, by chance: it ends with an error, which leaves the rough
    /// picture where there is one, leaves half of the file, or leaves the frame out.
    #[serde(default)]
    pub unlucky: u32,
    /// Warnings for every frame.
    #[serde(default)]
    pub noisy: u32,
    /// Milliseconds that every frame takes longer.
    #[serde(default)]
    pub slow: u64,
    /// Stops after so many samples, whatever was asked for.
    pub most_samples: Option<u32>,
    /// Whether slow frames say how far they are, in the log and in a small file from which they can
    /// be gone on with.
    #[serde(default)]
    pub parts: bool,
}

impl Mishap {
    /// What goes wrong by chance, if anything.
    #[must_use]
    pub fn chance(&self) -> Option<RandomMishap> {
        use std::hash::{BuildHasher, RandomState};
        if self.unlucky == 0 {
            return None;
        }
        let number = RandomState::new().hash_one(0);
        if !number.is_multiple_of(u64::from(self.unlucky)) {
            return None;
        }
        let kinds = [
            RandomMishap::Fail,
            RandomMishap::Truncate,
            RandomMishap::Skip,
        ];
        Some(kinds[(number / u64::from(self.unlucky) % 3) as usize])
    }

    /// The time that every frame takes longer.
    #[must_use]
    pub fn pause(&self) -> Duration {
        Duration::from_millis(self.slow)
    }
}

/// Something that goes wrong by chance.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RandomMishap {
    /// It ends with an error before the frame.
    Fail,
    /// It leaves half of the file, and says that it is written.
    Truncate,
    /// It leaves the frame out.
    Skip,
}
