//! Shows a run at work: a live screen on a terminal, plain lines elsewhere.

use std::io;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressStyle};
use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::forecast::Forecast;
use truepath_runner::clock::Moment;
use truepath_runner::make::run::{Event, Observer};

use super::live::Screen;
use super::output::{painted, plain};
use super::pace::{pace, rough};
use super::{ERROR, FAINT, WARNING, columns, count, files, is_live, remark};

/// The screen is drawn at most so often.
const PAUSE: Duration = Duration::from_millis(100);

/// How often a line about the whole is printed where there is no live screen.
const BETWEEN_LINES: Duration = Duration::from_secs(5);

/// Watches a run and shows it on standard error.
pub(crate) struct ProgressLines {
    /// One label for each deliverable, and whether it is a movie.
    labels: Vec<(String, bool)>,
    /// The live screen, where there is a terminal.
    live: Option<(ProgressBar, Screen)>,
    verbose: bool,
    /// When the last line about the whole was printed.
    printed: Instant,
    colours: bool,
    drawn: Option<Instant>,
    to_do: u64,
    done: u64,
    forecast: Forecast,
    since: Moment,
}

impl ProgressLines {
    /// With `verbose` a line is printed for every file where there is no live screen.
    pub(crate) fn new(deliverables: &[Deliverable], verbose: bool) -> Self {
        let label = |one: &Deliverable| (one.label(), one.movie().is_some());
        let live = || {
            let bar = ProgressBar::new_spinner();
            // The pattern is a constant, so the default is never taken.
            let style = ProgressStyle::with_template("{msg}")
                .unwrap_or_else(|_| ProgressStyle::default_spinner());
            bar.set_style(style);
            (bar, Screen::new(deliverables))
        };
        let choice = anstream::AutoStream::choice(&std::io::stderr());
        Self {
            labels: deliverables.iter().map(label).collect(),
            live: (is_live() && !verbose).then(live),
            verbose,
            printed: Instant::now(),
            colours: choice != anstream::ColorChoice::Never,
            drawn: None,
            to_do: 0,
            done: 0,
            forecast: Forecast::default(),
            since: Moment::now(),
        }
    }

    /// Lines above the live screen.
    pub(crate) fn set_heading(&mut self, lines: Vec<(String, String)>) {
        if let Some((_, screen)) = &mut self.live {
            screen.heading = lines;
        }
    }

    /// Takes the screen away.
    pub(crate) fn finish(&self) {
        if let Some((bar, _)) = &self.live {
            bar.finish_and_clear();
        }
    }

    fn say(&self, line: &str) {
        match &self.live {
            Some((bar, _)) => bar.suspend(|| remark(line)),
            None => remark(line),
        }
    }

    /// Draws the screen, where it is time to.
    fn draw(&mut self) {
        let Some((bar, screen)) = &self.live else {
            return;
        };
        if self.drawn.is_some_and(|drawn| drawn.elapsed() < PAUSE) {
            return;
        }
        self.drawn = Some(Instant::now());
        let height = terminal_size::terminal_size().map_or(24, |(_, height)| usize::from(height.0));
        let lines = screen
            .lines(columns(io::stderr(), 80), height, self.since.elapsed())
            .join("\n");
        bar.set_message(if self.colours {
            painted(&lines)
        } else {
            plain(&lines)
        });
        bar.tick();
    }

    fn begun(&mut self, wanted: u64, (there, replaced): (u64, u64), forecast: &Forecast) {
        self.to_do = wanted.saturating_sub(there);
        self.forecast = forecast.clone();
        let there = match (there, replaced) {
            (0, 0) => "none is there yet".to_owned(),
            (0, replaced) => format!("{replaced} there give way to new ones"),
            (there, 0) => format!("{} there already", count(there, "is", "are")),
            (there, replaced) => format!(
                "{} there already, {replaced} more give way to new ones",
                count(there, "is", "are")
            ),
        };
        let left = self.forecast.left(0.0).filter(|_| self.to_do > 0);
        let left = left.map_or_else(String::new, |left| {
            format!("; about {} left, by what it took before", rough(left))
        });
        self.say(&format!("{} wanted, {there}{left}", files(wanted)));
    }

    /// Which file of a deliverable.
    fn file(&self, deliverable: DeliverableId, frame: i64) -> String {
        match &self.labels[deliverable] {
            (label, true) => format!("{label}, the movie"),
            (label, false) => format!("{label} frame {frame}"),
        }
    }

    fn published(&mut self, file: &str, elsewhere: bool) {
        self.done += 1;
        if self.verbose {
            let by = if elsewhere { ", elsewhere" } else { "" };
            let line = format!("{file}{by} ({})", self.whole());
            self.say(&line);
        }
    }

    /// How far the whole is.
    fn whole(&self) -> String {
        let took = self.since.elapsed().as_secs_f64().max(0.001);
        let mut text = format!(
            "{} of {}, {} %, {}",
            self.done,
            files(self.to_do),
            100 * self.done / self.to_do.max(1),
            pace(self.done as f64 / took),
        );
        if let Some(left) = self.forecast.left(took) {
            text.push_str(&format!(", {} left", rough(left)));
        }
        text
    }

    /// Where there is no live screen, a line every few seconds.
    fn line(&mut self) {
        if self.live.is_none() && !self.verbose && self.printed.elapsed() >= BETWEEN_LINES {
            self.printed = Instant::now();
            let whole = self.whole();
            self.say(&whole);
        }
    }
}

impl Observer for ProgressLines {
    fn see(&mut self, event: &Event<'_>) {
        let now = self.since.elapsed();
        let live = self.live.as_mut();
        live.map(|(_, screen)| screen.see(event, now));
        match event {
            Event::Begun {
                wanted,
                there,
                replaced,
                forecast,
                ..
            } => self.begun(*wanted, (*there, *replaced), forecast),
            Event::Started {
                label, frames, log, ..
            } => {
                if self.verbose {
                    self.say(&format!(
                        "{FAINT}started {label}, {} (log {}){FAINT:#}",
                        count(frames.count(), "frame", "frames"),
                        log.display()
                    ));
                }
            }
            Event::Published {
                deliverable,
                frame,
                elsewhere,
                ..
            } => {
                let file = self.file(*deliverable, *frame);
                self.forecast.settle(*deliverable, *frame);
                self.published(&file, *elsewhere);
            }
            Event::Aside { what, to } => {
                self.say(&format!(
                    "{WARNING}set aside{WARNING:#} {what}\n          it is now {}",
                    to.display()
                ));
            }
            Event::Failed(failure) => {
                self.forecast.settle(failure.deliverable, failure.frame);
                let file = self.file(failure.deliverable, failure.frame);
                self.say(&format!(
                    "{ERROR}failed{ERROR:#} {file}: {}",
                    failure.reason
                ));
            }
            Event::GivenUp {
                label,
                tried,
                reason,
                ..
            } => self.say(&format!(
                "{ERROR}stopped{ERROR:#} {label}: {} {tried} failed alike, the rest is not tried: {reason}",
                if tried.count() == 1 { "frame" } else { "frames" },
            )),
            Event::Remark(text) => self.say(text),
            Event::Suspicious(finding) => {
                let code = finding.code;
                self.say(&format!("{WARNING}{code}{WARNING:#} {}", finding.sentence));
            }
            Event::Frame { .. } | Event::Progress { .. } | Event::Ended { .. } => {}
            Event::Tick => {
                self.draw();
                self.line();
            }
        }
    }
}
