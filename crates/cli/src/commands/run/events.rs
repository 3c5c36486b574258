//! What happens in a run, as JSON lines for other programs.

use std::fs::File;
use std::io::Write;
use std::path::Path;

use serde_json::{Value, json};
use truepath_core::deliverable::Deliverable;
use truepath_runner::run::{Event, Watch};

use crate::outcome::Trouble;

/// Writes every event to a file, and hands it on.
pub(super) struct Events<'w, W> {
    labels: Vec<String>,
    file: Option<File>,
    inner: &'w mut W,
}

impl<'w, W: Watch> Events<'w, W> {
    /// Events are appended to the file, where one is named.
    pub(super) fn new(
        path: Option<&Path>,
        deliverables: &[Deliverable],
        inner: &'w mut W,
    ) -> Result<Self, Trouble> {
        let open = |path: &Path| {
            let file = File::options().create(true).append(true).open(path);
            file.map_err(Trouble::outside(path.display().to_string()))
        };
        Ok(Self {
            labels: deliverables.iter().map(Deliverable::label).collect(),
            file: path.map(open).transpose()?,
            inner,
        })
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
            Event::Percent { process, percent } => {
                json!({ "event": "percent", "process": process, "percent": percent })
            }
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
            Event::Remark(text) => json!({ "event": "remark", "text": text }),
            Event::Tick => return None,
        })
    }
}

impl<W: Watch> Watch for Events<'_, W> {
    fn see(&mut self, event: &Event<'_>) {
        let shape = self.shape(event);
        if let (Some(file), Some(shape)) = (&mut self.file, shape) {
            // Whoever reads them must not stop the run.
            let _ = file.write_all(format!("{shape}\n").as_bytes());
        }
        self.inner.see(event);
    }
}
