//! The plan: the invocations, in order.

use std::sync::Arc;

use crate::deliverable::{Deliverable, Expansion};
use crate::engine::{PassesTake, Takes};
use crate::frames::{FrameSet, Strand};
use crate::job::Word;

/// One process to start. Its arguments are written out on demand.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Invocation {
    /// Indices of the deliverables that it makes, all of one shot, output, camera and engine.
    pub deliverables: Vec<usize>,
    /// The frames that it makes of each.
    pub frames: FrameSet,
}

impl Invocation {
    /// How many files it makes.
    #[must_use]
    pub fn files(&self) -> u64 {
        self.frames.count() * self.deliverables.len() as u64
    }

    /// A short name for logs and folders, of ASCII letters, digits and `-`.
    #[must_use]
    pub fn name(&self, deliverables: &[Deliverable]) -> String {
        let one = &deliverables[self.deliverables[0]];
        let common = &one.common;
        let pass = one.pass.as_ref().filter(|_| self.deliverables.len() == 1);
        let mut name = String::new();
        for word in [
            Some(common.shot.as_str()),
            Word::text_of(common.variant.as_ref()),
            Word::text_of(common.view.as_ref()),
            Word::text_of(common.camera.as_ref()),
            Some(common.output.as_str()),
            Word::text_of(pass),
        ]
        .into_iter()
        .flatten()
        {
            let plain: String = word
                .chars()
                .map(|c| if c.is_ascii_alphanumeric() { c } else { '-' })
                .take(24)
                .collect();
            name.push_str(plain.trim_matches('-'));
            name.push('-');
        }
        let (first, last) = (
            self.frames.first().unwrap_or(0),
            self.frames.last().unwrap_or(0),
        );
        if first == last {
            format!("{name}{first}")
        } else {
            format!("{name}{first}-{last}")
        }
    }
}

/// The invocations that make the wanted frames of each deliverable; `wanted` gives the frames of
/// the deliverable with an index.
#[must_use]
pub fn plan(expansion: &Expansion, wanted: &dyn Fn(usize) -> FrameSet) -> Vec<Invocation> {
    let all = &expansion.deliverables;
    let mut groups: Vec<(Vec<usize>, FrameSet)> = Vec::new();
    for (index, deliverable) in all.iter().enumerate() {
        let frames = wanted(index);
        if frames.is_empty() {
            continue;
        }
        let together = deliverable.common.engine.passes == PassesTake::All;
        // Passes of one output stand side by side, so the search never goes far back.
        let mate = groups
            .iter_mut()
            .rev()
            .take_while(|(members, _)| {
                together && Arc::ptr_eq(&all[members[0]].common, &deliverable.common)
            })
            .find(|(members, known)| alike(&all[members[0]], deliverable) && *known == frames);
        match mate {
            Some((members, _)) => members.push(index),
            None => groups.push((vec![index], frames)),
        }
    }
    groups
        .into_iter()
        .flat_map(|(deliverables, frames)| {
            let takes = all[deliverables[0]].common.engine.takes;
            pieces(&frames, takes)
                .into_iter()
                .map(move |frames| Invocation {
                    deliverables: deliverables.clone(),
                    frames,
                })
        })
        .collect()
}

/// Whether one process can make two passes of an output: the same but for the path.
fn alike(one: &Deliverable, other: &Deliverable) -> bool {
    // What goes into one file comes out of one process of its own.
    one.planes.len() == 1
        && other.planes.len() == 1
        && one.picture.said() == other.picture.said()
        && one
            .settings
            .iter()
            .map(|(key, word)| (key, &word.text))
            .eq(other.settings.iter().map(|(key, word)| (key, &word.text)))
}

/// The frames in pieces that one process can take.
fn pieces(frames: &FrameSet, takes: Takes) -> Vec<FrameSet> {
    match takes {
        Takes::List => vec![frames.clone()],
        Takes::Stepped => frames
            .strands()
            .iter()
            .copied()
            .map(FrameSet::from_strand)
            .collect(),
        Takes::Range => frames
            .gapless(u64::MAX)
            .into_iter()
            .map(|(first, last)| FrameSet::range(first, last))
            .collect(),
        Takes::One | Takes::Nothing => frames
            .iter()
            .map(|frame| FrameSet::from_strand(Strand::single(frame)))
            .collect(),
    }
}
