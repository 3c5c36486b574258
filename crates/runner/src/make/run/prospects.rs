//! Which deliverables can be rendered at all: where the first frames fail, a few spread over all of
//! them are tried before more work is given out.

use std::collections::HashMap;
use std::sync::Mutex;
use truepath_core::deliverable::DeliverableId;

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::PlannedProcess;
use truepath_core::probes::{Probes, Verdict};

use super::split_tests::SplitTests;
use crate::lock::lock;

/// What is known of each deliverable, by the index of the first of those that share a process.
#[derive(Default)]
pub(super) struct Prospects {
    all: Mutex<HashMap<DeliverableId, Prospect>>,
    /// What is known of clips of which nobody says whether they may be split.
    pub(super) splits: SplitTests,
}

struct Prospect {
    probes: Probes,
    /// Why nothing can be rendered, where a process could not even be started.
    impossible: Option<String>,
    reported: bool,
}

impl Prospects {
    /// Of deliverables with the frames that are missing of each; `begun` says of which some are there.
    /// `first_frames` gives those that are tried first in any case.
    pub(super) fn new(
        missing: &[FrameSet],
        begun: &dyn Fn(DeliverableId) -> bool,
        first_frames: &dyn Fn(DeliverableId) -> Option<Vec<Frame>>,
    ) -> Self {
        let mut all = HashMap::new();
        for (index, frames) in DeliverableId::with_each(missing) {
            let mut probes = match first_frames(index) {
                Some(first) => Probes::at(first),
                None => Probes::new(frames),
            };
            if begun(index) {
                probes.rendered();
            }
            let prospect = Prospect {
                probes,
                impossible: None,
                reported: false,
            };
            all.insert(index, prospect);
        }
        Self {
            all: Mutex::new(all),
            splits: SplitTests::default(),
        }
    }

    fn with<T>(&self, planned: &PlannedProcess, act: impl FnOnce(&mut Prospect) -> T) -> Option<T> {
        let index = planned.deliverables.first();
        lock(&self.all).get_mut(index).map(act)
    }

    /// Frames were rendered.
    pub(super) fn rendered(&self, planned: &PlannedProcess) {
        self.with(planned, |one| one.probes.rendered());
    }

    /// A process of some frames brought nothing.
    pub(super) fn failed(
        &self,
        planned: &PlannedProcess,
        frames: &FrameSet,
        evidence: &[(Frame, String)],
    ) {
        self.with(planned, |one| {
            for (frame, reason) in evidence {
                one.probes.failed(*frame, reason);
            }
            if !evidence.is_empty() {
                one.probes.brought_nothing(frames);
            }
        });
    }

    /// No process can be started for it.
    pub(super) fn impossible(&self, planned: &PlannedProcess, reason: &str) {
        self.with(planned, |one| {
            one.impossible.get_or_insert(reason.to_owned());
        });
    }

    /// Frames that another run has.
    pub(super) fn out_of_reach(&self, planned: &PlannedProcess) {
        self.with(planned, |one| {
            for frame in one.probes.left() {
                if planned.frames.contains(frame) {
                    one.probes.out_of_reach(frame);
                }
            }
        });
    }

    /// Whether nothing was rendered so far.
    pub(super) fn nothing_rendered(&self, planned: &PlannedProcess) -> bool {
        self.with(planned, |one| one.probes.nothing_rendered())
            .unwrap_or(false)
    }

    /// What is known.
    pub(super) fn verdict(&self, planned: &PlannedProcess) -> Verdict {
        let verdict = self.with(planned, |one| match &one.impossible {
            Some(reason) => Verdict::NothingWorks(reason.clone()),
            None => one.probes.verdict(),
        });
        verdict.unwrap_or(Verdict::Works)
    }

    /// The next of some frames that is to be tried, where one may be tried now.
    pub(super) fn probe(&self, frames: &FrameSet, planned: &PlannedProcess) -> Option<Frame> {
        self.with(planned, |one| one.probes.next(frames)).flatten()
    }

    /// The next of some frames that is to be tried by who has taken them.
    pub(super) fn probe_of_taken(
        &self,
        frames: &FrameSet,
        planned: &PlannedProcess,
    ) -> Option<Frame> {
        let probe = |one: &mut Prospect| {
            let mut left = one.probes.left().into_iter();
            left.find(|frame| frames.contains(*frame))
        };
        self.with(planned, probe).flatten()
    }

    /// A thread has taken some frames.
    pub(super) fn taken(&self, planned: &PlannedProcess) {
        self.with(planned, |one| one.probes.begun(&planned.frames));
    }

    /// It gives them back.
    pub(super) fn given_back(&self, planned: &PlannedProcess) {
        self.with(planned, |one| one.probes.ended(&planned.frames));
    }

    /// Another frame is tried in place of one.
    pub(super) fn moved(&self, planned: &PlannedProcess, from: Frame, to: Frame) {
        self.with(planned, |one| one.probes.moved(from, to));
    }

    /// A process works for so long that it counts as one that works; whether nobody knew that.
    pub(super) fn lives(&self, planned: &PlannedProcess) -> bool {
        let lives = |one: &mut Prospect| {
            let was_open = one.probes.verdict() == Verdict::Open;
            one.probes.lives();
            was_open
        };
        self.with(planned, lives).unwrap_or(false)
    }

    /// Whether a piece of work can be begun now: while it is open whether anything works, only those
    /// with a frame that is to be tried.
    pub(super) fn may_begin(&self, planned: &PlannedProcess) -> bool {
        match self.verdict(planned) {
            Verdict::Open => self.probe(&planned.frames, planned).is_some(),
            Verdict::Works | Verdict::NothingWorks(_) => true,
        }
    }

    /// Nobody is at work on what is still to be tried: it is given up to find out.
    pub(super) fn settle(&self) {
        for one in lock(&self.all).values_mut() {
            if one.probes.verdict() == Verdict::Open {
                for frame in one.probes.left() {
                    one.probes.out_of_reach(frame);
                }
            }
        }
    }

    /// The frames that were tried and failed.
    pub(super) fn tried(&self, planned: &PlannedProcess) -> FrameSet {
        self.with(planned, |one| one.probes.tried())
            .unwrap_or_default()
    }

    /// The frames that were tried, the first time that this is asked for.
    pub(super) fn tried_once(&self, planned: &PlannedProcess) -> Option<FrameSet> {
        let tried = |one: &mut Prospect| {
            let first = !std::mem::replace(&mut one.reported, true);
            first.then(|| one.probes.tried())
        };
        self.with(planned, tried).flatten()
    }
}
