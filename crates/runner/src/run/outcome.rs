//! What a process came to, and why.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{LogKind, Profile};
use truepath_core::forecast::Effort;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::Invocation;

use super::Failure;
use crate::ledger::Spent;

/// How a process ended.
#[derive(Debug, Clone)]
pub(super) enum End {
    Exit(i32),
    /// A limit was passed: what did not happen, how long, and the key.
    TooLong(&'static str, Duration, &'static str),
    /// The run stops.
    Halted,
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
    /// From its start to its first frame, where it told that.
    pub(super) start: Duration,
    /// From then to its end.
    pub(super) took: Duration,
    /// What is missing of each deliverable, and what was found bad of it.
    pub(super) missing: Vec<(usize, FrameSet, BTreeMap<Frame, String>)>,
    pub(super) log: PathBuf,
    /// Why its files could not be recognised.
    pub(super) unknown_files: Option<String>,
}

impl Outcome {
    /// What it took for what it brought.
    pub(super) fn spent(&self, members: &[&Deliverable]) -> Option<Spent> {
        let effort = Effort::of(members.first()?);
        (self.published > 0).then(|| Spent {
            start: self.start.as_secs_f64(),
            seconds: self.took.as_secs_f64(),
            frames: self.published as f64 / members.len() as f64,
            pixels: effort.pixels,
            samples: effort.samples,
        })
    }

    /// All frames that it did not bring of one deliverable or another.
    pub(super) fn all_missing(&self) -> FrameSet {
        let sets = self.missing.iter().map(|(_, frames, _)| frames);
        sets.fold(FrameSet::empty(), |all, frames| {
            all.union(frames).unwrap_or(all)
        })
    }

    /// The frame at which it broke off, where that is known.
    pub(super) fn culprit(&self) -> Option<Frame> {
        match self.end {
            End::Exit(0) => None,
            _ => self.began,
        }
    }

    /// Whether another process would come to the same.
    pub(super) fn is_final(&self) -> bool {
        matches!(self.end, End::NotStarted(_)) || self.unknown_files.is_some()
    }

    /// Whether the engine, which tells what it begins, ended badly before it began any frame.
    pub(super) fn never_began(&self, profile: &Profile) -> bool {
        let tells = profile.log.iter().any(|one| one.kind == LogKind::Frame);
        tells && self.began.is_none() && !matches!(self.end, End::Exit(0))
    }

    /// Frames that no process is started for any more, as failures for the same reason.
    pub(super) fn failures_of(&self, invocation: &Invocation) -> Vec<Failure> {
        let reason = self.reason();
        let mut failures = Vec::new();
        for &deliverable in invocation.deliverables.iter() {
            failures.extend(invocation.frames.iter().map(|frame| Failure {
                deliverable,
                frame,
                reason: reason.clone(),
                log: Some(self.log.clone()),
            }));
        }
        failures
    }

    /// Why frames are missing, as a sentence.
    pub(super) fn reason(&self) -> String {
        match &self.end {
            End::Exit(0) => match &self.unknown_files {
                Some(reason) => reason.clone(),
                None => "the engine ended well but wrote no file for it".to_owned(),
            },
            End::Exit(code) => {
                let code = if *code > 128 {
                    format!("was ended by signal {}", code - 128)
                } else {
                    format!("ended with exit code {code}")
                };
                match &self.last_error {
                    Some(error) => format!("the engine {code}: {error}"),
                    None => format!("the engine {code}"),
                }
            }
            End::TooLong(what, limit, key) => format!("{what} for {}, the {key}", shown(*limit)),
            End::NotStarted(why) => why.clone(),
            End::Halted => "the run was stopped".to_owned(),
        }
    }

    /// All that is missing, as failures.
    pub(super) fn failures(&self) -> Vec<Failure> {
        let general = self.reason();
        let mut failures = Vec::new();
        for (deliverable, frames, flaws) in &self.missing {
            failures.extend(frames.iter().map(|frame| Failure {
                deliverable: *deliverable,
                frame,
                reason: flaws.get(&frame).unwrap_or(&general).clone(),
                log: Some(self.log.clone()),
            }));
        }
        failures
    }
}

/// Failures of one deliverable with one reason and one log together.
pub(super) fn grouped(failures: &[Failure]) -> Vec<(usize, String, Option<PathBuf>, FrameSet)> {
    let mut groups: BTreeMap<_, Vec<Frame>> = BTreeMap::new();
    for one in failures {
        let key = (one.deliverable, one.reason.clone(), one.log.clone());
        groups.entry(key).or_default().push(one.frame);
    }
    let groups = groups.into_iter();
    groups
        .map(|((index, reason, log), frames)| (index, reason, log, FrameSet::from_frames(frames)))
        .collect()
}

/// `90s` or `1.5s`
pub(super) fn shown(time: Duration) -> String {
    format!("{}s", time.as_secs_f64())
}
