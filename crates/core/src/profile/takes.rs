//! What one process can take of the frames, and how frames are cut into such pieces.

use crate::frames::{FrameSet, StepRange};

/// What one process can take of the frames.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum FramesPerProcess {
    /// A single frame.
    #[default]
    One,
    /// A range without gaps.
    Range,
    /// A range with a step.
    Stepped,
    /// Any set of frames.
    List,
    /// It cannot be asked for a frame at all.
    Nothing,
}

impl FramesPerProcess {
    /// How many processes some frames need at least.
    #[must_use]
    pub fn pieces(self, frames: &FrameSet) -> u64 {
        match self {
            Self::One | Self::Nothing => frames.count(),
            Self::Range => frames.gapless(u64::MAX).len() as u64,
            Self::Stepped => frames.ranges().len() as u64,
            Self::List => 1,
        }
    }

    /// What one process takes, in words.
    #[must_use]
    pub fn meaning(self) -> &'static str {
        match self {
            Self::One => "one frame a process",
            Self::Range => "a range of frames a process",
            Self::Stepped => "a range with a step a process",
            Self::List => "any frames in one process",
            Self::Nothing => "no frame at all",
        }
    }

    /// The wanted frames of a clip in pieces that one process can take, in order; each has at most
    /// `chunk` frames. The cuts are those of the whole clip, so that they stay where they are when
    /// only some of its frames are wanted.
    #[must_use]
    pub fn cut(self, clip: &FrameSet, wanted: &FrameSet, chunk: Option<u64>) -> Vec<FrameSet> {
        let Some(chunk) = chunk else {
            return self.cut_once(wanted);
        };
        let grid = clip.chunks(chunk.max(1));
        if clip == wanted {
            return grid.iter().flat_map(|one| self.cut_once(one)).collect();
        }
        let mut pieces = Vec::new();
        let mut left = wanted.clone();
        for one in &grid {
            // A set that is too intricate to be passed is taken as it is.
            let here = one.intersection(wanted).unwrap_or_else(|_| one.clone());
            left = left.difference(one).unwrap_or_default();
            pieces.extend(self.cut_once(&here));
        }
        // What is wanted and no part of the clip.
        pieces.extend(
            left.chunks(chunk.max(1))
                .iter()
                .flat_map(|one| self.cut_once(one)),
        );
        pieces
    }

    fn cut_once(self, frames: &FrameSet) -> Vec<FrameSet> {
        match self {
            _ if frames.is_empty() => Vec::new(),
            Self::List => vec![frames.clone()],
            Self::Stepped => frames
                .ranges()
                .iter()
                .copied()
                .map(FrameSet::from_range)
                .collect(),
            Self::Range => frames
                .gapless(u64::MAX)
                .into_iter()
                .map(|(first, last)| FrameSet::range(first, last))
                .collect(),
            Self::One | Self::Nothing => frames
                .iter()
                .map(|frame| FrameSet::from_range(StepRange::single(frame)))
                .collect(),
        }
    }
}
