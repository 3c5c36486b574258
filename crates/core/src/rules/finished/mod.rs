//! Finished pictures that are whole and may still be wrong. They are judged only where they were read.

mod broken_values;
mod constant_alpha;
mod one_color;
mod part_not_rendered;
mod picture_jumps;
mod repeated_frame;
mod same_pixels;
mod small_file;

use crate::rules::Rule;

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
];
