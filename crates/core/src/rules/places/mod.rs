//! Places and disks. A new rule is a file here, and a line in the list.

mod among_scenes;
mod disk_space;
mod outside_place;
mod personal_folder;
mod place_elsewhere;
mod place_missing;
mod place_not_writable;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &outside_place::RULE,
    &place_elsewhere::RULE,
    &place_missing::RULE,
    &place_not_writable::RULE,
    &personal_folder::RULE,
    &among_scenes::RULE,
    &disk_space::RULE,
];
