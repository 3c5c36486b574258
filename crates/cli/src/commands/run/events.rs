//! What happens in a run, as JSON lines for other programs.

use std::fs::{self, File};
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::thread;
use std::time::Duration;

use serde_json::{Value, json};
use truepath_core::deliverable::Deliverable;
use truepath_runner::make::run::{Event, Observer};
use truepath_runner::system::is_pipe;

use crate::error::CommandError;
use crate::show::remark;

/// So many events wait for whoever reads them; more are counted, and lost.
const MOST_WAITING: usize = 10_000;
/// How long the last events may take to be written once the run has ended.
const LAST: Duration = Duration::from_secs(2);

/// Writes every event to a file, and hands it on. The file may be a pipe that nobody reads: a thread of
/// its own writes, and the run waits for none.
pub(super) struct Events<'w, W> {
    labels: Vec<String>,
    writer: Option<EventWriter>,
    inner: &'w mut W,
}

struct EventWriter {
    path: PathBuf,
    lines: SyncSender<String>,
    /// Gives its result once all is written.
    done: Receiver<io::Result<()>>,
    lost: u64,
}

impl EventWriter {
    fn open(path: &Path) -> Result<Self, CommandError> {
        // A pipe that is opened for reading as well neither waits for a reader nor fails without one.
        let is_pipe = fs::metadata(path).is_ok_and(|facts| is_pipe(&facts));
        let mut options = File::options();
        if is_pipe {
            options.read(true).write(true)
        } else {
            options.create(true).append(true)
        };
        let mut file = options
            .open(path)
            .map_err(CommandError::outside(path.display().to_string()))?;
        let (lines, waiting) = sync_channel::<String>(MOST_WAITING);
        let (finished, done) = sync_channel(1);
        thread::spawn(move || {
            let mut write = |line: String| file.write_all(line.as_bytes());
            let written = waiting.into_iter().try_for_each(&mut write);
            let _ = finished.send(written);
        });
        Ok(Self {
            path: path.to_owned(),
            lines,
            done,
            lost: 0,
        })
    }

    fn write(&mut self, event: &Value) {
        if self.lines.try_send(format!("{event}\n")).is_err() {
            self.lost += 1;
        }
    }

    /// Waits a little for the last lines, and says what is lost.
    fn finish(self) {
        drop(self.lines);
        let why = match self.done.recv_timeout(LAST) {
            Ok(Ok(())) if self.lost == 0 => return,
            Ok(Ok(())) => format!("{} events came faster than they were read", self.lost),
            Ok(Err(error)) => error.to_string(),
            Err(_) => "nobody reads them".to_owned(),
        };
        remark(&format!(
            "not all events could be written to {}: {why}",
            self.path.display()
        ));
    }
}

impl<'w, W: Observer> Events<'w, W> {
    /// Events are appended to the file, where one is named.
    pub(super) fn new(
        path: Option<&Path>,
        deliverables: &[Deliverable],
        inner: &'w mut W,
    ) -> Result<Self, CommandError> {
        Ok(Self {
            labels: deliverables.iter().map(Deliverable::label).collect(),
            writer: path.map(EventWriter::open).transpose()?,
            inner,
        })
    }

    /// Says what could not be written, once the run has ended.
    pub(super) fn finish(self) {
        if let Some(writer) = self.writer {
            writer.finish();
        }
    }

    fn shape(&self, event: &Event<'_>) -> Option<Value> {
        Some(match event {
            Event::Begun {
                wanted,
                there,
                replaced,
                ..
            } => json!({
                "event": "begun",
                "wanted": wanted,
                "there": there,
                "replaced": replaced,
            }),
            Event::Started {
                process,
                label,
                frames,
                log,
                ..
            } => json!({
                "event": "started",
                "process": process,
                "deliverable": label,
                "frames": frames.to_string(),
                "log": log,
            }),
            Event::Frame { process, frame } => {
                json!({ "event": "frame", "process": process, "frame": frame })
            }
            Event::Progress { process, progress } => json!({
                "event": "progress",
                "process": process,
                "percent": progress.share().map(|share| share * 100.0),
                "samples": progress.samples.map(|samples| samples.done),
                "samples_wanted": progress.samples.and_then(|samples| samples.wanted),
                "seconds_left": progress.left,
            }),
            Event::Ended { process } => json!({ "event": "ended", "process": process }),
            Event::Published {
                deliverable,
                frame,
                path,
                elsewhere,
            } => json!({
                "event": "published",
                "deliverable": self.labels[*deliverable],
                "frame": frame,
                "path": path,
                "elsewhere": elsewhere,
            }),
            Event::Aside { what, to } => json!({ "event": "set-aside", "what": what, "to": to }),
            Event::Failed(failure) => json!({
                "event": "failed",
                "deliverable": self.labels[failure.deliverable],
                "frame": failure.frame,
                "reason": failure.reason,
                "log": failure.log,
            }),
            Event::GivenUp {
                label,
                tried,
                reason,
                ..
            } => json!({
                "event": "given-up",
                "deliverable": label,
                "tried": tried.to_string(),
                "reason": reason,
            }),
            Event::Suspicious(finding) => json!({
                "event": "suspicious",
                "code": finding.code,
                "severity": finding.severity.word(),
                "sentence": finding.sentence,
            }),
            Event::Remark(text) => json!({ "event": "remark", "text": text }),
            Event::Tick => return None,
        })
    }
}

impl<W: Observer> Observer for Events<'_, W> {
    fn see(&mut self, event: &Event<'_>) {
        if self.writer.is_some()
            && let Some(shape) = self.shape(event)
            && let Some(writer) = &mut self.writer
        {
            writer.write(&shape);
        }
        self.inner.see(event);
    }
}
