//! What several commands say of the states of files, in the same words.

use std::path::PathBuf;

use truepath_runner::record::ledger::Failed;

use super::{ERROR, frames_of};

/// Why frames cannot be verified, and what can be done, in the lines below them.
pub(crate) fn unverifiable(reason: &str) -> String {
    format!(
        "\n         nobody knows whether they are whole: {reason}.\n         They stay as they are; `unverifiable = \"allow\"` in the job takes them for whole"
    )
}

/// Frames of a deliverable that could not be made, and why.
pub(crate) fn failure(label: &str, failed: &Failed) -> String {
    let frames = frames_of(&failed.frames.parse().unwrap_or_default());
    format!(
        "\n{ERROR}failed{ERROR:#}  {label}: {frames}\n        {}",
        failed.reason
    )
}

/// What has changed since frames were made, in one line.
pub(crate) fn changes(all: &[String]) -> String {
    match all {
        [] => "other settings or another state of the scene made them".to_owned(),
        all => all.join("; "),
    }
}

/// Says in one line that folders in which runs set files aside are left out.
pub(crate) fn remark_on_set_aside(folders: &[PathBuf]) {
    let Some(first) = folders.first() else {
        return;
    };
    let more = match folders.len() - 1 {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    super::remark(&format!(
        "{}{more} left out: runs set files aside there; name the folder to take them",
        first.display()
    ));
}
