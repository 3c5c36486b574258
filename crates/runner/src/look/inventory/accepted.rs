//! Files that a run is about to take as they are.

use std::collections::HashMap;
use std::sync::LazyLock;

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};

/// Files that a run is about to take as they are: what is made from them is judged as if it had done so.
#[derive(Debug, Default)]
pub(crate) struct Accepted(HashMap<String, FrameSet>);

impl Accepted {
    /// None.
    pub(super) const NONE: &'static LazyLock<Self> = {
        static NONE: LazyLock<Accepted> = LazyLock::new(Accepted::default);
        &NONE
    };

    pub(crate) fn add(&mut self, deliverable: &Deliverable, frames: FrameSet) {
        if !frames.is_empty() {
            self.0.insert(deliverable.pattern.sketch(), frames);
        }
    }

    pub(super) fn has(&self, deliverable: &Deliverable, frame: Frame) -> bool {
        let frames = || self.0.get(&deliverable.pattern.sketch());
        !self.0.is_empty() && frames().is_some_and(|frames| frames.contains(frame))
    }
}
