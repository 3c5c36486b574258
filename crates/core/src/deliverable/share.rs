//! Shares: the part of the work that one of several machines takes.

use std::sync::Arc;

use super::{Deliverable, DeliverableId, Expansion};
use crate::at_least_one::AtLeastOne;
use crate::frames::{Frame, FrameSet};
use crate::job::{Job, Key, Value};
use crate::source::Place;

/// The part of the work that one of several machines takes. The shares of all of them are
/// disjoint and together the whole.
#[derive(Debug, Clone, PartialEq)]
pub struct Share {
    /// Which, from 1.
    pub part: u64,
    /// How strong each machine is, in the order of the parts; above zero.
    pub weights: Vec<u64>,
    /// Whether frames are dealt out to the parts in turn, instead of one block for each.
    pub interleaved: bool,
    /// Where it is set.
    pub place: Place,
}

/// The longest round in which the parts take turns.
const MOST_SLOTS: u64 = 1_000;

impl Share {
    /// The share that a job or its command line asks for. Weights that are not one a part are
    /// refused by a rule, and missing ones count 1 here.
    #[must_use]
    pub fn of_job(job: &Job) -> Option<Self> {
        let part = job.setting(Key::SharePart)?;
        let Value::Share(which, of) = part.value.value else {
            return None;
        };
        let mut weights: Vec<u64> = job.get(Key::ShareWeights).unwrap_or_default();
        weights.resize(usize::try_from(of).ok()?, 1);
        Some(Self {
            part: which,
            weights,
            interleaved: job.get(Key::ShareInterleaved) == Some(true),
            place: part.value.place.clone(),
        })
    }

    /// Leaves only this share among the chosen frames of an expansion.
    pub fn keep(self, expansion: &mut Expansion) {
        let chunks = chunks(&expansion.deliverables);
        let mine = self.mine(&chunks.iter().map(|chunk| chunk.size).collect::<Vec<_>>());
        let mut kept: Vec<Vec<Frame>> = vec![Vec::new(); expansion.deliverables.len()];
        for (chunk, _) in chunks.iter().zip(&mine).filter(|(_, mine)| **mine) {
            for index in chunk.deliverables.iter() {
                kept[*index].extend(chunk.frames.iter());
            }
        }
        let kept = kept.into_iter().map(FrameSet::from_frames);
        expansion.keep_frames(&kept.collect::<Vec<_>>());
        expansion.share = Some(self);
    }

    /// Which of some pieces of work of these sizes are this part's.
    fn mine(&self, sizes: &[u64]) -> Vec<bool> {
        let order = self.order(sizes.len());
        let whole: u64 = self.weights.iter().sum();
        let total: u128 = sizes.iter().map(|size| u128::from(*size)).sum();
        let before = usize::try_from(self.part - 1).unwrap_or(usize::MAX);
        let low: u64 = self.weights.iter().take(before).sum();
        let high = low + self.weights.get(before).copied().unwrap_or(0);
        let mut mine = vec![false; sizes.len()];
        let mut done: u128 = 0;
        for index in order {
            // The part in whose range the piece begins takes it: each range is as long as its
            // weight, so no part is more than a piece away from it.
            let at = done * u128::from(whole);
            mine[index] = u128::from(low) * total <= at && at < u128::from(high) * total;
            done += u128::from(sizes[index]);
        }
        mine
    }

    /// The order in which pieces are dealt out: as they come, or by turns.
    fn order(&self, count: usize) -> Vec<usize> {
        let mut order: Vec<usize> = (0..count).collect();
        if self.interleaved {
            let common = self.weights.iter().copied().fold(0, num_integer::gcd);
            let slots = self.weights.iter().sum::<u64>() / common.max(1);
            let slots = usize::try_from(slots.clamp(1, MOST_SLOTS)).unwrap_or(1);
            order.sort_by_key(|index| (index % slots, *index));
        }
        order
    }
}

/// What is never shared out further.
struct SharedPiece {
    deliverables: AtLeastOne<DeliverableId>,
    frames: FrameSet,
    /// Pictures that are rendered; of a movie the frames that it is made of.
    size: u64,
}

/// The work in pieces, in the order of the deliverables. Engines of one pass a process have a
/// piece a pass; others have all that shares a process in one.
fn chunks(all: &[Deliverable]) -> Vec<SharedPiece> {
    let mut groups: Vec<AtLeastOne<DeliverableId>> = Vec::new();
    for (index, one) in DeliverableId::with_each(all) {
        let together = groups.last_mut().filter(|group| {
            let first = &all[*group.first()];
            one.common.engine.takes_all_passes() && Arc::ptr_eq(&first.common, &one.common)
        });
        match together {
            Some(group) => group.push(index),
            None => groups.push(AtLeastOne::one(index)),
        }
    }
    groups
        .into_iter()
        .flat_map(|deliverables| {
            let first = &all[*deliverables.first()];
            let common = &first.common;
            // Where nothing is set, a frame is the least that can be given away.
            let size = common.processes.chunk.or(Some(1));
            let selected = &common.frames.selected;
            let takes = common.engine.takes;
            // What a run has found counts only there: machines that share nothing know nothing of it.
            let pieces = match first.is_planned_in_pieces() {
                true => takes.cut(&common.frames.shot, selected, size),
                false if selected.is_empty() => Vec::new(),
                false => vec![selected.clone()],
            };
            let files = deliverables.len() as u64;
            let movie = first.movie().map(|_| common.frames.shot.count());
            pieces.into_iter().map(move |frames| SharedPiece {
                deliverables: deliverables.clone(),
                size: movie.unwrap_or(frames.count() * files),
                frames,
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Sources;
    use proptest::prelude::*;

    fn share(part: u64, weights: &[u64], interleaved: bool) -> Share {
        let source = Sources::default().add("-", "", crate::source::SourceKind::Argument);
        Share {
            part,
            weights: weights.to_vec(),
            interleaved,
            place: Place { source, span: 0..0 },
        }
    }

    proptest! {
        #[test]
        fn parts_are_disjoint_complete_and_fair(
            sizes in prop::collection::vec(1_u64..20, 0..200),
            weights in prop::collection::vec(1_u64..30, 1..9),
            interleaved in any::<bool>(),
        ) {
            let parts: Vec<Vec<bool>> = (1..=weights.len() as u64)
                .map(|part| share(part, &weights, interleaved).mine(&sizes))
                .collect();
            let total: u64 = sizes.iter().sum();
            let whole: u64 = weights.iter().sum();
            let largest = sizes.iter().copied().max().unwrap_or(0);
            for index in 0..sizes.len() {
                prop_assert_eq!(parts.iter().filter(|part| part[index]).count(), 1);
            }
            for (part, weight) in parts.iter().zip(&weights) {
                let taken: u64 = part.iter().zip(&sizes).filter(|(mine, _)| **mine).map(|(_, size)| size).sum();
                let due = total as f64 * *weight as f64 / whole as f64;
                prop_assert!((taken as f64 - due).abs() <= largest as f64 + 1e-6);
            }
        }
    }

    #[test]
    fn machines_that_are_alike_take_turns() {
        let mine = share(2, &[1, 1, 1], true).mine(&[1; 9]);
        let taken: Vec<usize> = (0..9).filter(|index| mine[*index]).collect();
        assert_eq!(taken, [1, 4, 7]);
        let mine = share(2, &[1, 1, 1], false).mine(&[1; 9]);
        let taken: Vec<usize> = (0..9).filter(|index| mine[*index]).collect();
        assert_eq!(taken, [3, 4, 5]);
    }
}
