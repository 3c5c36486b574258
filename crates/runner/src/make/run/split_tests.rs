//! What is known of clips of which nobody says whether they may be split, while this run finds it out.

use std::collections::HashMap;
use std::sync::Mutex;

use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::FrameSet;
use truepath_core::plan::PlannedProcess;
use truepath_core::split::{Decision, FoundSplit, JudgedPlace, Place, decide};

use super::Failure;
use crate::lock::lock;

/// The clips, by the index of the first of the deliverables that share their processes.
#[derive(Default)]
pub(super) struct SplitTests {
    all: Mutex<HashMap<DeliverableId, SplitTest>>,
}

/// One clip.
#[derive(Default)]
struct SplitTest {
    /// Its places that were not begun, in order.
    places: Vec<Place>,
    /// How many places are begun and not judged.
    open: usize,
    /// How many places hold pictures.
    held: usize,
    judged: Vec<JudgedPlace>,
    found: Option<FoundSplit>,
    /// What was published of its places.
    published: Vec<(DeliverableId, FrameSet)>,
    /// What failed of its places.
    failures: Vec<Failure>,
}

/// What is to be done with a clip.
pub(super) enum Step {
    /// To render these places.
    Try(Vec<Place>),
    /// To write down what was found, and to let go of the pictures that are held.
    Found(FoundSplit),
    /// To lay out its chunks.
    LayOut(FoundSplit),
}

impl SplitTests {
    fn with<T>(&self, planned: &PlannedProcess, act: impl FnOnce(&mut SplitTest) -> T) -> T {
        let index = *planned.deliverables.first();
        act(lock(&self.all).entry(index).or_default())
    }

    /// A clip has these places.
    pub(super) fn begin(&self, planned: &PlannedProcess, places: Vec<Place>) {
        self.with(planned, |test| test.places = places);
    }

    /// What is to be done with a clip now.
    pub(super) fn step(&self, planned: &PlannedProcess) -> Step {
        self.with(planned, |test| {
            if let Some(found) = &test.found {
                return Step::LayOut(found.clone());
            }
            match decide(&test.judged, !test.places.is_empty()) {
                Decision::Try(places) => {
                    let places = places.min(test.places.len());
                    test.open += places;
                    test.held += places;
                    Step::Try(test.places.drain(..places).collect())
                }
                Decision::Found(found) => Step::Found(found),
            }
        })
    }

    /// A place has brought nothing.
    pub(super) fn failed(&self, planned: &PlannedProcess, failures: Vec<Failure>) {
        self.with(planned, |test| test.failures.extend(failures));
    }

    /// What failed of its places, the first time that this is asked for.
    pub(super) fn take_failures(&self, planned: &PlannedProcess) -> Vec<Failure> {
        self.with(planned, |test| std::mem::take(&mut test.failures))
    }

    /// It is found.
    pub(super) fn found(&self, planned: &PlannedProcess, found: FoundSplit) {
        self.with(planned, |test| test.found = Some(found));
    }

    /// What was found, if it was.
    pub(super) fn known(&self, planned: &PlannedProcess) -> Option<FoundSplit> {
        self.with(planned, |test| test.found.clone())
    }

    /// A place was judged.
    pub(super) fn judged(&self, planned: &PlannedProcess, judged: JudgedPlace) {
        self.with(planned, |test| {
            test.open = test.open.saturating_sub(1);
            test.judged.push(judged);
        });
    }

    /// A place holds no pictures any more, and has brought these.
    pub(super) fn released(
        &self,
        planned: &PlannedProcess,
        published: Vec<(DeliverableId, FrameSet)>,
    ) {
        self.with(planned, |test| {
            test.held = test.held.saturating_sub(1);
            test.published.extend(published);
        });
    }

    /// Some frames of a deliverable without those that a place has brought.
    pub(super) fn without_published(
        &self,
        planned: &PlannedProcess,
        index: DeliverableId,
        frames: FrameSet,
    ) -> FrameSet {
        let first = *planned.deliverables.first();
        let all = lock(&self.all);
        let published = all.get(&first).map_or(&[][..], |test| &test.published);
        let of_it = published.iter().filter(|(one, _)| *one == index);
        of_it.fold(frames, |frames, (_, published)| {
            frames.difference(published).unwrap_or(frames)
        })
    }

    /// Whether it can be decided what becomes of a clip.
    pub(super) fn may_decide(&self, planned: &PlannedProcess, is_begun: bool) -> bool {
        !is_begun
            || self.with(planned, |test| match test.found {
                None => test.open == 0,
                Some(_) => test.held == 0,
            })
    }

    /// Whether a place can go on: one that is judged waits until it is known what becomes of its clip.
    pub(super) fn may_go_on(&self, planned: &PlannedProcess, is_judged: bool) -> bool {
        !is_judged || self.with(planned, |test| test.found.is_some())
    }
}
