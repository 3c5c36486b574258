//! What happened when while a process was at work, and what takes too long.

use std::time::Duration;

use truepath_core::deliverable::Limits;

use super::outcome::End;
use crate::clock::Moment;

/// The longest that a run waits for the frames that are being rendered when it is to stop.
const TO_FINISH: Duration = Duration::from_secs(60);

/// What happened when.
pub(super) struct Times {
    pub(super) started: Moment,
    /// The last frame that was begun or finished.
    pub(super) frame: Moment,
    /// The samples of the frame that it is at.
    pub(super) samples: u64,
    /// The last line.
    pub(super) line: Moment,
    /// Whether any frame was begun or finished.
    pub(super) at_work: bool,
    /// When everything was there.
    pub(super) whole: Option<Moment>,
    /// When the run was first seen to stop.
    pub(super) halted: Option<Moment>,
    /// When checkpoints were last kept.
    pub(super) checkpoint: Moment,
    /// When it was last looked for frames that are finished without a word, or were reported too soon.
    pub(super) looked: Moment,
}

impl Times {
    /// Those of a process that starts now.
    pub(super) fn now() -> Self {
        let now = Moment::now();
        Self {
            started: now,
            frame: now,
            samples: 0,
            line: now,
            at_work: false,
            whole: None,
            halted: None,
            checkpoint: now,
            looked: now,
        }
    }

    /// How long the frame that is being rendered may still take for being nearly done.
    pub(super) fn to_finish(&self, published: u64) -> Duration {
        match u32::try_from(published) {
            Ok(frames) if frames > 0 => {
                let each = self.frame.since(self.started) / frames;
                (each * 3).clamp(Duration::from_secs(1), TO_FINISH)
            }
            _ => TO_FINISH,
        }
    }

    /// The limit that is passed, if any.
    pub(super) fn too_long(&self, limits: &Limits) -> Option<End> {
        if let Some(limit) = limits.start
            && !self.at_work
        {
            if self.started.elapsed() > limit {
                return Some(End::TooLong("no frame was begun", limit, "start-timeout"));
            }
        } else if let Some(limit) = limits.frame
            && self.frame.elapsed() > limit
        {
            return Some(End::TooLong(
                "no frame was finished",
                limit,
                "frame-timeout",
            ));
        }
        let limit = limits.silence?;
        let silent = self.line.elapsed() > limit;
        silent.then_some(End::TooLong(
            "the engine printed nothing",
            limit,
            "silence-timeout",
        ))
    }
}
