//! Whether a range of frames may be split over several processes without another picture.
//!
//! Some renderers spread a clock over the range that they are given, others carry a state from frame to frame. Job and
//! profile may say it (`split`). Where neither does, a run finds it out: a place of the clip is rendered as four
//! frames in a row ([`Place`]), an inner one of them is rendered again alone, and the pictures are compared
//! ([`judge`], [`decide`]). Nothing of that is published before it is known.

mod decide;
mod judge;
mod places;

use serde::{Deserialize, Serialize};

pub use decide::{Decision, JudgedPlace, MOST_FAILED, Silence, decide};
pub use judge::{Judgement, PlaceDifferences, is_more_than_noise, judge};
pub use places::{Place, places};

use crate::frames::Frame;

/// What a job or a profile says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SplitWord {
    /// A frame is the same picture whatever range its process is given.
    Free,
    /// It is not.
    Never,
}

impl SplitWord {
    /// Both of them.
    pub const ALL: [Self; 2] = [Self::Free, Self::Never];

    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Free => "free",
            Self::Never => "never",
        }
    }

    /// The one with this word.
    #[must_use]
    pub fn of_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.word() == word)
    }
}

/// What is known of a line.
#[derive(Debug, Clone, Default, PartialEq)]
pub enum Split {
    /// Nothing.
    #[default]
    Unknown,
    /// What the job or the profile says.
    Said(SplitWord),
    /// What a run has found.
    Found(FoundSplit),
}

/// What a run has found by comparing pictures: evidence, and no proof.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct FoundSplit {
    /// Whether the range may be split.
    pub free: bool,
    /// The frames that were rendered in a row and alone, and show it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub frames: Vec<Frame>,
    /// The engine that rendered them, with its version where it reports one.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub engine: String,
    /// How much two pictures of one frame differ that were rendered in the same way: a root mean square of values
    /// from 0 to 1.
    #[serde(default)]
    pub noise: f64,
    /// Why it may not be split, as a sentence; empty where it may.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub why: String,
}

impl FoundSplit {
    /// What was found, in words: `found free by frames 3 and 122`.
    #[must_use]
    pub fn words(&self) -> String {
        if !self.free {
            return format!("one process for the clip: {}", self.why);
        }
        let frames: Vec<String> = self.frames.iter().map(Frame::to_string).collect();
        let noun = if frames.len() == 1 { "frame" } else { "frames" };
        match frames.split_last() {
            Some((last, [])) => format!("found free by {noun} {last}"),
            Some((last, before)) => {
                format!("found free by {noun} {} and {last}", before.join(", "))
            }
            None => "found free".to_owned(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_found_is_said_with_its_frames() {
        let found = |frames: &[Frame]| FoundSplit {
            free: true,
            frames: frames.to_vec(),
            ..FoundSplit::default()
        };
        assert_eq!(found(&[3]).words(), "found free by frame 3");
        assert_eq!(found(&[3, 122]).words(), "found free by frames 3 and 122");
        let never = FoundSplit {
            why: "frame 3 is another picture alone".to_owned(),
            ..FoundSplit::default()
        };
        assert_eq!(
            never.words(),
            "one process for the clip: frame 3 is another picture alone"
        );
    }
}
