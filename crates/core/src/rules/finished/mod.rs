//! Finished pictures that are whole and may still be wrong. They are judged only where they were read.

mod broken_values;
mod constant_alpha;
mod fast_frame;
mod one_color;
mod part_not_rendered;
mod picture_jumps;
mod repeated_frame;
mod same_pixels;
mod small_file;

use crate::finding::Finding;
use crate::job::StopOn;
use crate::rules::Rule;

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

/// Those that judge a picture whatever comes after it.
pub(super) const WITHOUT_NEIGHBOURS: &[&Rule] = &[
    &broken_values::RULE,
    &one_color::RULE,
    &constant_alpha::RULE,
    &same_pixels::RULE,
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
];
