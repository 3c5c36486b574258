//! The files that one frame alone is made of, by what the profile of its engine says.

use super::{Invocation, fill};
use crate::at_least_one::AtLeastOne;
use crate::deliverable::Deliverable;
use crate::frames::{Frame, FrameSet};

/// The absolute paths of the files that a frame of a deliverable alone is made of; none where its engine knows no such
/// files.
#[must_use]
pub fn frame_files(deliverable: &Deliverable, frame: Frame) -> Vec<String> {
    let profile = &deliverable.common.engine;
    if profile.frame_files.is_empty() {
        return Vec::new();
    }
    let (members, frames) = (AtLeastOne::one(deliverable), FrameSet::range(frame, frame));
    let invocation = Invocation::planned(profile, &members, &frames);
    let templates = profile.frame_files.iter();
    templates
        // What has no value is not given to the engine either.
        .filter_map(|template| {
            fill(template, &|name| invocation.token(name))
                .ok()
                .flatten()
        })
        .collect()
}
