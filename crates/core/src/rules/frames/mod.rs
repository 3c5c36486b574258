//! Frames. A new rule is a file here, and a line in the list.

mod empty_frames;
mod frames_not_said;
mod preset_writes_over;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &empty_frames::RULE,
    &frames_not_said::RULE,
    &preset_writes_over::RULE,
];
