//! A set of frames as ranges that share no frame.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use super::{Frame, StepRange};

/// A set of frames. Equal sets may be held in different ranges; `==` compares the frames.
#[derive(Debug, Clone, Default)]
pub struct FrameSet {
    /// Sorted by first frame; no frame is in two of them.
    ranges: Vec<StepRange>,
}

/// The set would need more than `FrameSet::MOST_RANGES` ranges.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error(
    "this set of frames is too intricate: it would need more than {} pieces",
    FrameSet::MOST_RANGES
)]
pub struct TooIntricate;

impl FrameSet {
    /// The most ranges that a set may need.
    pub(crate) const MOST_RANGES: usize = 100_000;
    /// So many frames with one step above 1 between them are a range.
    const ROW: usize = 4;

    /// No frames at all.
    #[must_use]
    pub fn empty() -> Self {
        Self::default()
    }

    /// The frames of one range.
    #[must_use]
    pub fn from_range(range: StepRange) -> Self {
        Self {
            ranges: vec![range],
        }
    }

    /// All frames from `first` to `last`.
    #[must_use]
    pub fn range(first: Frame, last: Frame) -> Self {
        Self {
            ranges: StepRange::new(first, last, 1).into_iter().collect(),
        }
    }

    /// A set of these frames, in any order, given twice or not; neighbours become ranges, and so do four frames or
    /// more with one step between them.
    #[must_use]
    pub fn from_frames(frames: impl IntoIterator<Item = Frame>) -> Self {
        let mut frames: Vec<Frame> = frames.into_iter().collect();
        frames.sort_unstable();
        frames.dedup();
        let mut ranges = Vec::new();
        let mut rest = &frames[..];
        while let [first, ..] = rest {
            let step = rest
                .get(1)
                .map_or(1, |second| second.saturating_sub(*first));
            let steps = rest
                .windows(2)
                .take_while(|pair| pair[1].saturating_sub(pair[0]) == step);
            let mut length = steps.count() + 1;
            if step > 1 && length < Self::ROW {
                length = 1;
            }
            ranges.extend(StepRange::new(*first, rest[length - 1], step));
            rest = &rest[length..];
        }
        Self { ranges }
    }

    /// The ranges, sorted by first frame; no frame is in two of them.
    #[must_use]
    pub fn ranges(&self) -> &[StepRange] {
        &self.ranges
    }

    /// Whether there are no frames.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.ranges.is_empty()
    }

    /// How many frames there are.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.ranges.iter().map(StepRange::count).sum()
    }

    /// The smallest frame.
    #[must_use]
    pub fn first(&self) -> Option<Frame> {
        self.ranges.first().map(StepRange::first)
    }

    /// The greatest frame.
    #[must_use]
    pub fn last(&self) -> Option<Frame> {
        self.ranges.iter().map(StepRange::last).max()
    }

    /// Whether a frame is in the set.
    #[must_use]
    pub fn contains(&self, frame: Frame) -> bool {
        let behind = self.ranges.partition_point(|one| one.first() <= frame);
        self.ranges[..behind].iter().any(|one| one.contains(frame))
    }

    /// The frame with this index, from 0, in order.
    #[must_use]
    pub fn nth(&self, index: u64) -> Option<Frame> {
        if index >= self.count() {
            return None;
        }
        let (mut low, mut high) = (self.first()?, self.last()?);
        while low < high {
            let middle = low + (high - low).div_euclid(2);
            let up_to: u64 = self.ranges.iter().map(|s| s.count_up_to(middle)).sum();
            if up_to > index {
                high = middle;
            } else {
                low = middle + 1;
            }
        }
        Some(low)
    }

    /// So many frames from the one with an index on, or those that are left.
    #[must_use]
    pub fn slice(&self, index: u64, count: u64) -> Self {
        let end = index.saturating_add(count).min(self.count());
        let bounds = (end > index)
            .then(|| self.nth(index).zip(self.nth(end - 1)))
            .flatten();
        let Some((first, last)) = bounds else {
            return Self::empty();
        };
        // The frames between two frames of a set are never more intricate than the set.
        self.intersection(&Self::range(first, last))
            .unwrap_or_default()
    }

    /// The frames, in order, without listing them in memory.
    pub fn iter(&self) -> impl Iterator<Item = Frame> + '_ {
        let mut waiting: BinaryHeap<Reverse<(Frame, Frame, Frame)>> = BinaryHeap::new();
        let mut next_range = 0;
        std::iter::from_fn(move || {
            // Only ranges that have begun wait in the heap, so ranges one after another cost O(1).
            while let Some(range) = self.ranges.get(next_range)
                && waiting
                    .peek()
                    .is_none_or(|Reverse((head, ..))| range.first() <= *head)
            {
                waiting.push(Reverse((range.first(), range.last(), range.step())));
                next_range += 1;
            }
            let mut head = waiting.peek_mut()?;
            let Reverse((frame, last, step)) = *head;
            if frame + step <= last {
                *head = Reverse((frame + step, last, step));
            } else {
                std::collections::binary_heap::PeekMut::pop(head);
            }
            Some(frame)
        })
    }

    /// The frames of either set.
    ///
    /// # Errors
    /// When the result needs too many ranges.
    pub fn union(&self, other: &Self) -> Result<Self, TooIntricate> {
        let mut all = self.clone();
        let fresh = other.difference(self)?;
        all.ranges.extend(fresh.ranges);
        all.join_neighbours();
        all.limited()
    }

    /// The frames of any of some sets. What would need too many ranges is left out.
    pub fn union_of<'a>(sets: impl IntoIterator<Item = &'a Self>) -> Self {
        let sets = sets.into_iter();
        sets.fold(Self::empty(), |all, frames| {
            all.union(frames).unwrap_or(all)
        })
    }

    /// The frames of this set that the other has not.
    ///
    /// # Errors
    /// When the result needs too many ranges.
    pub fn difference(&self, other: &Self) -> Result<Self, TooIntricate> {
        let mut left: Vec<StepRange> = Vec::new();
        for range in &self.ranges {
            let mut pieces = vec![*range];
            for hole in other.overlapping(range) {
                let mut next = Vec::with_capacity(pieces.len() + 1);
                for piece in pieces {
                    match piece.intersection(hole) {
                        None => next.push(piece),
                        Some(shared) => next.extend(
                            piece
                                .without(&shared, Self::MOST_RANGES)
                                .ok_or(TooIntricate)?,
                        ),
                    }
                    if next.len() + left.len() > Self::MOST_RANGES {
                        return Err(TooIntricate);
                    }
                }
                pieces = next;
            }
            left.extend(pieces);
        }
        let mut set = Self { ranges: left };
        set.join_neighbours();
        set.limited()
    }

    /// The frames that both sets have.
    ///
    /// # Errors
    /// When the result needs too many ranges.
    pub fn intersection(&self, other: &Self) -> Result<Self, TooIntricate> {
        let mut set = Self::default();
        for range in &self.ranges {
            set.ranges.extend(
                other
                    .overlapping(range)
                    .filter_map(|one| range.intersection(one)),
            );
            if set.ranges.len() > Self::MOST_RANGES {
                return Err(TooIntricate);
            }
        }
        set.join_neighbours();
        Ok(set)
    }

    /// How many frames both sets have.
    #[must_use]
    pub fn count_shared(&self, other: &Self) -> u64 {
        self.ranges
            .iter()
            .flat_map(|range| {
                other
                    .overlapping(range)
                    .filter_map(|one| range.intersection(one))
            })
            .map(|shared| shared.count())
            .sum()
    }

    /// The set as rows of frames without a gap, in order; each is at most as long as `longest`.
    /// A set of every second frame has one row a frame.
    #[must_use]
    pub fn gapless(&self, longest: u64) -> Vec<(Frame, Frame)> {
        let mut rows: Vec<(Frame, Frame)> = Vec::new();
        for frame in self.iter() {
            match rows.last_mut() {
                Some((first, last))
                    if *last + 1 == frame && (frame - *first).unsigned_abs() < longest =>
                {
                    *last = frame;
                }
                _ => rows.push((frame, frame)),
            }
        }
        rows
    }

    /// The set in pieces of at most `size` frames, in order.
    #[must_use]
    pub fn chunks(&self, size: u64) -> Vec<Self> {
        if self.count() <= size {
            return if self.is_empty() {
                Vec::new()
            } else {
                vec![self.clone()]
            };
        }
        let frames: Vec<Frame> = self.iter().collect();
        frames
            .chunks(usize::try_from(size.max(1)).unwrap_or(usize::MAX))
            .map(|chunk| Self::from_frames(chunk.iter().copied()))
            .collect()
    }

    /// The ranges that may share a frame with this one.
    fn overlapping(&self, range: &StepRange) -> impl Iterator<Item = &StepRange> {
        let behind = self
            .ranges
            .partition_point(|one| one.first() <= range.last());
        let first = range.first();
        self.ranges[..behind]
            .iter()
            .filter(move |one| one.last() >= first)
    }

    /// Sorts, and makes one range of neighbours that continue each other, until none do.
    fn join_neighbours(&mut self) {
        self.ranges.sort_unstable();
        loop {
            let mut joined: Vec<StepRange> = Vec::with_capacity(self.ranges.len());
            for range in &self.ranges {
                match joined.last_mut() {
                    Some(last) if let Some(both) = continued(last, range) => *last = both,
                    _ => joined.push(*range),
                }
            }
            let stable = joined.len() == self.ranges.len();
            self.ranges = joined;
            if stable {
                return;
            }
        }
    }

    fn limited(self) -> Result<Self, TooIntricate> {
        if self.ranges.len() > Self::MOST_RANGES {
            Err(TooIntricate)
        } else {
            Ok(self)
        }
    }
}

/// One range for two, where the second goes on where the first ends. Single frames only join
/// their direct neighbours: `1,5` stays two frames and does not become `1-5/4`.
fn continued(one: &StepRange, next: &StepRange) -> Option<StepRange> {
    let gap = next.first() - one.last();
    let single = |range: &StepRange| range.first() == range.last();
    let step = match (single(one), single(next)) {
        (true, true) => 1,
        (false, true) => one.step(),
        (true, false) => next.step(),
        (false, false) if one.step() == next.step() => one.step(),
        (false, false) => return None,
    };
    (gap == step)
        .then(|| StepRange::new(one.first(), next.last(), step))
        .flatten()
}

impl PartialEq for FrameSet {
    fn eq(&self, other: &Self) -> bool {
        self.count() == other.count() && self.count_shared(other) == self.count()
    }
}

impl Eq for FrameSet {}
