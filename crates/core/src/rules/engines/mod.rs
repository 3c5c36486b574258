//! Engines and scenes. A new rule is a file here, and a line in the list.

mod engine_not_set;
mod flag_without_value;
mod frames_engine_cannot_take;
mod layers_engine_cannot_write;
mod name_not_passed;
mod needed_file_local;
mod needed_file_missing;
mod no_scene_facts;
mod not_passed_to_engine;
mod old_program;
mod picture_engine_cannot_write;
mod program_missing;
mod refused_argument;
mod replaces_shipped;
mod same_picture;
mod scene_changed;
mod scene_file_missing;
mod scene_files_unwatched;
mod scene_missing;
mod scene_not_set;
mod setting_of_engine;
mod single_threaded;
mod target_not_passed;
mod unknown;
mod unknown_camera;
mod unknown_engine;
mod unknown_pass;
mod unknown_setting;
mod unsaved_scene;
mod variable_missing;
mod writes_true_names;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &unknown_engine::RULE,
    &engine_not_set::RULE,
    &program_missing::RULE,
    &scene_missing::RULE,
    &picture_engine_cannot_write::RULE,
    &frames_engine_cannot_take::RULE,
    &refused_argument::RULE,
    &layers_engine_cannot_write::RULE,
    &not_passed_to_engine::RULE,
    &old_program::RULE,
    &variable_missing::RULE,
    &unknown_camera::RULE,
    &unknown_pass::RULE,
    &unknown_setting::RULE,
    &needed_file_missing::RULE,
    &needed_file_local::RULE,
    &scene_changed::RULE,
    &unsaved_scene::RULE,
    &single_threaded::RULE,
    &setting_of_engine::RULE,
    &writes_true_names::RULE,
    &no_scene_facts::RULE,
    &same_picture::RULE,
    &name_not_passed::RULE,
    &flag_without_value::RULE,
    &scene_file_missing::RULE,
    &replaces_shipped::RULE,
    &target_not_passed::RULE,
    &scene_not_set::RULE,
    &scene_files_unwatched::RULE,
];
