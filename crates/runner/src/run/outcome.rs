//! What a process came to: which frames failed, and which are worth another process.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::Invocation;

use super::work::Work;
use super::{Event, Failure};

/// How a process ended.
pub(super) enum End {
    Exit(i32),
    TooLong(Duration),
    Interrupted,
    NotStarted(String),
}

/// What a process came to.
pub(super) struct Outcome {
    pub(super) end: End,
    /// The last frame that it began, where it says so.
    pub(super) began: Option<Frame>,
    pub(super) last_error: Option<String>,
    /// Frames with their true names.
    pub(super) published: u64,
    /// What is missing of each deliverable, and what was found bad of it.
    pub(super) missing: Vec<(usize, FrameSet, BTreeMap<Frame, String>)>,
    pub(super) log: PathBuf,
    /// Why its files could not be recognised.
    pub(super) unknown_files: Option<String>,
}

impl Work<'_> {
    /// Tells which frames failed, and gives those that are worth another process.
    pub(super) fn judge(
        &mut self,
        invocation: &Invocation,
        outcome: Outcome,
        barren: u32,
    ) -> BTreeMap<usize, FrameSet> {
        let first_missing = outcome
            .missing
            .iter()
            .filter_map(|(_, frames, _)| frames.first())
            .min();
        // The frame at which the process broke off; the others were never its turn.
        let culprit = outcome
            .began
            .filter(|frame| {
                outcome
                    .missing
                    .iter()
                    .any(|(_, frames, _)| frames.contains(*frame))
            })
            .or(first_missing);
        let broke_off = !matches!(outcome.end, End::Exit(0));
        let give_up = barren > 1
            || matches!(outcome.end, End::NotStarted(_))
            || invocation.frames.count() == 1;
        let general = match &outcome.end {
            End::Exit(0) => match outcome.unknown_files {
                Some(reason) => reason,
                None => "the engine ended well but wrote no file for it".to_owned(),
            },
            End::Exit(code) => {
                let code = if *code > 128 {
                    format!("was ended by signal {}", code - 128)
                } else {
                    format!("ended with exit code {code}")
                };
                match &outcome.last_error {
                    Some(error) => format!("the engine {code}: {error}"),
                    None => format!("the engine {code}"),
                }
            }
            End::TooLong(limit) => format!(
                "no frame was finished for {}, the frame-limit",
                shown(*limit)
            ),
            End::NotStarted(why) => why.clone(),
            End::Interrupted => "interrupted".to_owned(),
        };
        let mut again = BTreeMap::new();
        for (index, frames, flaws) in outcome.missing {
            let mut left = Vec::new();
            for frame in frames.iter() {
                let reason = match flaws.get(&frame) {
                    Some(flaw) => flaw.clone(),
                    None if broke_off && !give_up && Some(frame) != culprit => {
                        left.push(frame);
                        continue;
                    }
                    None => general.clone(),
                };
                let failure = Failure {
                    deliverable: index,
                    frame,
                    reason,
                    log: Some(outcome.log.clone()),
                };
                self.watch.see(&Event::Failed(&failure));
                self.report.failures.push(failure);
            }
            if !left.is_empty() {
                again.insert(index, FrameSet::from_frames(left));
            }
        }
        again
    }
}

/// `90s` or `1.5s`
fn shown(time: Duration) -> String {
    format!("{}s", time.as_secs_f64())
}
