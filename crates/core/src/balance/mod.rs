//! How the work of a run is shared out on one machine, where nobody has fixed it: decisions from measures alone.
//!
//! - [`frames_of_next`]: how many frames the next process is given.
//! - [`ProcessCount`]: how many processes work at once, by how much of the machine they use.
//! - [`Memory`]: whether one more process fits into what is free.
//! - [`threads_of_next`]: how many threads the next process is given.

mod memory;
mod piece;
mod process_count;

pub use memory::Memory;
pub use piece::{OpenWork, frames_of_next};
pub use process_count::{Measured, ProcessCount};

/// How many threads a process is given, of so many cores, where so many processes will work at once: those
/// that are allowed, but no more than there is work for.
#[must_use]
pub fn threads_of_next(cores: usize, at_once: usize, at_work: usize, open_frames: u64) -> usize {
    let open = usize::try_from(open_frames).unwrap_or(usize::MAX);
    let really = at_once.min(at_work.saturating_add(open)).max(1);
    (cores / really).max(1)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_last_frames_have_the_cores_of_those_that_are_done() {
        assert_eq!(threads_of_next(8, 8, 0, 100), 1);
        assert_eq!(threads_of_next(8, 8, 1, 1), 4);
        assert_eq!(threads_of_next(8, 4, 3, 100), 2);
        assert_eq!(threads_of_next(2, 4, 0, 1), 2);
        assert_eq!(threads_of_next(2, 4, 3, 9), 1);
    }
}
