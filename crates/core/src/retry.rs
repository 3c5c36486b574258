//! What is done about frames that a process did not bring: the frame that it failed at is tried alone
//! and the others go on without it; where that frame is not known, the chunk is halved.

use std::time::Duration;

use crate::deliverable::Limits;
use crate::frames::{Frame, FrameSet};

/// No pause is longer than this.
const LONGEST_PAUSE: Duration = Duration::from_secs(600);

/// Frames that one more process is started for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Retry {
    /// The frames.
    pub frames: FrameSet,
    /// How many tries in a row brought none of them.
    pub tries: u32,
    /// How long to wait before.
    pub pause: Duration,
}

/// The result of one process.
#[derive(Debug, Clone, Copy)]
pub struct ProcessResult<'a> {
    /// The frames that it did not bring.
    pub missing: &'a FrameSet,
    /// Whether it brought any.
    pub progressed: bool,
    /// The frame that it failed at, where that is known.
    pub failed_at: Option<Frame>,
    /// The last picture that it left, where that decodes but nothing proves that it is finished: the
    /// process failed at this frame or at the next one.
    pub unproven: Option<Frame>,
    /// How many tries in a row brought none of its frames before.
    pub tries: u32,
    /// Whether nothing of the deliverable was rendered so far: then the frame is hardly at fault.
    pub nothing_rendered: bool,
}

/// What to start next, in order; nothing where the frames, a single one, have failed for good.
#[must_use]
pub fn next(tried: ProcessResult<'_>, limits: &Limits) -> Vec<Retry> {
    let missing = tried.missing;
    if missing.is_empty() {
        return Vec::new();
    }
    let again = |frames: &FrameSet, tries: u32| Retry {
        frames: frames.clone(),
        tries,
        pause: Duration::ZERO,
    };
    let paused = |frames: &FrameSet, tries: u32| {
        let factor = 1_u32.checked_shl(tries).unwrap_or(u32::MAX);
        Retry {
            frames: frames.clone(),
            tries: tries + 1,
            pause: limits.retry_pause.saturating_mul(factor).min(LONGEST_PAUSE),
        }
    };
    let retries_are_left = tried.tries < limits.retries;
    if tried.nothing_rendered && retries_are_left {
        return vec![paused(missing, tried.tries)];
    }
    let is_known = |frame: &Frame| missing.contains(*frame) && missing.count() > 1;
    if let Some(last) = tried.unproven.filter(is_known) {
        let (alone, rest) = apart(missing, last);
        return vec![again(&alone, 0), again(&rest, 0)];
    }
    if let Some(frame) = tried.failed_at.filter(is_known) {
        let (alone, rest) = apart(missing, frame);
        let alone = if limits.retries > 0 {
            paused(&alone, 0)
        } else {
            again(&alone, 0)
        };
        return vec![again(&rest, 0), alone];
    }
    if tried.progressed {
        return vec![again(missing, 0)];
    }
    if retries_are_left {
        return vec![paused(missing, tried.tries)];
    }
    if missing.count() == 1 {
        return Vec::new();
    }
    let halves = missing.chunks(missing.count().div_ceil(2));
    halves.iter().map(|half| again(half, tried.tries)).collect()
}

/// One frame of a set, and the others.
fn apart(frames: &FrameSet, frame: Frame) -> (FrameSet, FrameSet) {
    let alone = FrameSet::range(frame, frame);
    let rest = frames.difference(&alone).unwrap_or_default();
    (alone, rest)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn limits(retries: u32) -> Limits {
        Limits {
            start: None,
            frame: None,
            silence: None,
            retries,
            retry_pause: Duration::from_secs(5),
            checkpoint_every: Duration::ZERO,
            checkpoint_keep: 1,
            keeps_stopped: false,
        }
    }

    fn after(
        missing: &str,
        progressed: bool,
        failed_at: Option<Frame>,
        unproven: Option<Frame>,
        tries: u32,
    ) -> Vec<String> {
        let missing: FrameSet = missing.parse().unwrap();
        let tried = ProcessResult {
            missing: &missing,
            progressed,
            failed_at,
            unproven,
            tries,
            nothing_rendered: false,
        };
        next(tried, &limits(2))
            .iter()
            .map(|one| format!("{} tries {} pause {:?}", one.frames, one.tries, one.pause))
            .collect()
    }

    #[test]
    fn pauses_grow_and_then_the_chunk_is_halved() {
        assert_eq!(after("5-8", true, None, None, 2), ["5-8 tries 0 pause 0ns"]);
        assert_eq!(after("5-8", false, None, None, 0), ["5-8 tries 1 pause 5s"]);
        assert_eq!(
            after("5-8", false, None, None, 1),
            ["5-8 tries 2 pause 10s"]
        );
        let halves = ["5-6 tries 2 pause 0ns", "7-8 tries 2 pause 0ns"];
        assert_eq!(after("5-8", false, None, None, 2), halves);
        assert!(after("5", false, Some(5), None, 2).is_empty());
    }

    #[test]
    fn the_rest_goes_on_without_the_frame_that_failed() {
        let apart = ["5,7-8 tries 0 pause 0ns", "6 tries 1 pause 5s"];
        assert_eq!(after("5-8", false, Some(6), None, 2), apart);
        // The last picture is tried alone first: if it succeeds, the next frame is the bad one.
        let alone = ["5 tries 0 pause 0ns", "6-8 tries 0 pause 0ns"];
        assert_eq!(after("5-8", true, None, Some(5), 0), alone);
    }

    #[test]
    fn where_nothing_was_rendered_all_is_tried_again_first() {
        let missing: FrameSet = "1-8".parse().unwrap();
        let tried = ProcessResult {
            missing: &missing,
            progressed: false,
            failed_at: Some(1),
            unproven: None,
            tries: 0,
            nothing_rendered: true,
        };
        assert_eq!(next(tried, &limits(1))[0].frames, missing);
    }

    /// What a made-up engine lets one know of the frame that it fails at.
    #[derive(Debug, Clone, Copy, PartialEq)]
    enum FailurePoint {
        /// Nothing.
        None,
        /// It names the frame.
        Named,
        /// It works in order: its last picture is unproven.
        InOrder,
    }

    /// Plays a chunk through to its end; gives the frames that are done and the number of processes.
    fn play(
        frames: &FrameSet,
        bad: &[Frame],
        knowledge: FailurePoint,
        retries: u32,
    ) -> (Vec<Frame>, u32) {
        let (mut done, mut processes) = (Vec::new(), 0);
        let mut queue = vec![(frames.clone(), 0)];
        while let Some((frames, tries)) = queue.pop() {
            processes += 1;
            assert!(processes < 10_000);
            let mut good: Vec<Frame> = frames
                .iter()
                .take_while(|frame| !bad.contains(frame))
                .collect();
            let failed = good.len() < frames.count() as usize;
            let unproven = match knowledge {
                FailurePoint::InOrder if failed => good.pop(),
                _ => None,
            };
            let missing = FrameSet::from_frames(frames.iter().skip(good.len()));
            let failed_at = missing.first().filter(|_| match knowledge {
                FailurePoint::None => false,
                FailurePoint::Named => true,
                FailurePoint::InOrder => unproven.is_none(),
            });
            let tried = ProcessResult {
                missing: &missing,
                progressed: !good.is_empty(),
                failed_at,
                unproven,
                tries,
                nothing_rendered: false,
            };
            done.extend(good);
            let again = next(tried, &limits(retries));
            queue.extend(again.into_iter().rev().map(|one| (one.frames, one.tries)));
        }
        done.sort_unstable();
        (done, processes)
    }

    proptest::proptest! {
        #[test]
        fn only_the_bad_frames_are_left(
            last in 1_i64..60,
            bad in proptest::collection::btree_set(1_i64..60, 0..6),
            knowledge in proptest::sample::select(vec![
                FailurePoint::None, FailurePoint::Named, FailurePoint::InOrder,
            ]),
            retries in 0_u32..3,
        ) {
            let bad: Vec<Frame> = bad.into_iter().filter(|frame| *frame <= last).collect();
            let (done, processes) = play(&FrameSet::range(1, last), &bad, knowledge, retries);
            let good: Vec<Frame> = (1..=last).filter(|frame| !bad.contains(frame)).collect();
            proptest::prop_assert_eq!(done, good);
            let each = match knowledge {
                FailurePoint::None => 40 * (retries + 1),
                FailurePoint::Named | FailurePoint::InOrder => 6 + retries,
            };
            let most = 1 + each * (bad.len() as u32 + u32::from(knowledge == FailurePoint::None));
            proptest::prop_assert!(processes <= most, "{} processes", processes);
        }
    }
}
