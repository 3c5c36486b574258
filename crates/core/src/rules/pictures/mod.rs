//! Pictures. A new rule is a file here, and a line in the list.

mod bits;
mod brightened_twice;
mod channels;
mod color_not_set;
mod compression;
mod crop_outside;
mod layer_frames;
mod layer_pixels;
mod layers_in_format;
mod layers_of_format;
mod linear_in_8_bits;
mod lossy_data;
mod quality_of_nothing;
mod rendered_twice;
mod scale_not_whole;
mod scale_of_nothing;
mod sizes_differ;
mod too_large;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &channels::RULE,
    &bits::RULE,
    &compression::RULE,
    &scale_of_nothing::RULE,
    &crop_outside::RULE,
    &layers_in_format::RULE,
    &lossy_data::RULE,
    &linear_in_8_bits::RULE,
    &rendered_twice::RULE,
    &too_large::RULE,
    &scale_not_whole::RULE,
    &sizes_differ::RULE,
    &color_not_set::RULE,
    &brightened_twice::RULE,
    &quality_of_nothing::RULE,
    &layers_of_format::RULE,
    &layer_pixels::RULE,
    &layer_frames::RULE,
];
