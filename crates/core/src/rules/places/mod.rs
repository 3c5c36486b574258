//! Places and disks. A new rule is a file here, and a line in the list.

mod outside_place;
mod place_elsewhere;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[&outside_place::RULE, &place_elsewhere::RULE];
