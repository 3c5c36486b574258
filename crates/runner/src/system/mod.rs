//! What differs by operating system, and nothing else: the rest of the crate asks here.
//!
//! Each system is one folder that gives the same names: process groups and signals (`Group`), processes
//! that engines leave behind (`EngineRegistry`), open files, renaming without replacing, locks, identities and
//! times of files, free space, what processes use (`Usage`), machine and boot. Another system is another folder beside `unix`.

#[cfg(unix)]
#[allow(clippy::disallowed_methods)]
mod unix;

#[cfg(unix)]
pub(crate) use unix::{
    EngineRegistry, Exit, Group, ProcessMarks, Usage, boot, bytes_of_name, changed_at, device,
    exchange, file_number, file_system_without_links, free_space, groups_marked, has_no_links,
    identity, idle_time, is_executable, is_held_by_another, is_of_group, is_open_for_writing,
    is_same_file, is_writable, is_written_in, kill_this_process, lock_file, machine_name,
    make_private, modified_at, name_of_bytes, names, next_data, open_own, pipe_name, rename_new,
    signal_name, symlink, sync_folder, usage_of_tree, user_name, wait_with_usage, works_on,
};
#[cfg(unix)]
pub use unix::{free_memory, in_own_group, is_pipe, lower_priority};
