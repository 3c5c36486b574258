//! How results are shown.

pub(crate) mod finding;
pub(crate) mod progress;

use anstyle::{AnsiColor, Style};

/// Something is wrong.
pub(crate) const ERROR: Style = AnsiColor::Red.on_default().bold();
/// All is well.
pub(crate) const GOOD: Style = AnsiColor::Green.on_default().bold();
/// Something to look at.
pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default().bold();
/// What a block is about.
pub(crate) const TITLE: Style = Style::new().bold();
/// What stands beside it.
pub(crate) const FAINT: Style = Style::new().dimmed();

pub(crate) use truepath_core::finding::count;

/// `1 file`, `2 files`
pub(crate) fn files(number: u64) -> String {
    count(number, "file", "files")
}
