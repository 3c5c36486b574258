//! Pictures. A new rule is a file here, and a line in the list.

mod bits;
mod channels;
mod compression;
mod crop_outside;
mod layers_in_format;
mod scale_of_nothing;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &channels::RULE,
    &bits::RULE,
    &compression::RULE,
    &scale_of_nothing::RULE,
    &crop_outside::RULE,
    &layers_in_format::RULE,
];
