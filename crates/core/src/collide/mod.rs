//! Finds sequences that would write the same path, by comparing sequences and never path by path.
//!
//! Every path is cut into digit runs and the rest, its outline. A frame set is split by printed
//! length, so that each run of a piece has a fixed number of digits; pieces with the same outline
//! meet in one bucket, where a run is a whole number: a constant, or the frame times a power of ten
//! plus a constant. The cost grows with the sequences and not with their frames.
//!
//! ```
//! use truepath_core::collide::collisions;
//! use truepath_core::frames::FrameSet;
//! use truepath_core::template::{FrameField, PathPattern, Piece};
//!
//! let named = |text: &str, digits| {
//!     PathPattern::new(vec![
//!         Piece::Text(text.into()),
//!         Piece::Frame(FrameField::Digits(digits)),
//!     ])
//! };
//! // Frame 1 of the first and frame 101 of the second have one name.
//! let (version, plain) = (named("v1", 2), named("v", 3));
//! let (few, many) = (FrameSet::range(1, 30), FrameSet::range(100, 200));
//! let found = collisions(&[(&version, &few), (&plain, &many)]);
//! assert_eq!(found.len(), 1);
//! assert_eq!(found[0].example, "v101");
//! ```

mod cut;
mod fold;
mod groups;
mod member;

use std::collections::{BTreeMap, HashMap};

use crate::frames::FrameSet;
use crate::template::PathPattern;

pub(crate) use fold::{folded, is_folded};

use cut::{NameOutline, members};
use groups::Groups;
use member::Sequence;

/// Sequences of which some files have the same path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Collision {
    /// Indices of the sequences, ascending.
    pub members: Vec<usize>,
    /// How many files would be lost: all that write a path which an earlier member writes too.
    pub lost: u64,
    /// A path that two of them write.
    pub example: String,
}

/// Finds all collisions; sequences that collide with one another in a chain are reported together.
#[must_use]
pub fn collisions(sequences: &[(&PathPattern, &FrameSet)]) -> Vec<Collision> {
    let mut buckets: HashMap<NameOutline, Vec<Sequence>> = HashMap::new();
    for (index, (pattern, frames)) in sequences.iter().enumerate() {
        for (outline, member) in members(index, pattern, frames) {
            buckets.entry(outline).or_default().push(member);
        }
    }
    let mut groups = Groups::new(sequences.len());
    let mut lost: BTreeMap<usize, u64> = BTreeMap::new();
    let mut examples: HashMap<usize, String> = HashMap::new();
    for bucket in buckets.into_values() {
        for close in close_together(bucket) {
            for (position, member) in close.iter().enumerate() {
                let mut hit = FrameSet::empty();
                for earlier in &close[..position] {
                    let Some(shared) = member.meets(earlier) else {
                        continue;
                    };
                    groups.join(earlier.index, member.index);
                    if let Some(frame) = shared.first() {
                        examples
                            .entry(member.index)
                            .or_insert_with(|| sequences[member.index].0.path(frame));
                    }
                    hit = hit.union(&shared).unwrap_or(shared);
                    // Whoever else writes these paths meets one of those that were found.
                    if hit.count() == member.frames.count() {
                        break;
                    }
                }
                if !hit.is_empty() {
                    *lost.entry(member.index).or_default() += hit.count();
                }
            }
        }
    }
    let mut found: BTreeMap<usize, Collision> = BTreeMap::new();
    for index in 0..sequences.len() {
        let root = groups.root(index);
        if groups.size[root] < 2 {
            continue;
        }
        let collision = found.entry(root).or_insert_with(|| Collision {
            members: Vec::new(),
            lost: 0,
            example: String::new(),
        });
        collision.members.push(index);
        collision.lost += lost.get(&index).copied().unwrap_or(0);
        if collision.example.is_empty()
            && let Some(example) = examples.remove(&index)
        {
            collision.example = example;
        }
    }
    let mut all: Vec<Collision> = found.into_values().collect();
    all.sort_by_key(|collision| collision.members[0]);
    all
}

/// Splits a bucket into members that may meet: those whose intervals overlap in every run.
fn close_together(bucket: Vec<Sequence>) -> Vec<Vec<Sequence>> {
    let runs = bucket.first().map_or(0, |member| member.runs.len());
    let mut groups = vec![bucket];
    for run in 0..runs {
        let mut finer = Vec::new();
        for mut group in groups {
            if group.len() < 2 {
                continue;
            }
            group.sort_by_key(|member| (member.runs[run].bounds(&member.frames).0, member.index));
            let mut reach = i128::MIN;
            let mut current: Vec<Sequence> = Vec::new();
            for member in group {
                let (low, high) = member.runs[run].bounds(&member.frames);
                if low > reach && !current.is_empty() {
                    finer.push(std::mem::take(&mut current));
                }
                reach = reach.max(high);
                current.push(member);
            }
            finer.push(current);
        }
        groups = finer;
    }
    groups.retain(|group| group.len() > 1);
    for group in &mut groups {
        group.sort_by_key(|member| (member.index, member.frames.first()));
    }
    groups
}
