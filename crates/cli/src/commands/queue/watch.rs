//! Reads the file of a queue again while it is worked on.

use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant, SystemTime};

use truepath_core::queue::{Queue, QueueEntry};
use truepath_runner::hand_over::queue::load_queue;
use truepath_runner::load::LoadError;

use crate::commands::run::{JobEnded, JobResult, QueueAtWork};
use crate::error::CommandError;
use crate::show::{ERROR, FAINT, GOOD, TITLE, WARNING};

/// How often the file is looked at.
const PAUSE: Duration = Duration::from_millis(500);

/// A queue that is worked on.
pub(super) struct QueueWatch {
    path: PathBuf,
    inner: Mutex<Watched>,
}

struct Watched {
    /// As it was read last without a mistake.
    queue: Queue,
    stamp: Option<(SystemTime, u64)>,
    looked: Instant,
    /// The job at work.
    current: Option<QueueEntry>,
    /// Those that are done with, and how they ended.
    ended: Vec<(QueueEntry, JobResult)>,
    remarks: Vec<String>,
    /// Whether the lines above the screen are others since they were asked for.
    is_changed: bool,
    /// Whether the job at work is left for another one.
    is_left: bool,
}

impl QueueWatch {
    pub(super) fn new(path: &Path) -> Result<Self, CommandError> {
        let stamp = stamp(path);
        Ok(Self {
            path: path.to_owned(),
            inner: Mutex::new(Watched {
                queue: load_queue(path)?,
                stamp,
                looked: Instant::now(),
                current: None,
                ended: Vec::new(),
                remarks: Vec::new(),
                is_changed: true,
                is_left: false,
            }),
        })
    }

    fn inner(&self) -> MutexGuard<'_, Watched> {
        self.inner.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The next job to work on, as the file is now; with its place and how many there are.
    pub(super) fn next(&self) -> Option<(QueueEntry, usize, usize)> {
        let mut inner = self.inner();
        inner.read_again(&self.path);
        let next = inner.first_open().cloned();
        inner.current.clone_from(&next);
        inner.is_left = false;
        // Each job has a screen of its own.
        inner.is_changed = true;
        let entry = next?;
        let on: Vec<&QueueEntry> = inner.queue.entries.iter().filter(|one| one.is_on).collect();
        let place = on.iter().position(|one| one.is_same(&entry)).unwrap_or(0);
        Some((entry, place + 1, on.len()))
    }

    /// A job has ended; gives whether it is done with: not where it was left for another one.
    pub(super) fn ended(&self, entry: &QueueEntry, ended: &JobEnded) -> bool {
        let mut inner = self.inner();
        inner.current = None;
        if inner.is_left && ended.result == JobResult::Stopped {
            return false;
        }
        inner.ended.push((entry.clone(), ended.result));
        true
    }

    /// Whether a job that is not complete keeps those after it from being begun.
    pub(super) fn stops_at_failure(&self) -> bool {
        self.inner().queue.stops_at_failure
    }

    /// The jobs that are on and not done with.
    pub(super) fn open(&self) -> Vec<QueueEntry> {
        let inner = self.inner();
        let entries = inner.queue.entries.iter();
        entries.filter(|one| inner.is_open(one)).cloned().collect()
    }
}

impl Watched {
    fn is_open(&self, entry: &QueueEntry) -> bool {
        entry.is_on && !self.ended.iter().any(|(known, _)| known.is_same(entry))
    }

    fn first_open(&self) -> Option<&QueueEntry> {
        self.queue.entries.iter().find(|one| self.is_open(one))
    }

    /// Reads the file, where it has changed; whether the queue is another. With a mistake in it the last good one stands.
    fn read_again(&mut self, path: &Path) -> bool {
        let now = stamp(path);
        if now == self.stamp {
            return false;
        }
        self.stamp = now;
        let read = load_queue(path);
        let is_good = read.is_ok();
        match read {
            Ok(queue) => {
                self.queue = queue;
                self.is_changed = true;
                self.remarks.push(format!("{} has changed", path.display()));
            }
            Err(error) => {
                let what = in_a_line(&error);
                self.remarks.push(format!(
                    "{WARNING}warning{WARNING:#}: {what}; the queue stands as it was before"
                ));
            }
        }
        is_good
    }
}

/// The first mistake of a queue with its line, or why it cannot be read.
fn in_a_line(error: &LoadError) -> String {
    let Some((sources, finding)) = error.first_mistake() else {
        return error.to_string();
    };
    let at = finding.labels.first().map(|label| {
        let (line, _) = sources.line_and_column(&label.place);
        format!("{}:{line}: ", sources.get(label.place.source).name)
    });
    format!("{}{}", at.unwrap_or_default(), finding.sentence)
}

/// When a file changed last, and how large it is.
fn stamp(path: &Path) -> Option<(SystemTime, u64)> {
    let facts = std::fs::metadata(path).ok()?;
    Some((facts.modified().ok()?, facts.len()))
}

impl QueueAtWork for QueueWatch {
    fn why_leave(&self) -> Option<String> {
        let mut inner = self.inner();
        if inner.looked.elapsed() < PAUSE {
            return None;
        }
        inner.looked = Instant::now();
        if !inner.read_again(&self.path) {
            return None;
        }
        let current = inner.current.clone()?;
        let known = inner.queue.entries.iter().find(|one| one.is_same(&current));
        let why = match (known, inner.first_open()) {
            (None, _) => "it was taken out of the queue".to_owned(),
            (Some(one), _) if !one.is_on => "it was switched off in the queue".to_owned(),
            (_, Some(first)) if !first.is_same(&current) => {
                format!("{} comes before it in the queue now", first.label())
            }
            _ => return None,
        };
        inner.is_left = true;
        Some(why)
    }

    fn remarks(&self) -> Vec<String> {
        std::mem::take(&mut self.inner().remarks)
    }

    fn new_lines(&self) -> Option<Vec<(String, String)>> {
        let mut inner = self.inner();
        if !std::mem::take(&mut inner.is_changed) {
            return None;
        }
        let line = |entry: &QueueEntry| {
            let label = entry.label();
            let ended = inner.ended.iter().find(|(known, _)| known.is_same(entry));
            let current = inner.current.as_ref();
            let word = match ended {
                Some((_, JobResult::Complete)) => format!("{GOOD}complete{GOOD:#}  "),
                Some((_, JobResult::Stopped)) => format!("{WARNING}stopped{WARNING:#}   "),
                Some(_) => format!("{ERROR}failed{ERROR:#}    "),
                None if current.is_some_and(|one| one.is_same(entry)) => {
                    format!("{TITLE}running{TITLE:#}   ")
                }
                None if entry.is_on => "waiting   ".to_owned(),
                None => format!("{FAINT}off{FAINT:#}       "),
            };
            (word, label)
        };
        Some(inner.queue.entries.iter().map(line).collect())
    }
}
