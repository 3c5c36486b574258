//! Frames. A new rule is a file here, and a line in the list.

mod empty_frames;
mod frames_not_set;
mod frames_of_scene;
mod frames_twice;
mod last_left_out;
mod many_processes;
mod option_writes_over;
mod preset_writes_over;
mod sound_length;
mod split_not_known;
mod too_many_frames;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &empty_frames::RULE,
    &frames_not_set::RULE,
    &preset_writes_over::RULE,
    &frames_twice::RULE,
    &last_left_out::RULE,
    &frames_of_scene::RULE,
    &many_processes::RULE,
    &sound_length::RULE,
    &too_many_frames::RULE,
    &split_not_known::RULE,
];
