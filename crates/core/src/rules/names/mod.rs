//! Names and paths. A new rule is a file here, and a line in the list.

mod ambiguous_template;
mod clash;
mod doubled_extension;
mod extension_of_format;
mod foreign_notation;
mod glued_digits;
mod left_out_token;
mod long_name;
mod long_path;
mod mark;
mod movie_with_frame;
mod no_extension;
mod no_frame_token;
mod path_not_set;
mod plain_names;
mod same_file_elsewhere;
mod same_path;
mod scattered;
mod shared_folder;
mod short_padding;
mod undeclared;
mod unknown_token;
mod unlisted;
mod value_missing;
mod variable_notation;
mod version_not_read;
mod windows_names;

use super::Rule;

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &no_frame_token::RULE,
    &same_path::RULE,
    &left_out_token::RULE,
    &glued_digits::RULE,
    &short_padding::RULE,
    &no_extension::RULE,
    &doubled_extension::RULE,
    &extension_of_format::RULE,
    &unknown_token::RULE,
    &value_missing::RULE,
    &path_not_set::RULE,
    &undeclared::RULE,
    &unlisted::RULE,
    &version_not_read::RULE,
    &ambiguous_template::RULE,
    &same_file_elsewhere::RULE,
    &windows_names::RULE,
    &long_name::RULE,
    &long_path::RULE,
    &plain_names::RULE,
    &scattered::RULE,
    &movie_with_frame::RULE,
    &shared_folder::RULE,
    &foreign_notation::RULE,
    &variable_notation::RULE,
];
