//! What a job expands to: its deliverables, and what could not be expanded.

use std::collections::HashMap;
use std::sync::Arc;

use super::problem::{Problem, ProblemKind};
use super::share::Share;
use super::{Common, Deliverable};
use crate::profile::Profile;
use crate::source::Place;

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
    /// The same, with the cores of a machine shared out among the processes that run at once, where
    /// the number of threads is not set. One process alone is left its own choice.
    #[must_use]
    pub fn sharing_cores(mut self, cores: usize, jobs: usize) -> Self {
        if jobs < 2 {
            return self;
        }
        let threads = i64::try_from((cores / jobs).max(1)).ok();
        // Deliverables of one output share what they have in common, and go on sharing it.
        let mut shared: HashMap<*const Common, Arc<Common>> = HashMap::new();
        for one in &mut self.deliverables {
            if one.common.processes.threads.is_none() {
                let known = shared.entry(Arc::as_ptr(&one.common)).or_insert_with(|| {
                    let mut common = (*one.common).clone();
                    common.processes.threads = threads;
                    Arc::new(common)
                });
                one.common = Arc::clone(known);
            }
        }
        self
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

    /// The part of it that can be run: all but the movies that engines write themselves.
    #[must_use]
    pub fn runnable(&self) -> Self {
        let runnable = |one: &&Deliverable| one.movie().is_none_or(|movie| !movie.is_direct());
        Self {
            deliverables: self.deliverables.iter().filter(runnable).cloned().collect(),
            problems: self.problems.clone(),
            without_frames: self.without_frames.clone(),
            share: self.share.clone(),
        }
    }
}
