//! Movies. A new rule is a file here, and a line in the list.

mod codec_not_said;
mod container_not_said;
mod pass_not_said;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &container_not_said::RULE,
    &codec_not_said::RULE,
    &pass_not_said::RULE,
];
