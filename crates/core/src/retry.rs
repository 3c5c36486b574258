//! What is done about frames that a process did not bring: again after a pause, then halved until the
//! bad frame is alone.

use std::time::Duration;

use crate::deliverable::Limits;
use crate::frames::{Frame, FrameSet};

/// No pause is longer than this.
const LONGEST_PAUSE: Duration = Duration::from_secs(600);

/// Frames that one more process is started for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Again {
    /// The frames.
    pub frames: FrameSet,
    /// How often in a row they came to nothing.
    pub tries: u32,
    /// How long to wait before.
    pub pause: Duration,
}

/// What a process came to.
#[derive(Debug, Clone, Copy)]
pub struct Came<'a> {
    /// The frames that it did not bring.
    pub missing: &'a FrameSet,
    /// Whether it brought any.
    pub progressed: bool,
    /// The frame that it broke off at, where that is known.
    pub culprit: Option<Frame>,
    /// How often in a row its frames came to nothing before.
    pub tries: u32,
    /// Whether it is no frame's fault: the engine cannot begin, or no part of the chunk works.
    pub hopeless: bool,
}

/// What to do next; nothing where the frames, a single one, have failed for good.
#[must_use]
pub fn next(came: Came<'_>, limits: &Limits) -> Vec<Again> {
    let again = |frames: &FrameSet, tries: u32, pause: Duration| Again {
        frames: frames.clone(),
        tries,
        pause,
    };
    let missing = came.missing;
    if missing.is_empty() {
        return Vec::new();
    }
    if came.progressed {
        return vec![again(missing, 0, Duration::ZERO)];
    }
    if came.tries < limits.retries {
        let factor = 1_u32.checked_shl(came.tries).unwrap_or(u32::MAX);
        let pause = limits.retry_pause.saturating_mul(factor).min(LONGEST_PAUSE);
        return vec![again(missing, came.tries + 1, pause)];
    }
    if missing.count() == 1 || came.hopeless {
        return Vec::new();
    }
    let parts = match came.culprit.filter(|frame| missing.contains(*frame)) {
        Some(frame) => {
            let alone = FrameSet::range(frame, frame);
            let rest = missing.difference(&alone).unwrap_or_default();
            vec![rest, alone]
        }
        None => missing.chunks(missing.count().div_ceil(2)),
    };
    let parts = parts.iter().filter(|part| !part.is_empty());
    parts
        .map(|part| again(part, came.tries, Duration::ZERO))
        .collect()
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
        }
    }

    fn after(missing: &str, progressed: bool, culprit: Option<Frame>, tries: u32) -> Vec<String> {
        let missing: FrameSet = missing.parse().unwrap();
        let came = Came {
            missing: &missing,
            progressed,
            culprit,
            tries,
            hopeless: false,
        };
        next(came, &limits(2))
            .iter()
            .map(|one| format!("{} tries {} pause {:?}", one.frames, one.tries, one.pause))
            .collect()
    }

    #[test]
    fn pauses_grow_and_then_the_chunk_is_halved() {
        assert_eq!(after("5-8", true, None, 2), ["5-8 tries 0 pause 0ns"]);
        assert_eq!(after("5-8", false, None, 0), ["5-8 tries 1 pause 5s"]);
        assert_eq!(after("5-8", false, None, 1), ["5-8 tries 2 pause 10s"]);
        let halves = ["5-6 tries 2 pause 0ns", "7-8 tries 2 pause 0ns"];
        assert_eq!(after("5-8", false, None, 2), halves);
        let apart = ["5,7-8 tries 2 pause 0ns", "6 tries 2 pause 0ns"];
        assert_eq!(after("5-8", false, Some(6), 2), apart);
        assert!(after("5", false, Some(5), 2).is_empty());
    }

    /// Plays a chunk through to its end; gives the frames that are done and how many processes that took.
    fn play(frames: &FrameSet, bad: &[Frame], tells: bool, retries: u32) -> (Vec<Frame>, u32) {
        let (mut done, mut processes) = (Vec::new(), 0);
        let mut queue = vec![(frames.clone(), 0)];
        while let Some((frames, tries)) = queue.pop() {
            processes += 1;
            assert!(processes < 10_000);
            let good: Vec<Frame> = frames
                .iter()
                .take_while(|frame| !bad.contains(frame))
                .collect();
            let missing = FrameSet::from_frames(frames.iter().skip(good.len()));
            let came = Came {
                missing: &missing,
                progressed: !good.is_empty(),
                culprit: missing.first().filter(|_| tells),
                tries,
                hopeless: false,
            };
            done.extend(good);
            let again = next(came, &limits(retries));
            queue.extend(again.into_iter().map(|one| (one.frames, one.tries)));
        }
        done.sort_unstable();
        (done, processes)
    }

    proptest::proptest! {
        #[test]
        fn only_the_bad_frames_are_left(
            last in 1_i64..60,
            bad in proptest::collection::btree_set(1_i64..60, 0..6),
            tells: bool,
            retries in 0_u32..3,
        ) {
            let bad: Vec<Frame> = bad.into_iter().collect();
            let (done, processes) = play(&FrameSet::range(1, last), &bad, tells, retries);
            let good: Vec<Frame> = (1..=last).filter(|frame| !bad.contains(frame)).collect();
            proptest::prop_assert_eq!(done, good);
            proptest::prop_assert!(processes <= 1 + 40 * (bad.len() as u32 + 1) * (retries + 1));
        }
    }
}
