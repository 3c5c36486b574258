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
    #[cfg(debug_assertions)]
    if std::env::var_os("TRUEPATH_CRASH_AT").is_some_and(|at| at == name) {
        // Like `kill -9`: nothing is flushed, nothing is cleaned up.
        let _ =
            rustix::process::kill_process(rustix::process::getpid(), rustix::process::Signal::KILL);
    }
    let _ = name;
}
