//! Shows a run at work: a bar on a terminal, plain lines elsewhere.

use std::io::IsTerminal;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressStyle};
use truepath_core::deliverable::Deliverable;
use truepath_runner::run::{Event, Watch};

use super::{ERROR, FAINT, WARNING, count, files};

/// Watches a run and shows it on standard error.
pub(crate) struct Progress {
    /// One label for each deliverable, and whether it is a movie.
    labels: Vec<(String, bool)>,
    bar: Option<ProgressBar>,
    to_do: u64,
    done: u64,
    since: Instant,
}

impl Progress {
    pub(crate) fn new(deliverables: &[Deliverable]) -> Self {
        let label = |one: &Deliverable| (one.label(), one.movie().is_some());
        Self {
            labels: deliverables.iter().map(label).collect(),
            bar: std::io::stderr().is_terminal().then(|| ProgressBar::new(0)),
            to_do: 0,
            done: 0,
            since: Instant::now(),
        }
    }

    /// Takes the bar off the screen.
    pub(crate) fn finish(&self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }

    fn say(&self, line: &str) {
        match &self.bar {
            Some(bar) => bar.suspend(|| remark(line)),
            None => remark(line),
        }
    }

    fn begun(&mut self, wanted: u64, there: u64) {
        self.to_do = wanted.saturating_sub(there);
        self.since = Instant::now();
        let there = match there {
            0 => "none is there yet".to_owned(),
            1 => "1 is there already".to_owned(),
            several => format!("{several} are there already"),
        };
        self.say(&format!("{} wanted, {there}", files(wanted)));
        if let Some(bar) = &self.bar {
            // The pattern is a constant, so the default is never taken.
            let style = ProgressStyle::with_template("{bar:30} {pos} of {len}  {msg}")
                .unwrap_or_else(|_| ProgressStyle::default_bar());
            bar.set_style(style.progress_chars("█▌░"));
            bar.set_length(self.to_do);
        }
    }

    /// Which file of a deliverable.
    fn file(&self, deliverable: usize, frame: i64) -> String {
        match &self.labels[deliverable] {
            (label, true) => format!("{label}, the movie"),
            (label, false) => format!("{label} frame {frame}"),
        }
    }

    fn published(&mut self, file: &str) {
        self.done += 1;
        let took = self.since.elapsed().as_secs_f64().max(0.001);
        let rate = self.done as f64 / took;
        let left = self.to_do.saturating_sub(self.done) as f64 / rate;
        let pace = format!("{rate:.1} a second, {} left", rough(left));
        match &self.bar {
            Some(bar) => {
                bar.set_position(self.done);
                bar.set_message(format!("{file}  {pace}"));
            }
            None => self.say(&format!(
                "{file} ({} of {}, {pace})",
                self.done,
                files(self.to_do)
            )),
        }
    }
}

impl Watch for Progress {
    fn see(&mut self, event: &Event<'_>) {
        match event {
            Event::Begun { wanted, there, .. } => self.begun(*wanted, *there),
            Event::Started {
                label, frames, log, ..
            } => {
                if self.bar.is_none() {
                    self.say(&format!(
                        "{FAINT}started {label}, {} (log {}){FAINT:#}",
                        count(frames.count(), "frame", "frames"),
                        log.display()
                    ));
                }
            }
            Event::Published {
                deliverable, frame, ..
            } => {
                let file = self.file(*deliverable, *frame);
                self.published(&file);
            }
            Event::Aside { what, to } => {
                self.say(&format!(
                    "{WARNING}set aside{WARNING:#} {what}\n          it is now {}",
                    to.display()
                ));
            }
            Event::Failed(failure) => {
                let file = self.file(failure.deliverable, failure.frame);
                self.say(&format!(
                    "{ERROR}failed{ERROR:#} {file}: {}",
                    failure.reason
                ));
            }
            Event::Remark(text) => self.say(text),
            Event::Frame { .. } | Event::Percent { .. } | Event::Ended { .. } | Event::Tick => {}
        }
    }
}

/// A line on standard error. A terminal that was closed is no reason to stop.
pub(crate) fn remark(line: &str) {
    use std::io::Write;
    let _ = writeln!(anstream::stderr(), "{line}");
}

/// `40 s`, `3 min`, `2 h 05 min`
pub(crate) fn rough(seconds: f64) -> String {
    let whole = Duration::from_secs_f64(seconds.clamp(0.0, 1e9)).as_secs();
    match whole {
        0..=99 => format!("{whole} s"),
        100..=5999 => format!("{} min", whole.div_ceil(60)),
        _ => format!("{} h {:02} min", whole / 3600, whole % 3600 / 60),
    }
}

#[cfg(test)]
mod tests {
    use super::rough;

    #[test]
    fn times_are_told_roughly() {
        for (seconds, text) in [
            (0.4, "0 s"),
            (75.0, "75 s"),
            (150.0, "3 min"),
            (7500.0, "2 h 05 min"),
        ] {
            assert_eq!(rough(seconds), text);
        }
    }
}
