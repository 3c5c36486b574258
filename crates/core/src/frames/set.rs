//! A set of frames as strands that share no frame.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use super::{Frame, Strand};

/// A set of frames. Equal sets may be held in different strands; `==` compares the frames.
#[derive(Debug, Clone, Default)]
pub struct FrameSet {
    /// Sorted by first frame; no frame is in two of them.
    strands: Vec<Strand>,
}

/// The set would need more than [`FrameSet::MOST_STRANDS`] strands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error(
    "this set of frames is too intricate: it would need more than {} pieces",
    FrameSet::MOST_STRANDS
)]
pub struct TooIntricate;

impl FrameSet {
    /// The most strands that a set may need.
    pub const MOST_STRANDS: usize = 100_000;

    /// No frames at all.
    #[must_use]
    pub fn empty() -> Self {
        Self::default()
    }

    /// The frames of one strand.
    #[must_use]
    pub fn from_strand(strand: Strand) -> Self {
        Self {
            strands: vec![strand],
        }
    }

    /// All frames from `first` to `last`.
    #[must_use]
    pub fn range(first: Frame, last: Frame) -> Self {
        Self {
            strands: Strand::new(first, last, 1).into_iter().collect(),
        }
    }

    /// A set of these frames, in any order, told twice or not; neighbours become ranges.
    #[must_use]
    pub fn from_frames(frames: impl IntoIterator<Item = Frame>) -> Self {
        let mut frames: Vec<Frame> = frames.into_iter().collect();
        frames.sort_unstable();
        frames.dedup();
        let mut set = Self {
            strands: frames.into_iter().map(Strand::single).collect(),
        };
        set.join_neighbours();
        set
    }

    /// The strands, sorted by first frame; no frame is in two of them.
    #[must_use]
    pub fn strands(&self) -> &[Strand] {
        &self.strands
    }

    /// Whether there are no frames.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.strands.is_empty()
    }

    /// How many frames there are.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.strands.iter().map(Strand::count).sum()
    }

    /// The smallest frame.
    #[must_use]
    pub fn first(&self) -> Option<Frame> {
        self.strands.first().map(Strand::first)
    }

    /// The greatest frame.
    #[must_use]
    pub fn last(&self) -> Option<Frame> {
        self.strands.iter().map(Strand::last).max()
    }

    /// Whether a frame is in the set.
    #[must_use]
    pub fn contains(&self, frame: Frame) -> bool {
        let behind = self.strands.partition_point(|one| one.first() <= frame);
        self.strands[..behind].iter().any(|one| one.contains(frame))
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
            let up_to: u64 = self.strands.iter().map(|s| s.count_up_to(middle)).sum();
            if up_to > index {
                high = middle;
            } else {
                low = middle + 1;
            }
        }
        Some(low)
    }

    /// The frames, in order, without listing them in memory.
    pub fn iter(&self) -> impl Iterator<Item = Frame> + '_ {
        let mut waiting: BinaryHeap<Reverse<(Frame, Frame, Frame)>> = BinaryHeap::new();
        let mut next_strand = 0;
        std::iter::from_fn(move || {
            // Only strands that have begun wait in the heap, so ranges one after another cost O(1).
            while let Some(strand) = self.strands.get(next_strand)
                && waiting
                    .peek()
                    .is_none_or(|Reverse((head, ..))| strand.first() <= *head)
            {
                waiting.push(Reverse((strand.first(), strand.last(), strand.step())));
                next_strand += 1;
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
    /// When the result needs too many strands.
    pub fn union(&self, other: &Self) -> Result<Self, TooIntricate> {
        let mut all = self.clone();
        let fresh = other.difference(self)?;
        all.strands.extend(fresh.strands);
        all.join_neighbours();
        all.limited()
    }

    /// The frames of this set that the other has not.
    ///
    /// # Errors
    /// When the result needs too many strands.
    pub fn difference(&self, other: &Self) -> Result<Self, TooIntricate> {
        let mut left: Vec<Strand> = Vec::new();
        for strand in &self.strands {
            let mut pieces = vec![*strand];
            for hole in other.overlapping(strand) {
                let mut next = Vec::with_capacity(pieces.len() + 1);
                for piece in pieces {
                    match piece.intersection(hole) {
                        None => next.push(piece),
                        Some(shared) => next.extend(
                            piece
                                .without(&shared, Self::MOST_STRANDS)
                                .ok_or(TooIntricate)?,
                        ),
                    }
                    if next.len() + left.len() > Self::MOST_STRANDS {
                        return Err(TooIntricate);
                    }
                }
                pieces = next;
            }
            left.extend(pieces);
        }
        let mut set = Self { strands: left };
        set.join_neighbours();
        set.limited()
    }

    /// The frames that both sets have.
    ///
    /// # Errors
    /// When the result needs too many strands.
    pub fn intersection(&self, other: &Self) -> Result<Self, TooIntricate> {
        let mut set = Self::default();
        for strand in &self.strands {
            set.strands.extend(
                other
                    .overlapping(strand)
                    .filter_map(|one| strand.intersection(one)),
            );
            if set.strands.len() > Self::MOST_STRANDS {
                return Err(TooIntricate);
            }
        }
        set.join_neighbours();
        Ok(set)
    }

    /// How many frames both sets have.
    #[must_use]
    pub fn count_shared(&self, other: &Self) -> u64 {
        self.strands
            .iter()
            .flat_map(|strand| {
                other
                    .overlapping(strand)
                    .filter_map(|one| strand.intersection(one))
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

    /// The strands that may share a frame with this one.
    fn overlapping(&self, strand: &Strand) -> impl Iterator<Item = &Strand> {
        let behind = self
            .strands
            .partition_point(|one| one.first() <= strand.last());
        let first = strand.first();
        self.strands[..behind]
            .iter()
            .filter(move |one| one.last() >= first)
    }

    /// Sorts, and makes one strand of neighbours that continue each other, until none do.
    fn join_neighbours(&mut self) {
        self.strands.sort_unstable();
        loop {
            let mut joined: Vec<Strand> = Vec::with_capacity(self.strands.len());
            for strand in &self.strands {
                match joined.last_mut() {
                    Some(last) if let Some(both) = continued(last, strand) => *last = both,
                    _ => joined.push(*strand),
                }
            }
            let stable = joined.len() == self.strands.len();
            self.strands = joined;
            if stable {
                return;
            }
        }
    }

    fn limited(self) -> Result<Self, TooIntricate> {
        if self.strands.len() > Self::MOST_STRANDS {
            Err(TooIntricate)
        } else {
            Ok(self)
        }
    }
}

/// One strand for two, where the second goes on where the first ends. Single frames only join
/// their direct neighbours: `1,5` stays two frames and does not become `1-5/4`.
fn continued(one: &Strand, next: &Strand) -> Option<Strand> {
    let gap = next.first() - one.last();
    let single = |strand: &Strand| strand.first() == strand.last();
    let step = match (single(one), single(next)) {
        (true, true) => 1,
        (false, true) => one.step(),
        (true, false) => next.step(),
        (false, false) if one.step() == next.step() => one.step(),
        (false, false) => return None,
    };
    (gap == step)
        .then(|| Strand::new(one.first(), next.last(), step))
        .flatten()
}

impl PartialEq for FrameSet {
    fn eq(&self, other: &Self) -> bool {
        self.count() == other.count() && self.count_shared(other) == self.count()
    }
}

impl Eq for FrameSet {}
