//! How results are shown.

pub(crate) mod drawing;
pub(crate) mod finding;
pub(crate) mod live;
pub(crate) mod output;
pub(crate) mod pace;
pub(crate) mod progress;
pub(crate) mod reading;
pub(crate) mod sarif;
pub(crate) mod states;
pub(crate) mod strips;
pub(crate) mod terminal;
pub(crate) mod verdict;

use std::io::{self, IsTerminal, Write};
use std::os::fd::AsFd;
use std::sync::atomic::{AtomicBool, Ordering};

pub(crate) use output::{ERROR, FAINT, GOOD, NOTE, TITLE, WARNING, out};
pub(crate) use truepath_core::finding::count;
use truepath_core::frames::FrameSet;

/// The columns that `COLUMNS` sets, as shells do, else those of the terminal behind a stream; what is
/// written elsewhere has the same width everywhere.
pub(crate) fn columns(stream: impl AsFd, otherwise: usize) -> usize {
    let from_variable = std::env::var("COLUMNS")
        .ok()
        .and_then(|text| text.parse().ok());
    let seen = || terminal_size::terminal_size_of(stream).map(|(width, _)| usize::from(width.0));
    from_variable.or_else(seen).unwrap_or(otherwise).max(40)
}

/// A line of results. Whoever reads no more is no error.
pub(crate) fn print(line: &str) -> io::Result<()> {
    let line = output::painted(&format!("{line}\n"));
    match anstream::stdout().write_all(line.as_bytes()) {
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
        printed => printed,
    }
}

/// Whether only results and errors are printed.
static QUIET: AtomicBool = AtomicBool::new(false);

/// Whether the terminal can show a screen that changes.
pub(crate) fn is_live() -> bool {
    let is_dumb = std::env::var_os("TERM").is_some_and(|kind| kind == "dumb");
    io::stderr().is_terminal() && !is_dumb && !is_quiet()
}

/// From now on only results and errors are printed.
pub(crate) fn be_quiet() {
    QUIET.store(true, Ordering::Relaxed);
}

/// Whether only results and errors are printed.
pub(crate) fn is_quiet() -> bool {
    QUIET.load(Ordering::Relaxed)
}

/// A line on standard error, unless only results and errors are wanted. A terminal that was closed is
/// no reason to stop.
pub(crate) fn remark(line: &str) {
    if !is_quiet() {
        alert(line);
    }
}

/// A line on standard error that is printed in any case.
pub(crate) fn alert(line: &str) {
    // In one call: several runs may share a terminal.
    let line = output::painted(&format!("{line}\n"));
    let _ = anstream::stderr().write_all(line.as_bytes());
}

/// `1 file`, `2 files`
pub(crate) fn files(number: u64) -> String {
    count(number, "file", "files")
}

/// `frame 7`, `frames 1-9,12`
pub(crate) fn frames_of(frames: &FrameSet) -> String {
    match frames.count() {
        1 => format!("frame {frames}"),
        _ => format!("frames {frames}"),
    }
}

/// `512 B`, `1.5 MB`: bytes in powers of ten.
pub(crate) fn bytes(number: u64) -> String {
    let units = ["kB", "MB", "GB", "TB", "PB"];
    if number < 1000 {
        return format!("{number} B");
    }
    let mut value = number as f64;
    let mut unit = "";
    for next in units {
        value /= 1000.0;
        unit = next;
        if value < 999.5 {
            break;
        }
    }
    if value < 9.95 {
        format!("{value:.1} {unit}")
    } else {
        format!("{value:.0} {unit}")
    }
}

/// `3.2 s`, `4:05 min`, `1:02:05 h`: how long frames play.
pub(crate) fn playing_time(seconds: f64) -> String {
    let whole = seconds.round() as u64;
    match whole {
        0..60 => format!("{seconds:.1} s"),
        60..3600 => format!("{}:{:02} min", whole / 60, whole % 60),
        _ => format!(
            "{}:{:02}:{:02} h",
            whole / 3600,
            whole % 3600 / 60,
            whole % 60
        ),
    }
}

/// So many things that are wrong with ledgers are shown one by one.
const MOST_WARNINGS: usize = 10;

/// Warns of what is wrong with ledgers.
pub(crate) fn warn_of_ledgers(state: &std::path::Path, remarks: &[String]) {
    for remark in remarks.iter().take(MOST_WARNINGS) {
        alert(&format!(
            "{WARNING}warning{WARNING:#}: {}",
            state.join(remark).display()
        ));
    }
    if let Some(more) = remarks.len().checked_sub(MOST_WARNINGS + 1) {
        alert(&format!(
            "{WARNING}warning{WARNING:#}: and {} like these",
            count(more as u64 + 1, "more", "more")
        ));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_and_times_are_short() {
        for (number, text) in [
            (0, "0 B"),
            (999, "999 B"),
            (1500, "1.5 kB"),
            (999_900, "1.0 MB"),
            (25_000_000_000, "25 GB"),
        ] {
            assert_eq!(bytes(number), text);
        }
        for (seconds, text) in [(0.4, "0.4 s"), (245.0, "4:05 min"), (3725.0, "1:02:05 h")] {
            assert_eq!(playing_time(seconds), text);
        }
    }
}
