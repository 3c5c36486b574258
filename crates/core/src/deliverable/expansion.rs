//! What a job expands to: its deliverables, and what could not be expanded.

use std::collections::HashMap;
use std::sync::Arc;

use super::problem::{Problem, ProblemKind};
use super::share::Share;
use super::{Common, Deliverable};
use crate::frames::FrameSet;
use crate::job::{Job, Jobs};
use crate::profile::Profile;
use crate::source::Place;
use crate::split::{FoundSplit, Split};

/// What a job expands to.
#[derive(Debug, Clone, Default)]
pub struct Expansion {
    /// What is to be made, in the order of the job.
    pub deliverables: Vec<Deliverable>,
    /// What could not be expanded; no mistake is reported twice.
    pub problems: Vec<Problem>,
    /// Scenes of which the frames are not known and no shot says them, with their engines.
    pub without_frames: Vec<(Arc<Profile>, String)>,
    /// The share of the work that was chosen; frames of other shares are not among the chosen.
    pub share: Option<Share>,
}

impl Expansion {
    /// How many processes run at once: as the job says it, else one where it says how many frames each takes, and
    /// else as many as keep all cores busy.
    #[must_use]
    pub fn jobs(&self, job: &Job) -> Jobs {
        let is_chunked = || {
            let all = self.deliverables.iter();
            all.clone().any(|one| one.common.processes.is_chunk_set)
        };
        job.jobs().unwrap_or_else(|| {
            if is_chunked() {
                Jobs::Fixed(1)
            } else {
                Jobs::Auto
            }
        })
    }

    /// Leaves only these frames of each deliverable, in their order, among the chosen ones.
    pub fn keep_frames(&mut self, frames: &[FrameSet]) {
        // Passes that were of one process stay so.
        let mut known: HashMap<(*const Common, String), Arc<Common>> = HashMap::new();
        for (one, frames) in self.deliverables.iter_mut().zip(frames) {
            let key = (Arc::as_ptr(&one.common), frames.to_string());
            let common = known.entry(key).or_insert_with(|| {
                let mut common = (*one.common).clone();
                common.frames.selected = frames.clone();
                Arc::new(common)
            });
            one.common = Arc::clone(common);
        }
    }

    /// Takes over what runs have found about the clips of which nobody says whether they may be split.
    pub fn take_found(&mut self, found: &mut dyn FnMut(&Deliverable) -> Option<FoundSplit>) {
        // Passes that were of one process stay so.
        let mut known: HashMap<*const Common, Arc<Common>> = HashMap::new();
        for one in &mut self.deliverables {
            if !one.is_split_unknown() {
                continue;
            }
            let key = Arc::as_ptr(&one.common);
            let common = match known.get(&key) {
                Some(common) => Arc::clone(common),
                None => {
                    let mut common = Arc::clone(&one.common);
                    if let Some(found) = found(one) {
                        Arc::make_mut(&mut common).processes.split = Split::Found(found);
                    }
                    known.insert(key, Arc::clone(&common));
                    common
                }
            };
            one.common = common;
        }
    }

    /// Leaves only what a bundle makes: frames by the labels of their deliverables.
    pub(super) fn keep_part(&mut self, part: &[(String, FrameSet)]) {
        let by_label: HashMap<&str, &FrameSet> = part
            .iter()
            .map(|(label, frames)| (label.as_str(), frames))
            .collect();
        let kept: Vec<FrameSet> = self
            .deliverables
            .iter()
            .map(|one| {
                let frames = by_label.get(one.label().as_str());
                frames.map_or_else(FrameSet::empty, |frames| {
                    let chosen = one.common.frames.selected.iter();
                    FrameSet::from_frames(chosen.filter(|frame| frames.contains(*frame)))
                })
            })
            .collect();
        self.keep_frames(&kept);
        // Nothing is asked of scenes and sounds that were left at home.
        self.deliverables
            .retain(|one| !one.common.frames.selected.is_empty());
    }

    /// Adds a problem; the same one at the same place is counted.
    pub(super) fn report(&mut self, kind: ProblemKind, place: Place, deliverables: u64) {
        let problem = Problem {
            kind,
            place,
            deliverables,
        };
        problem.add_to(&mut self.problems);
    }

    /// Whether there is so much to look at that several threads are worth starting.
    pub(crate) fn is_large(&self) -> bool {
        self.deliverables.len() > 1000
    }

    /// This and another part of the same job.
    pub(super) fn and(mut self, other: Self) -> Self {
        self.deliverables.extend(other.deliverables);
        self.without_frames.extend(other.without_frames);
        for problem in other.problems {
            problem.add_to(&mut self.problems);
        }
        self
    }
}
