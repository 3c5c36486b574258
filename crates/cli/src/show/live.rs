//! The screen of a run at work: totals, a line for each process, a strip for each deliverable.

use std::collections::BTreeMap;
use std::time::Duration;

use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::forecast::Forecast;
use truepath_core::frame_progress::FrameProgress;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::strip::States;
use truepath_runner::make::run::Event;

use super::pace::{pace, rough};
use super::strips::{bar, coloured, distinct, fitted, table};
use super::{ERROR, FAINT, TITLE, count, files};

/// Columns of the word before a line of the heading.
const HEADING_WORD: usize = 10;

/// A process at work.
#[derive(Debug, Clone)]
struct LiveProcess {
    label: String,
    deliverables: Vec<DeliverableId>,
    frames: FrameSet,
    frame: Option<Frame>,
    progress: FrameProgress,
    since: Duration,
}

impl LiveProcess {
    /// What it is at, for how long, and how much longer.
    fn doing(&self, now: Duration) -> String {
        let since = now.saturating_sub(self.since).as_secs_f64();
        let Some(frame) = self.frame else {
            let frames = count(self.frames.count(), "frame", "frames");
            return format!("{frames}, {}", rough(since));
        };
        let progress = self.progress.to_string();
        let left = match (self.progress.left, self.progress.share()) {
            (Some(left), _) => Some(left),
            // After a twentieth of the frame its pace says something.
            (None, Some(share)) if (0.05..1.0).contains(&share) && since > 60.0 => {
                Some(since / share * (1.0 - share))
            }
            _ => None,
        };
        let left = left.map(|left| format!("{} left", rough(left)));
        let parts = [format!("frame {frame}"), progress, rough(since)];
        let parts: Vec<String> = parts
            .into_iter()
            .chain(left)
            .filter(|part| !part.is_empty())
            .collect();
        parts.join(", ")
    }
}

/// What is shown.
#[derive(Debug, Default)]
pub(crate) struct Screen {
    /// Lines that stand above it: a word of its own style, and what it is about.
    pub(super) heading: Vec<(String, String)>,
    rows: Vec<(String, States)>,
    workers: BTreeMap<u32, LiveProcess>,
    to_do: u64,
    done: u64,
    failed: u64,
    forecast: Forecast,
    began: Duration,
}

impl Screen {
    pub(crate) fn new(deliverables: &[Deliverable]) -> Self {
        let row = |one: &Deliverable| {
            let states = States {
                wanted: one.common.frames.selected.clone(),
                ..States::default()
            };
            (one.label(), states)
        };
        Self {
            rows: deliverables.iter().map(row).collect(),
            ..Self::default()
        }
    }

    /// Takes in what happened, so long after the beginning; gives whether the screen is another.
    pub(crate) fn see(&mut self, event: &Event<'_>, now: Duration) -> bool {
        let with = |set: &FrameSet, frame: Frame| {
            set.union(&FrameSet::range(frame, frame))
                .unwrap_or_else(|_| set.clone())
        };
        match event {
            Event::Begun {
                wanted,
                there,
                done,
                forecast,
                ..
            } => {
                self.forecast = (*forecast).clone();
                self.to_do = wanted.saturating_sub(*there);
                self.began = now;
                for ((_, states), done) in self.rows.iter_mut().zip(*done) {
                    states.done = done.clone();
                }
            }
            Event::Started {
                process,
                label,
                deliverables,
                frames,
                ..
            } => {
                let worker = LiveProcess {
                    label: (*label).to_owned(),
                    deliverables: deliverables.to_vec(),
                    frames: (*frames).clone(),
                    frame: None,
                    progress: FrameProgress::default(),
                    since: now,
                };
                self.workers.insert(*process, worker);
            }
            Event::Frame { process, frame } => {
                if let Some(worker) = self.workers.get_mut(process) {
                    worker.frame = Some(*frame);
                    worker.progress = FrameProgress::default();
                    worker.since = now;
                }
            }
            Event::Progress { process, progress } => {
                if let Some(worker) = self.workers.get_mut(process) {
                    worker.progress = *progress;
                }
            }
            Event::Ended { process } => drop(self.workers.remove(process)),
            Event::Published {
                deliverable, frame, ..
            } => {
                self.done += 1;
                self.forecast.settle(*deliverable, *frame);
                let states = &mut self.rows[*deliverable].1;
                states.done = with(&states.done, *frame);
            }
            Event::Failed(failure) => {
                self.failed += 1;
                self.forecast.settle(failure.deliverable, failure.frame);
                let states = &mut self.rows[failure.deliverable].1;
                states.failed = with(&states.failed, failure.frame);
            }
            Event::GivenUp {
                deliverables,
                tried,
                ..
            } => {
                for index in *deliverables {
                    let states = &mut self.rows[*index].1;
                    self.failed += tried.count();
                    let failed = states.failed.union(tried);
                    states.failed = failed.unwrap_or_else(|_| (*tried).clone());
                }
            }
            Event::Aside { .. } | Event::Suspicious(_) | Event::Remark(_) | Event::Tick => {
                return false;
            }
        }
        true
    }

    /// The lines, for a terminal of this size; the first says it all in short.
    pub(crate) fn lines(&self, width: usize, height: usize, now: Duration) -> Vec<String> {
        // Half of the screen at most; what is at work is below.
        let most = (height / 2).saturating_sub(1);
        let line = |(word, label): &(String, String)| {
            format!(
                "{word}{}",
                fitted(label, width.saturating_sub(HEADING_WORD))
            )
        };
        let mut lines: Vec<String> = self.heading.iter().take(most).map(line).collect();
        if self.heading.len() > most && most > 0 {
            let hidden = self.heading.len() - most;
            lines.push(format!("{FAINT}and {hidden} more{FAINT:#}"));
        }
        if !lines.is_empty() {
            lines.push(String::new());
        }
        let height = height.saturating_sub(lines.len());
        lines.extend(self.own_lines(width, height, now));
        lines
    }

    fn own_lines(&self, width: usize, height: usize, now: Duration) -> Vec<String> {
        let took = now.saturating_sub(self.began).as_secs_f64().max(0.001);
        let rate = self.done as f64 / took;
        let mut head = format!("{TITLE}{} of {}{TITLE:#}", self.done, files(self.to_do));
        if self.failed > 0 {
            head.push_str(&format!(", {ERROR}{} failed{ERROR:#}", self.failed));
        }
        if self.done > 0 {
            head.push_str(&format!(", {}", pace(rate)));
        }
        let left = self.forecast.left_with(took, self.under_way());
        if let Some(left) = left.filter(|left| *left > 0.0) {
            head.push_str(&format!(", {} left", rough(left)));
        }
        let whole = bar(self.done, self.to_do, (width / 2).min(60));
        let mut lines = vec![head, whole];
        let room = height.saturating_sub(3).max(2);
        let shown: Vec<&LiveProcess> = self.workers.values().take(room / 2).collect();
        let labels: Vec<&str> = shown.iter().map(|worker| worker.label.as_str()).collect();
        let labels = distinct(&labels, width.saturating_sub(28));
        for (worker, label) in shown.iter().zip(labels) {
            let doing = worker.doing(now);
            let label = fitted(&label, width.saturating_sub(doing.chars().count() + 5));
            lines.push(format!("  {label}{FAINT}  {doing}{FAINT:#}"));
        }
        lines.extend(self.strips(width, room.saturating_sub(lines.len())));
        lines
    }

    /// Seconds that are done of the frames that processes are at.
    fn under_way(&self) -> f64 {
        let parts = self.workers.values().filter_map(|worker| {
            let (frame, share) = (worker.frame?, worker.progress.share()?);
            let seconds = worker.deliverables.iter();
            let seconds: f64 = seconds
                .map(|index| self.forecast.seconds(*index, frame))
                .sum();
            Some(share * seconds)
        });
        parts.sum()
    }

    /// Strips of what is not done, what is at work first.
    fn strips(&self, width: usize, room: usize) -> Vec<String> {
        let mut at_work: BTreeMap<DeliverableId, FrameSet> = BTreeMap::new();
        for worker in self.workers.values() {
            for index in &worker.deliverables {
                let frames = at_work.entry(*index).or_default();
                *frames = frames.union(&worker.frames).unwrap_or_default();
            }
        }
        let mut order: Vec<DeliverableId> = DeliverableId::all(self.rows.len())
            .filter(|index| {
                let states = &self.rows[*index].1;
                states.done.count() < states.wanted.count() || at_work.contains_key(index)
            })
            .collect();
        order.sort_by_key(|index| (!at_work.contains_key(index), *index));
        let hidden = order.len().saturating_sub(room);
        order.truncate(room);
        order.sort_unstable();
        let rows: Vec<(String, States)> = order
            .into_iter()
            .map(|index| {
                let (label, states) = self.rows[index].clone();
                let running = at_work.remove(&index).unwrap_or_default();
                (label, States { running, ..states })
            })
            .collect();
        let mut lines: Vec<String> = table(&rows, width)
            .into_iter()
            .map(|(head, cells)| format!("{head}{}", coloured(&cells)))
            .collect();
        if hidden > 0 {
            lines.push(format!("{FAINT}and {hidden} more{FAINT:#}"));
        }
        lines
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn screen() -> Screen {
        let row = |label: &str, wanted: &str| {
            let wanted = wanted.parse().unwrap();
            (
                label.to_owned(),
                States {
                    wanted,
                    ..States::default()
                },
            )
        };
        let mut screen = Screen {
            rows: vec![
                row("dawn · day · dome · frames · beauty", "1-96"),
                row("dawn · day · dome · frames · depth", "1-96"),
                row(
                    "transit · north · a-rather-long-name-of-an-output · frames",
                    "1-2000",
                ),
                row("eclipse · frames", "1-10"),
            ],
            ..Screen::default()
        };
        let set = |text: &str| text.parse::<FrameSet>().unwrap();
        let seconds = Duration::from_secs;
        let done = [set("1-24"), set("1-24"), set("1-500"), set("1-10")];
        let log = std::path::Path::new("a.log");
        let begun = Event::Begun {
            wanted: 2202,
            there: 558,
            replaced: 0,
            done: &done,
            forecast: &Forecast::new(
                &[None, None, None, None],
                &[set("1-72"), set("1-72"), set("1-1500"), FrameSet::empty()],
                2,
            ),
        };
        let started = Event::Started {
            process: 1,
            label: "dawn · day · dome · frames · beauty and 1 more",
            deliverables: &[DeliverableId::at(0), DeliverableId::at(1)],
            frames: &set("25-32"),
            log,
        };
        let other = Event::Started {
            process: 2,
            label: "transit · north · a-rather-long-name-of-an-output · frames",
            deliverables: &[DeliverableId::at(2)],
            frames: &set("501-600"),
            log,
        };
        let published = Event::Published {
            deliverable: DeliverableId::at(0),
            frame: 25,
            path: "",
            elsewhere: false,
        };
        for (event, at) in [
            (begun, 0),
            (started, 1),
            (other, 1),
            (
                Event::Frame {
                    process: 1,
                    frame: 25,
                },
                2,
            ),
            (published, 30),
            (
                Event::Frame {
                    process: 1,
                    frame: 26,
                },
                30,
            ),
            (
                Event::Progress {
                    process: 1,
                    progress: FrameProgress {
                        percent: Some(40.0),
                        ..FrameProgress::default()
                    },
                },
                40,
            ),
        ] {
            assert!(screen.see(&event, seconds(at)));
        }
        let failure = truepath_runner::make::run::Failure {
            deliverable: DeliverableId::at(2),
            frame: 700,
            reason: String::new(),
            log: None,
        };
        screen.see(&Event::Failed(&failure), seconds(41));
        screen
    }

    fn plain(lines: &[String]) -> String {
        crate::show::output::plain(&lines.join("\n"))
    }

    #[test]
    fn the_screen_fits_into_80_and_160_columns() {
        let screen = screen();
        for width in [80, 160] {
            let lines = screen.lines(width, 24, Duration::from_secs(45));
            let text = plain(&lines);
            for line in text.lines() {
                assert!(line.chars().count() <= width, "{width}: {line}");
            }
            insta::assert_snapshot!(format!("screen-{width}"), text);
        }
    }

    #[test]
    fn a_low_terminal_shows_what_is_at_work() {
        let lines = screen().lines(80, 8, Duration::from_secs(45));
        assert!(lines.len() <= 8, "{}", plain(&lines));
        assert!(plain(&lines).contains("frame 26, 40 %"));
    }
}
