//! A row of cells that shows how far the frames of a deliverable are.

use crate::frames::FrameSet;

/// What a cell shows. What asks for attention wins over what does not.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum StripCell {
    /// None of its frames is there.
    Missing,
    /// Some of its frames are there.
    Partly,
    /// All of its frames are there.
    Done,
    /// Some of its frames are being rendered.
    Running,
    /// Some of its frames are of other settings than those of today, are not the files that were
    /// published, or cannot be decoded.
    Stale,
    /// Some of its frames failed, or are broken.
    Failed,
}

impl StripCell {
    /// The character that stands for it; plain terminals have them all.
    #[must_use]
    pub fn character(self) -> char {
        match self {
            Self::Missing => '·',
            Self::Partly => '▄',
            Self::Done => '█',
            Self::Running => '▒',
            Self::Stale => '~',
            Self::Failed => '!',
        }
    }
}

/// How far some frames are.
#[derive(Debug, Clone, Default)]
pub struct States {
    /// Frames that are wanted.
    pub wanted: FrameSet,
    /// Those that are there.
    pub done: FrameSet,
    /// Those that are being rendered.
    pub running: FrameSet,
    /// Those that are there, but of other settings than those of today.
    pub stale: FrameSet,
    /// Those that are not the files that were published.
    pub changed: FrameSet,
    /// Those that are no whole picture of the right kind.
    pub broken: FrameSet,
    /// Those that this program cannot decode.
    pub unverifiable: FrameSet,
    /// Those that failed.
    pub failed: FrameSet,
}

/// The cells of a strip of at most `width`: a cell a frame where they fit, else each cell stands for
/// several frames in a row.
#[must_use]
pub fn strip(states: &States, width: usize) -> Vec<StripCell> {
    let count = usize::try_from(states.wanted.count()).unwrap_or(usize::MAX);
    let width = width.min(count);
    if width == 0 {
        return Vec::new();
    }
    let mut cells = vec![(0_u64, 0_u64, StripCell::Missing); width];
    for (index, frame) in states.wanted.iter().enumerate() {
        let (all, done, cell) =
            &mut cells[(index as u128 * width as u128 / count as u128) as usize];
        *all += 1;
        if states.done.contains(frame) {
            *done += 1;
        } else if states.failed.contains(frame) || states.broken.contains(frame) {
            *cell = StripCell::Failed;
        } else if [&states.stale, &states.changed, &states.unverifiable]
            .iter()
            .any(|frames| frames.contains(frame))
            && !states.running.contains(frame)
        {
            *cell = (*cell).max(StripCell::Stale);
        } else if states.running.contains(frame) {
            *cell = (*cell).max(StripCell::Running);
        }
    }
    cells
        .into_iter()
        .map(|(all, done, cell)| match (cell, done) {
            (StripCell::Failed | StripCell::Stale | StripCell::Running, _) => cell,
            (_, 0) => StripCell::Missing,
            (_, done) if done == all => StripCell::Done,
            _ => StripCell::Partly,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn shown(width: usize) -> String {
        let set = |text: &str| text.parse::<FrameSet>().unwrap();
        let states = States {
            wanted: set("1-40"),
            done: set("1-13,33-40"),
            running: set("14-16"),
            stale: set("16-18"),
            failed: set("30"),
            ..States::default()
        };
        strip(&states, width)
            .into_iter()
            .map(StripCell::character)
            .collect()
    }

    #[test]
    fn a_cell_a_frame_or_several() {
        assert_eq!(shown(80), "█████████████▒▒▒~~···········!··████████");
        assert_eq!(shown(10), "███▒~··!██");
        assert_eq!(shown(4), "█~!▄");
        assert_eq!(shown(0), "");
    }
}
