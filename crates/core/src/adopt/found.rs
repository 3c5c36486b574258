//! What command lines say, by the meanings of their words.

use super::guess::range;
use super::{Adoption, Meaning, ValueMeaning};
use crate::frames::FrameSet;

/// What the lines say of one job.
pub(super) struct AdoptedLines<'a> {
    pub(super) columns: &'a [Vec<&'a str>],
    pub(super) words: &'a [Meaning],
    pub(super) count: usize,
}

impl AdoptedLines<'_> {
    /// The column of a meaning.
    pub(super) fn column(&self, means: ValueMeaning) -> Option<usize> {
        self.words.iter().position(|word| word.means == means)
    }

    /// The value of a column in a line, without what stands before it.
    pub(super) fn value(&self, column: usize, line: usize) -> &str {
        let before = self.words[column].before.len();
        self.columns[column][line].get(before..).unwrap_or_default()
    }

    /// The value of a meaning in a line.
    pub(super) fn of(&self, means: ValueMeaning, line: usize) -> Option<&str> {
        Some(self.value(self.column(means)?, line))
    }

    /// The value of a meaning in a line, as a number.
    pub(super) fn number(&self, means: ValueMeaning, line: usize) -> Option<i64> {
        self.of(means, line)?.parse().ok()
    }

    /// The values of a meaning, each once, in order.
    pub(super) fn distinct(&self, means: ValueMeaning) -> Vec<&str> {
        let mut all: Vec<&str> = Vec::new();
        for value in (0..self.count).filter_map(|line| self.of(means, line)) {
            if !all.contains(&value) {
                all.push(value);
            }
        }
        all
    }

    /// Whether a column differs from line to line.
    pub(super) fn varies(&self, column: usize) -> bool {
        let texts = &self.columns[column];
        texts.iter().any(|text| *text != texts[0])
    }

    /// The frames of a line.
    pub(super) fn frames_of(&self, line: usize) -> Option<FrameSet> {
        let pair = self.of(ValueMeaning::Range, line).and_then(range);
        let pair = pair.map(|(first, last, _)| (first, last));
        let ends = self
            .number(ValueMeaning::First, line)
            .zip(self.number(ValueMeaning::Last, line));
        let one = self
            .number(ValueMeaning::Frame, line)
            .or(self.number(ValueMeaning::First, line));
        let (first, last) = pair.or(ends).or(one.zip(one))?;
        let step = self.number(ValueMeaning::Step, line).unwrap_or(1).max(1);
        let text = match step {
            1 => format!("{first}-{last}"),
            step => format!("{first}-{last}/{step}"),
        };
        text.parse().ok()
    }

    /// The clip of a line that gives it besides the part that it renders.
    fn clip_of(&self, line: usize) -> Option<FrameSet> {
        let first = self.number(ValueMeaning::ClipFirst, line)?;
        let last = self.number(ValueMeaning::ClipLast, line)?;
        (first <= last).then(|| FrameSet::range(first, last))
    }

    /// The frames of the shot of some lines: their clip where they give it, else all frames that they render; none
    /// where one does not say any.
    pub(super) fn shot(&self, lines: &[usize]) -> Option<FrameSet> {
        let frames = self.frames(lines)?;
        let clips = lines.iter().filter_map(|line| self.clip_of(*line));
        Some(clips.fold(frames, |all, clip| all.union(&clip).unwrap_or(all)))
    }

    /// All frames that some lines render; none where one does not say any.
    pub(super) fn frames(&self, lines: &[usize]) -> Option<FrameSet> {
        let mut frames = FrameSet::empty();
        for line in lines {
            frames = frames.union(&self.frames_of(*line)?).ok()?;
        }
        Some(frames)
    }
}

impl Adoption {
    /// The frames of each line, each piece once; a line that says none has no piece of its own.
    #[must_use]
    pub fn pieces(&self, lines: &[Vec<String>]) -> Vec<Option<FrameSet>> {
        let columns: Vec<Vec<&str>> = (1..=self.words.len())
            .map(|column| lines.iter().map(|line| line[column].as_str()).collect())
            .collect();
        let found = AdoptedLines {
            columns: &columns,
            words: &self.words,
            count: lines.len(),
        };
        let mut pieces = Vec::new();
        for line in 0..lines.len() {
            let piece = found.frames_of(line);
            if !pieces.contains(&piece) {
                pieces.push(piece);
            }
        }
        pieces
    }
}

/// Meanings of which the frames are made.
pub(super) const OF_FRAMES: [ValueMeaning; 7] = [
    ValueMeaning::ClipFirst,
    ValueMeaning::ClipLast,
    ValueMeaning::Frame,
    ValueMeaning::First,
    ValueMeaning::Last,
    ValueMeaning::Range,
    ValueMeaning::Step,
];
