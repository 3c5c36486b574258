//! Unix, and what only Linux has where others go without.

mod files;
mod machine;
mod open_files;
mod orphans;
mod processes;
mod survivors;
mod usage;

pub use files::is_pipe;
pub use processes::{in_own_group, lower_priority};

pub(crate) use files::{
    bytes_of_name, changed_at, device, exchange, file_number, file_system_without_links,
    free_space, has_no_links, identity, is_executable, is_held_by_another, is_of_group,
    is_same_file, is_writable, lock_file, make_private, modified_at, name_of_bytes, names,
    next_data, open_own, rename_new, symlink, sync_folder,
};
pub(crate) use machine::{boot, machine_name, user_name};
pub(crate) use open_files::{is_open_for_writing, is_written_in};
pub(crate) use orphans::{EngineRegistry, ProcessMarks};
pub(crate) use processes::{Exit, Group, groups_marked, kill_this_process, pipe_name, signal_name};
pub(crate) use survivors::works_on;
pub use usage::free_memory;
pub(crate) use usage::{Usage, idle_time, usage_of_tree, wait_with_usage};
