//! Named points between a finished frame and its ledger line, at which a test can kill the run.

/// The points, in the order in which a frame passes them.
pub const POINTS: [&str; 7] = [
    "complete",
    "verified",
    "synced",
    "intent",
    "renamed",
    "folder-synced",
    "ledger",
];

/// Kills the process at once where `TRUEPATH_CRASH_AT` names this point; only in debug builds.
pub(crate) fn point(name: &str) {
    let is_here = || std::env::var_os("TRUEPATH_CRASH_AT").is_some_and(|at| at == name);
    if cfg!(debug_assertions) && is_here() {
        crate::system::kill_this_process();
    }
}
