//! Finished pictures that are whole and may still be wrong. They are judged only where they were read.

mod broken_values;
mod constant_alpha;
mod fast_frame;
mod few_samples;
mod one_color;
mod other_kind;
mod part_not_rendered;
mod picture_jumps;
mod repeated_frame;
mod same_pixels;
mod small_file;

use crate::finding::Finding;
use crate::frames::{Frame, FrameSet};
use crate::job::StopOn;
use crate::question::FinishedPicture;
use crate::rules::{Rule, Subject};

/// Whether a finding is what a run stops at.
pub(super) fn stops(word: StopOn, finding: &Finding) -> bool {
    let is_of = |rule: &Rule| finding.code == rule.code;
    match word {
        StopOn::BrokenValues => is_of(&broken_values::RULE),
        StopOn::Black => is_of(&one_color::RULE) && finding.sentence.ends_with("black all over"),
        StopOn::OneColor => is_of(&one_color::RULE),
        StopOn::ConstantAlpha => is_of(&constant_alpha::RULE),
        StopOn::SamePicture => is_of(&same_pixels::RULE),
    }
}

/// A frame, its value, and the value that is usual beside it.
type Lesser<T> = (Frame, T, T);

/// A finding for each deliverable with frames that are less than their neighbours: `find` gives them with a value and
/// the one that is usual there, and `what` says so of the first of them, in words that begin with a verb in the plural.
fn less_than_neighbours<T: Copy>(
    rule: &Rule,
    subject: &Subject<'_>,
    find: fn(&[FinishedPicture]) -> Vec<Lesser<T>>,
    what: fn(Frame, T, T) -> String,
) -> Vec<Finding> {
    subject
        .finished()
        .filter_map(|(one, pictures)| {
            let rows = subject.rows(one, pictures).into_iter();
            let found: Vec<_> = rows.flat_map(find).collect();
            let (frame, value, usual) = *found.first()?;
            let frames = FrameSet::from_frames(found.iter().map(|(frame, ..)| *frame));
            Some(
                subject
                    .of_frames(rule, one, &frames, &what(frame, value, usual))
                    .so("there may be less in the picture than there should be"),
            )
        })
        .collect()
}

/// Those that judge a picture whatever comes after it.
pub(super) const WITHOUT_NEIGHBOURS: &[&Rule] = &[
    &broken_values::RULE,
    &one_color::RULE,
    &constant_alpha::RULE,
    &same_pixels::RULE,
    &few_samples::RULE,
    &other_kind::RULE,
];

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &broken_values::RULE,
    &one_color::RULE,
    &constant_alpha::RULE,
    &part_not_rendered::RULE,
    &repeated_frame::RULE,
    &same_pixels::RULE,
    &picture_jumps::RULE,
    &small_file::RULE,
    &fast_frame::RULE,
    &few_samples::RULE,
    &other_kind::RULE,
];
