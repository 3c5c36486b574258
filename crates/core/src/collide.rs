//! Finds sequences that would write the same path, by comparing sequences and never path by path.
//!
//! Every path is cut into digit runs and the rest. A frame set is split by printed length, so that
//! each run of a piece has a fixed number of digits; pieces with the same rest and the same run
//! lengths meet in one bucket, where a run is a whole number: a constant, or the frame times a
//! power of ten plus a constant. The cost grows with the sequences and not with their frames.

use std::collections::{BTreeMap, HashMap};

use crate::frames::{Frame, FrameSet, Strand};
use crate::template::{FrameField, PathPattern, Piece};

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

/// Finds all collisions; sequences that collide with one another in a chain are told together.
#[must_use]
pub fn collisions(sequences: &[(&PathPattern, &FrameSet)]) -> Vec<Collision> {
    let mut buckets: HashMap<Vec<Cut>, Vec<Member>> = HashMap::new();
    for (index, (pattern, frames)) in sequences.iter().enumerate() {
        for (cuts, member) in members(index, pattern, frames) {
            buckets.entry(cuts).or_default().push(member);
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

/// A piece of a bucket's key.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum Cut {
    Text(Box<str>),
    /// This many digits.
    Digits(usize),
}

/// A run of digits as a number: `base + frame * scale`; the scale is 0 for a constant.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Run {
    base: i128,
    scale: i128,
}

impl Run {
    fn bounds(self, frames: &Strand) -> (i128, i128) {
        let one = self.base + i128::from(frames.first()) * self.scale;
        let two = self.base + i128::from(frames.last()) * self.scale;
        (one.min(two), one.max(two))
    }
}

#[derive(Debug, Clone)]
struct Member {
    index: usize,
    runs: Vec<Run>,
    frames: Strand,
}

impl Member {
    /// The frames of this member whose path the other writes too.
    fn meets(&self, other: &Self) -> Option<FrameSet> {
        let mut mine = self.frames;
        let mut shift: Option<Frame> = None;
        for (one, two) in self.runs.iter().zip(&other.runs) {
            match (one.scale, two.scale) {
                (0, 0) if one.base == two.base => {}
                (0, 0) => return None,
                (scale, 0) => mine = mine.intersection(&solved(two.base - one.base, scale)?)?,
                (0, scale) => {
                    let theirs = solved(one.base - two.base, scale)?;
                    // The other's frame is fixed; so is mine, when both are tied together.
                    if !other.frames.contains(theirs.first()) {
                        return None;
                    }
                    if let Some(shift) = shift {
                        mine = mine.intersection(&Strand::single(theirs.first() + shift))?;
                    }
                }
                (a, b) if a == b => {
                    let difference = two.base - one.base;
                    if difference % a != 0 {
                        return None;
                    }
                    let by = Frame::try_from(difference / a).ok()?;
                    if shift.is_some_and(|known| known != by) {
                        return None;
                    }
                    shift = Some(by);
                }
                // Frames at different decimal places of one number: few enough to try them.
                _ => return self.tried(other),
            }
        }
        if let Some(by) = shift {
            let theirs = &other.frames;
            let moved = Strand::new(theirs.first() + by, theirs.last() + by, theirs.step())?;
            mine = mine.intersection(&moved)?;
        }
        Some(FrameSet::from_strand(mine))
    }

    fn tried(&self, other: &Self) -> Option<FrameSet> {
        let value = |member: &Self, frame: Frame| -> Vec<i128> {
            let frame = i128::from(frame);
            member
                .runs
                .iter()
                .map(|run| run.base + frame * run.scale)
                .collect()
        };
        let theirs: std::collections::HashSet<Vec<i128>> = other
            .frames
            .iter()
            .take(MOST_TRIED)
            .map(|frame| value(other, frame))
            .collect();
        let shared = FrameSet::from_frames(
            self.frames
                .iter()
                .take(MOST_TRIED)
                .filter(|frame| theirs.contains(&value(self, *frame))),
        );
        (!shared.is_empty()).then_some(shared)
    }
}

/// Frames that are tried one by one where digits of both sides overlap in odd ways.
const MOST_TRIED: usize = 1_000_000;

/// The one frame with `frame * scale = value`, if it is a whole number.
fn solved(value: i128, scale: i128) -> Option<Strand> {
    (value % scale == 0)
        .then(|| Frame::try_from(value / scale).ok())
        .flatten()
        .map(Strand::single)
}

/// A sequence as pieces whose digit runs have fixed lengths.
fn members(index: usize, pattern: &PathPattern, frames: &FrameSet) -> Vec<(Vec<Cut>, Member)> {
    let mut widths: Vec<u8> = pattern
        .pieces()
        .iter()
        .filter_map(|piece| match piece {
            Piece::Frame(FrameField::Digits(digits)) => Some(*digits),
            Piece::Frame(FrameField::Any) => Some(1),
            Piece::Text(_) => None,
        })
        .collect();
    widths.sort_unstable();
    widths.dedup();
    let strands: Vec<Strand> = if widths.is_empty() {
        frames.first().map(Strand::single).into_iter().collect()
    } else {
        frames.strands().to_vec()
    };
    strands
        .iter()
        .flat_map(|strand| by_length(strand, &widths))
        .map(|frames| {
            let (cuts, runs) = cut(pattern, &frames);
            (
                cuts,
                Member {
                    index,
                    runs,
                    frames,
                },
            )
        })
        .collect()
}

/// A strand in pieces of which every frame is printed with the same number of digits.
fn by_length(strand: &Strand, widths: &[u8]) -> Vec<Strand> {
    let Some(smallest) = widths.first() else {
        return vec![*strand];
    };
    let mut borders: Vec<Frame> = vec![0];
    for digits in *smallest..18 {
        let border = 10_i64.pow(u32::from(digits));
        borders.extend([border, 1 - border]);
    }
    borders.sort_unstable();
    let mut pieces = Vec::new();
    let mut rest = Some(*strand);
    for border in borders {
        let Some(now) = rest else { break };
        if border <= now.first() {
            continue;
        }
        pieces.extend(Strand::new(
            now.first(),
            now.last().min(border - 1),
            now.step(),
        ));
        let behind = (border - now.first() + now.step() - 1) / now.step() * now.step();
        rest = Strand::new(now.first() + behind, now.last(), now.step());
    }
    pieces.extend(rest);
    pieces
}

fn cut(pattern: &PathPattern, frames: &Strand) -> (Vec<Cut>, Vec<Run>) {
    let mut cutter = Cutter {
        cuts: Vec::new(),
        runs: Vec::new(),
        text: String::new(),
        digits: 0,
    };
    let negative = frames.last() < 0;
    let length = frames.first().unsigned_abs().to_string().len();
    for piece in pattern.pieces() {
        match piece {
            Piece::Text(text) => {
                for c in text.chars() {
                    match c.to_digit(10) {
                        Some(digit) => cutter.number(1, i128::from(digit), 0),
                        None => cutter.text(c),
                    }
                }
            }
            Piece::Frame(field) => {
                if negative {
                    cutter.text('-');
                }
                let width = match field {
                    FrameField::Digits(digits) => usize::from(*digits),
                    FrameField::Any => 1,
                };
                cutter.number(length.max(width), 0, if negative { -1 } else { 1 });
            }
        }
    }
    cutter.finish()
}

struct Cutter {
    cuts: Vec<Cut>,
    runs: Vec<Run>,
    text: String,
    digits: usize,
}

impl Cutter {
    fn text(&mut self, c: char) {
        self.end_digits();
        self.text.push(c);
    }

    fn number(&mut self, digits: usize, base: i128, scale: i128) {
        if self.digits == 0 {
            if !self.text.is_empty() {
                let text = std::mem::take(&mut self.text);
                self.cuts.push(Cut::Text(text.into()));
            }
            self.runs.push(Run { base: 0, scale: 0 });
        }
        self.digits += digits;
        let shift = 10_i128
            .checked_pow(u32::try_from(digits).unwrap_or(0))
            .unwrap_or(1);
        if let Some(run) = self.runs.last_mut() {
            // Runs of more than some 35 digits lose their highest places, which only makes them
            // meet more often than they should.
            run.base = run.base.wrapping_mul(shift).wrapping_add(base);
            run.scale = run.scale.wrapping_mul(shift).wrapping_add(scale);
        }
    }

    fn end_digits(&mut self) {
        if self.digits > 0 {
            self.cuts.push(Cut::Digits(self.digits));
            self.digits = 0;
        }
    }

    fn finish(mut self) -> (Vec<Cut>, Vec<Run>) {
        self.end_digits();
        if !self.text.is_empty() {
            self.cuts.push(Cut::Text(self.text.into()));
        }
        (self.cuts, self.runs)
    }
}

/// Splits a bucket into members that may meet: those whose intervals overlap in every run.
fn close_together(bucket: Vec<Member>) -> Vec<Vec<Member>> {
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
            let mut current: Vec<Member> = Vec::new();
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

/// Union of sets that were found to belong together.
struct Groups {
    parent: Vec<usize>,
    size: Vec<usize>,
}

impl Groups {
    fn new(count: usize) -> Self {
        Self {
            parent: (0..count).collect(),
            size: vec![1; count],
        }
    }

    fn root(&mut self, mut index: usize) -> usize {
        while self.parent[index] != index {
            self.parent[index] = self.parent[self.parent[index]];
            index = self.parent[index];
        }
        index
    }

    fn join(&mut self, one: usize, two: usize) {
        let (one, two) = (self.root(one), self.root(two));
        if one != two {
            let (low, high) = (one.min(two), one.max(two));
            self.parent[high] = low;
            self.size[low] += self.size[high];
        }
    }
}
