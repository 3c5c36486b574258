//! The outcome of a process: how it ended, what it brought, and why frames are missing.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::time::Duration;

use truepath_core::deliverable::{Deliverable, DeliverableId};
use truepath_core::forecast::Effort;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::RenderedSamples;
use truepath_core::plan::PlannedProcess;
use truepath_core::times::median;

use super::Failure;
use crate::make::complaint::Complaint;
use crate::make::staging_area::FrameFlaw;
use crate::record::ledger::{ProcessTime, ProcessUse};
use crate::system::{Usage, signal_name};

/// How a process ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum End {
    /// By itself, with success.
    Success,
    /// By itself, with an exit code that does not mean success.
    Code(i32),
    /// By a signal that this run did not send.
    Signal(i32),
    /// A limit was passed: what did not happen, how long, and the key.
    TooLong(&'static str, Duration, &'static str),
    /// It was ended because its pictures are of another kind than is wanted.
    WrongKind,
    /// It has removed or moved its staging folder, or put something else in its place.
    StagingGone,
    /// It ended, and a process of this name that it had started still worked on its pictures long after.
    Survived(String),
    /// A file that it makes another one from changed while it did.
    SourceChanged(PathBuf),
    /// The run stops.
    Halted,
    /// It was ended at the limit of a frame, of which it had saved a picture.
    Stopped,
    /// It could not be started.
    NotStarted(String),
}

/// The outcome of a process.
pub(super) struct Outcome {
    pub(super) end: End,
    /// The frame that it failed at, as far as that is known.
    pub(super) failed_at: Option<Frame>,
    /// The last frame of which it left a picture that nothing proves, where it works in order.
    pub(super) last_unproven: Option<Frame>,
    /// What it printed that may say why it failed.
    pub(super) complaint: Complaint,
    /// Frames with their true names.
    pub(super) published: u64,
    /// When it was started, in nanoseconds since 1970, and when the last file of each frame was written.
    pub(super) started: i64,
    pub(super) written: BTreeMap<Frame, i64>,
    /// Seconds from its start to its end, and what it used; none of one that was not started.
    pub(super) used: Option<(Duration, Usage)>,
    /// From its start to its first frame, where its log says so.
    pub(super) start: Duration,
    /// From then to its end.
    pub(super) took: Duration,
    /// What is missing of each deliverable, and what was found bad of it.
    pub(super) missing: Vec<(DeliverableId, FrameSet, BTreeMap<Frame, FrameFlaw>)>,
    /// Pictures that decode and are not proven, with their hashes, by deliverable and frame.
    pub(super) unproven: BTreeMap<(DeliverableId, Frame), String>,
    /// The samples that the engine reported last of the frame that it is at.
    pub(super) samples: Option<RenderedSamples>,
    /// Files that it had saved when their frame was at its limit.
    pub(super) saved: Vec<String>,
    /// Frames that can be continued from a checkpoint.
    pub(super) continuable: Vec<Frame>,
    pub(super) log: PathBuf,
    /// Why its files could not be recognised.
    pub(super) unknown_files: Option<String>,
}

impl Outcome {
    /// That of a process that is about to be started.
    pub(super) fn new(log: PathBuf) -> Self {
        Self {
            end: End::Halted,
            failed_at: None,
            last_unproven: None,
            complaint: Complaint::default(),
            published: 0,
            started: 0,
            written: BTreeMap::new(),
            used: None,
            start: Duration::ZERO,
            took: Duration::ZERO,
            missing: Vec::new(),
            unproven: BTreeMap::new(),
            samples: None,
            saved: Vec::new(),
            continuable: Vec::new(),
            log,
            unknown_files: None,
        }
    }

    /// What it took for what it brought.
    pub(super) fn spent(&self, members: &[&Deliverable]) -> Option<ProcessTime> {
        let effort = Effort::of(members.first()?);
        if self.published == 0 {
            return None;
        }
        let (start, each) = self.each();
        let all = self.start.as_secs_f64() + self.took.as_secs_f64();
        Some(ProcessTime {
            start,
            seconds: all - start,
            frames: self.published as f64 / members.len() as f64,
            pixels: effort.pixels,
            samples: effort.samples,
            each,
        })
    }

    /// Seconds before the first frame, and the share of each of several frames in those that follow: by when their
    /// files were written, from one to the next. Of an engine that does not say when it begins its first frame, the
    /// start is what the first took longer than those after it.
    fn each(&self) -> (f64, Vec<(Frame, f64)>) {
        let start = self.start.as_secs_f64();
        if self.written.len() < 2 {
            return (start, Vec::new());
        }
        let mut order: Vec<(i64, Frame)> = self
            .written
            .iter()
            .map(|(frame, when)| (*when, *frame))
            .collect();
        order.sort_unstable();
        let nanoseconds = i64::try_from(self.start.as_nanos()).unwrap_or(0);
        let mut before = self.started.saturating_add(nanoseconds);
        let mut each: Vec<(Frame, f64)> = Vec::new();
        for (when, frame) in order {
            each.push((frame, when.saturating_sub(before).max(0) as f64));
            before = before.max(when);
        }
        let whole: f64 = each.iter().map(|(_, share)| share).sum();
        let mut start_share = 0.0;
        if self.start.is_zero()
            && let Some((first, others)) = each.split_first_mut()
        {
            let usual = median(others.iter().map(|(_, share)| *share).collect()).unwrap_or(0.0);
            start_share = (first.1 - usual).max(0.0);
            first.1 -= start_share;
        }
        let took = self.took.as_secs_f64();
        let start = if whole > 0.0 {
            start + start_share / whole * took
        } else {
            start
        };
        let took = self.start.as_secs_f64() + took - start;
        let all = whole - start_share;
        for (_, share) in &mut each {
            let seconds = if all > 0.0 {
                *share / all * took
            } else {
                took / self.written.len() as f64
            };
            // Thousandths are enough, and keep the line short.
            *share = (seconds * 1000.0).round() / 1000.0;
        }
        each.sort_by_key(|(frame, _)| *frame);
        (start, each)
    }

    /// What it used, as ledgers record it; `tries` are those that brought nothing before it.
    pub(super) fn used(&self, threads: Option<i64>, tries: u32) -> Option<ProcessUse> {
        let (wall, usage) = self.used?;
        Some(ProcessUse {
            wall: wall.as_secs_f64(),
            cpu: usage.cpu.as_secs_f64(),
            memory: usage.memory,
            threads,
            end: match self.end {
                End::Success => "success".to_owned(),
                End::Stopped if self.published > 0 => "the limit of the frame".to_owned(),
                _ => self.reason(),
            },
            attempt: tries + 1,
        })
    }

    /// All frames that it did not bring of one deliverable or another.
    pub(super) fn all_missing(&self) -> FrameSet {
        FrameSet::union_of(self.missing.iter().map(|(_, frames, _)| frames))
    }

    /// Whether it brought nothing but pictures of another kind than is wanted: another process would
    /// bring the same.
    pub(super) fn is_wrong_kind(&self) -> bool {
        let mut flaws = self.missing.iter().flat_map(|(_, _, flaws)| flaws.values());
        self.published == 0
            && matches!(self.end, End::Success | End::WrongKind)
            && flaws.clone().next().is_some()
            && flaws.all(|flaw| flaw.is_wrong_kind)
    }

    /// The exit code and the pictures, where all pictures are whole and only the code at the very end
    /// does not mean success.
    pub(super) fn whole_but_for_its_code(&self) -> Option<UnconfirmedPictures> {
        let End::Code(code) = self.end else {
            return None;
        };
        let is_unproven = |index: DeliverableId, frame| self.unproven.contains_key(&(index, frame));
        let mut missing = self.missing.iter();
        let all =
            missing.all(|(index, frames, _)| frames.iter().all(|frame| is_unproven(*index, frame)));
        (all && !self.unproven.is_empty()).then(|| UnconfirmedPictures {
            code,
            pictures: self.unproven.clone(),
        })
    }

    /// Frames that count as tried where nothing was brought, each with the reason.
    pub(super) fn evidence(&self) -> Vec<(Frame, String)> {
        let general = self.reason();
        let mut evidence: BTreeMap<Frame, String> = BTreeMap::new();
        for (_, frames, flaws) in &self.missing {
            for (frame, flaw) in flaws {
                evidence.insert(*frame, flaw.reason.clone());
            }
            if frames.count() == 1 || self.unknown_files.is_some() {
                for frame in frames.iter() {
                    evidence.entry(frame).or_insert_with(|| general.clone());
                }
            }
        }
        if let Some(frame) = self.failed_at.or_else(|| self.all_missing().first()) {
            evidence.entry(frame).or_insert(general);
        }
        evidence.into_iter().collect()
    }

    /// The failures of the frames that count as tried.
    pub(super) fn tried_failures(&self) -> Vec<Failure> {
        let evidence = self.evidence();
        let mut failures = self.failures();
        failures.retain(|failure| evidence.iter().any(|(frame, _)| *frame == failure.frame));
        failures
    }

    /// Frames that no process is started for any more, as failures for the same reason.
    pub(super) fn failures_of(&self, planned: &PlannedProcess) -> Vec<Failure> {
        let reason = self.reason();
        let mut failures = Vec::new();
        for &deliverable in planned.deliverables.iter() {
            failures.extend(planned.frames.iter().map(|frame| Failure {
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
        let what = match &self.end {
            End::Success | End::WrongKind => {
                return match &self.unknown_files {
                    Some(reason) => reason.clone(),
                    None => "the engine ended with success and wrote no file for it".to_owned(),
                };
            }
            End::Code(code) => format!("the engine ended with exit code {code}{}", meant(*code)),
            End::Signal(signal) => format!("the engine was ended by {}", signal_name(*signal)),
            End::TooLong(what, limit, key) => {
                return format!("{what} for {}, the {key}", shown(*limit));
            }
            End::StagingGone => {
                return "the engine has removed, moved or closed the folder that it was to write to"
                    .to_owned();
            }
            End::Survived(name) => {
                return format!(
                    "`{name}`, which the engine has started, still works on its pictures after the engine has ended; let the engine wait for it"
                );
            }
            End::SourceChanged(path) => {
                return format!("{} changed while it was made from that", path.display());
            }
            End::NotStarted(why) => return why.clone(),
            End::Halted => return "the run was stopped".to_owned(),
            End::Stopped => {
                return "it was ended at the limit of the frame, and the picture that it had saved is not whole"
                    .to_owned();
            }
        };
        match self.complaint.text() {
            Some(text) => format!("{what}: {text}"),
            None => what,
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
                reason: match flaws.get(&frame) {
                    Some(flaw) => flaw.reason.clone(),
                    None => general.clone(),
                },
                log: Some(self.log.clone()),
            }));
        }
        failures
    }
}

/// Pictures of a process that are whole, and whose exit code does not mean success.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct UnconfirmedPictures {
    pub(super) code: i32,
    /// Hashes of the pictures, by deliverable and frame.
    pub(super) pictures: BTreeMap<(DeliverableId, Frame), String>,
}

impl UnconfirmedPictures {
    /// Why the frames failed when the same code came again with the same pictures, and what to do.
    pub(super) fn advice(&self) -> String {
        let code = self.code;
        format!(
            "its picture is whole, and the engine ended with exit code {code} both times; if {code} means success, \
             add it to `success-codes`, else take the pictures as they are with --accept-unproven"
        )
    }
}

/// What a shell means by an exit code above 128.
fn meant(code: i32) -> String {
    match code {
        130 | 134 | 136 | 137 | 139 | 143 => {
            format!(
                " (from a shell: its program was ended by {})",
                signal_name(code - 128)
            )
        }
        _ => String::new(),
    }
}

/// Failures of one deliverable with one reason and one log together.
pub(super) fn grouped(
    failures: &[Failure],
) -> Vec<(DeliverableId, String, Option<PathBuf>, FrameSet)> {
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
