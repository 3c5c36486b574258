//! A piece of the plan in blocks: what processes are cut along, and what machines that share the work agree on.

use std::ops::Range;
use std::sync::Arc;

use crate::frames::FrameSet;

/// A piece has at most so many blocks.
const MOST: u64 = 256;

/// Consecutive blocks of a piece of the plan. The blocks of a piece depend on its frames alone, so that every run of
/// a job has the same, however many frames each of its processes is given.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Blocks {
    piece: Arc<FrameSet>,
    /// Frames of each block but the last.
    size: u64,
    blocks: Range<u64>,
}

impl Blocks {
    /// All blocks of a piece.
    #[must_use]
    pub fn of(piece: &FrameSet) -> Self {
        let count = piece.count().max(1);
        let size = count.div_ceil(MOST);
        Self {
            piece: Arc::new(piece.clone()),
            size,
            blocks: 0..count.div_ceil(size),
        }
    }

    /// A piece that is one block: it is never cut.
    #[must_use]
    pub fn whole(piece: &FrameSet) -> Self {
        Self {
            piece: Arc::new(piece.clone()),
            size: piece.count().max(1),
            blocks: 0..1,
        }
    }

    /// How many.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.blocks.end - self.blocks.start
    }

    /// Their frames.
    #[must_use]
    pub fn frames(&self) -> FrameSet {
        self.piece
            .slice(self.blocks.start * self.size, self.count() * self.size)
    }

    /// The frames of each, in order.
    pub fn each(&self) -> impl Iterator<Item = FrameSet> + '_ {
        let blocks = self.blocks.clone();
        blocks.map(|block| self.piece.slice(block * self.size, self.size))
    }

    /// The blocks from the one with an index on are taken out; none where there are not so many.
    pub fn split_off(&mut self, index: u64) -> Option<Self> {
        if index == 0 || index >= self.count() {
            return None;
        }
        let middle = self.blocks.start + index;
        let rest = Self {
            blocks: middle..self.blocks.end,
            ..self.clone()
        };
        self.blocks.end = middle;
        Some(rest)
    }

    /// How many of the first blocks hold so many of the wanted frames; all of them where they hold fewer.
    #[must_use]
    pub fn holding(&self, wanted: &FrameSet, frames: u64) -> u64 {
        let mut held = 0;
        for (block, of_it) in (1..).zip(self.each()) {
            held += of_it.count_shared(wanted);
            if held >= frames {
                return block;
            }
        }
        self.count()
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn blocks_stay_where_they_are_however_they_are_cut() {
        let piece: FrameSet = "1-600".parse().unwrap();
        let all = Blocks::of(&piece);
        let every: Vec<FrameSet> = all.each().collect();
        assert_eq!((all.count(), every[0].count()), (200, 3));
        let mut first = all.clone();
        let mut rest = first.split_off(7).unwrap();
        let last = rest.split_off(100).unwrap();
        let again: Vec<FrameSet> = [first, rest, last]
            .iter()
            .flat_map(|one| one.each().collect::<Vec<_>>())
            .collect();
        assert_eq!(again, every);
        assert_eq!(Blocks::whole(&piece).count(), 1);
        assert_eq!(all.clone().split_off(0), None);
        assert_eq!(all.clone().split_off(200), None);
    }

    #[test]
    fn frames_that_are_there_do_not_count() {
        let all = Blocks::of(&"1-10".parse().unwrap());
        let missing: FrameSet = "4-10/2".parse().unwrap();
        assert_eq!(all.holding(&missing, 1), 4);
        assert_eq!(all.holding(&missing, 2), 6);
        assert_eq!(all.holding(&missing, 99), 10);
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(32))]
        #[test]
        fn the_blocks_of_a_piece_are_its_frames(first in -50_i64..50, count in 1_i64..600, step in 1_i64..4) {
            let piece = FrameSet::from_frames((0..count).map(|at| first + at * step));
            let blocks = Blocks::of(&piece);
            prop_assert!(blocks.count() <= MOST);
            let together = blocks.each().fold(FrameSet::empty(), |all, one| all.union(&one).unwrap());
            prop_assert_eq!(&together, &piece);
            prop_assert_eq!(&blocks.frames(), &piece);
        }
    }
}
