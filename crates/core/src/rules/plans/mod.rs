//! Plans. A new rule is a file here, and a line in the list.

mod beyond_the_cores;
mod nothing_to_do;
mod share_of_nothing;
mod weights_of_shares;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &nothing_to_do::RULE,
    &beyond_the_cores::RULE,
    &share_of_nothing::RULE,
    &weights_of_shares::RULE,
];
