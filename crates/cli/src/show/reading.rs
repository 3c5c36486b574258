//! Shows how far the reading of many files is: a bar on a terminal, a line now and then elsewhere.

use std::sync::Mutex;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressStyle};
use truepath_runner::follow::audit::AuditProgress;

use super::pace::rough;
use super::{FAINT, bytes, files, is_live, remark};

/// How often a line is printed where there is no bar.
const BETWEEN_LINES: Duration = Duration::from_secs(5);

/// Shows how far reading is, on standard error.
pub(crate) struct ReadingProgress {
    bar: Option<ProgressBar>,
    began: Instant,
    printed: Mutex<Instant>,
}

impl ReadingProgress {
    pub(crate) fn new() -> Self {
        let bar = || {
            let bar = ProgressBar::new(0);
            // The pattern is a constant, so the default is never taken.
            let style = ProgressStyle::with_template("{bar:24} {pos} of {len}  {msg}");
            bar.set_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()));
            bar
        };
        let now = Instant::now();
        Self {
            bar: is_live().then(bar),
            began: now,
            printed: Mutex::new(now),
        }
    }

    /// Shows how far it is.
    pub(crate) fn show(&self, progress: AuditProgress) {
        let seconds = self.began.elapsed().as_secs_f64().max(0.001);
        if let Some(bar) = &self.bar {
            bar.set_length(progress.of);
            bar.set_message(pace(progress, seconds));
            bar.set_position(progress.files);
            return;
        }
        let Ok(mut printed) = self.printed.lock() else {
            return;
        };
        if printed.elapsed() >= BETWEEN_LINES {
            *printed = Instant::now();
            remark(&format!(
                "{FAINT}{} of {} read, {}{FAINT:#}",
                progress.files,
                files(progress.of),
                pace(progress, seconds)
            ));
        }
    }

    /// Takes the bar away.
    pub(crate) fn end(&self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}

/// `85 files/s, 410 MB/s, 19 min left`
fn pace(progress: AuditProgress, seconds: f64) -> String {
    let rate = progress.files as f64 / seconds;
    let left = progress.of.saturating_sub(progress.files) as f64 / rate.max(0.001);
    format!(
        "{rate:.0} files/s, {}/s, {} left",
        bytes((progress.bytes as f64 / seconds) as u64),
        rough(left)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_pace_is_files_bytes_and_the_time_left() {
        let progress = AuditProgress {
            files: 200,
            bytes: 1_000_000_000,
            of: 1000,
        };
        assert_eq!(pace(progress, 2.0), "100 files/s, 500 MB/s, 8 s left");
    }
}
