//! The machine and its user.

use std::fs;

/// The name of this machine.
pub(crate) fn machine_name() -> String {
    let system = rustix::system::uname();
    system.nodename().to_string_lossy().into_owned()
}

/// What is another each time the machine is started; known on Linux, empty elsewhere.
pub(crate) fn boot() -> String {
    let boot = fs::read_to_string("/proc/sys/kernel/random/boot_id").unwrap_or_default();
    boot.trim().to_owned()
}

/// The name of the user, whom the system knows by a number.
pub(crate) fn user_name() -> Option<String> {
    whoami::username().ok()
}
