//! How many frames the next process is given: few while nothing is known, then as many as make starting cheap, and
//! ever fewer towards the end, so that all processes end together.

/// Starting takes at most one part in so many of what a process does.
const START_UP_PART: f64 = 10.0;
/// A process is given one part in so many of what all processes together have left.
const PARTS: f64 = 2.0;
/// While nothing is known, a process is given one part in so many of the frames, and so many at most.
const FIRST_PARTS: u64 = 16;
const FIRST_MOST: u64 = 4;

/// What is left to begin, and what is known of it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OpenWork {
    /// Frames that could go into the next process.
    pub frames: u64,
    /// Seconds for one of them; none while nothing like it was rendered.
    pub seconds: Option<f64>,
    /// Seconds before the first frame of a process.
    pub start_up: f64,
    /// Seconds of all that no process has begun, this included.
    pub all_seconds: f64,
    /// Frames of all that no process has begun, this included.
    pub all_frames: u64,
}

/// How many of the frames the next process is given, of so many processes at once; at least one.
///
/// ```
/// use truepath_core::balance::{OpenWork, frames_of_next};
///
/// let open = OpenWork { frames: 96, seconds: Some(2.0), start_up: 0.5, all_seconds: 192.0, all_frames: 96 };
/// assert_eq!(frames_of_next(open, 4), 12);
/// // Towards the end the pieces become smaller.
/// let open = OpenWork { frames: 8, all_seconds: 16.0, all_frames: 8, ..open };
/// assert_eq!(frames_of_next(open, 4), 2);
/// // One process at a time takes all there is.
/// assert_eq!(frames_of_next(open, 1), 8);
/// ```
#[must_use]
pub fn frames_of_next(open: OpenWork, at_once: usize) -> u64 {
    let most = open.frames.max(1);
    if at_once <= 1 && open.seconds.is_some() {
        return most;
    }
    let share = open.all_frames.div_ceil(at_once.max(1) as u64);
    let Some(seconds) = open.seconds.filter(|seconds| seconds.is_finite()) else {
        let first = open.frames.div_ceil(FIRST_PARTS).min(FIRST_MOST);
        return first.min(share).clamp(1, most);
    };
    let each_process = open.all_seconds / at_once as f64;
    // Worth its start, as long as that does not leave the others without work.
    let worth = (open.start_up * (START_UP_PART - 1.0)).min(each_process);
    let target = (each_process / PARTS).max(worth);
    let frames = (target / seconds.max(1e-6)).round();
    (frames.max(1.0) as u64).clamp(1, most)
}

#[cfg(test)]
mod tests {
    use super::*;

    const OPEN: OpenWork = OpenWork {
        frames: 100,
        seconds: Some(1.0),
        start_up: 0.0,
        all_seconds: 100.0,
        all_frames: 100,
    };

    #[test]
    fn the_first_processes_are_small() {
        let unknown = OpenWork {
            seconds: None,
            ..OPEN
        };
        assert_eq!(frames_of_next(unknown, 2), 4);
        assert_eq!(
            frames_of_next(
                OpenWork {
                    frames: 6,
                    all_frames: 6,
                    ..unknown
                },
                2
            ),
            1
        );
        // Also of a single process: it may turn out that more of them pay.
        assert_eq!(frames_of_next(unknown, 1), 4);
    }

    #[test]
    fn starting_takes_a_tenth_at_most_while_all_have_work() {
        let slow = OpenWork {
            start_up: 2.0,
            ..OPEN
        };
        assert_eq!(frames_of_next(slow, 4), 18);
        // Reading the scene takes longer than all frames: each process gets its share, and no more starts.
        let heavy = OpenWork {
            start_up: 600.0,
            ..OPEN
        };
        assert_eq!(frames_of_next(heavy, 4), 25);
    }

    #[test]
    fn all_of_a_job_is_given_out_and_the_last_pieces_are_single_frames() {
        let mut left = 100;
        let mut pieces = Vec::new();
        while left > 0 {
            let open = OpenWork {
                frames: left,
                all_frames: left,
                all_seconds: left as f64,
                ..OPEN
            };
            let next = frames_of_next(open, 3);
            pieces.push(next);
            left -= next;
        }
        assert_eq!(pieces.iter().sum::<u64>(), 100);
        assert!(pieces.is_sorted_by(|one, next| one >= next), "{pieces:?}");
        assert_eq!((pieces[0], pieces.last()), (17, Some(&1)));
    }
}
