//! Work that is handed out piece by piece and handed back in the same order, done on every core.

use std::sync::mpsc::sync_channel;
use std::thread;

/// Pieces that wait for each thread, and results that wait behind it.
const WAITING: usize = 2;

/// Takes pieces as long as there are any, works on them on other threads, each with a state of its own,
/// and takes the results in the order of the pieces. Few are held at a time, and all but the work is
/// done on the thread that calls.
///
/// # Errors
/// The first of getting a piece or of taking a result; nothing is begun after it.
pub fn in_turns<P: Send, S, R: Send, E>(
    mut next: impl FnMut() -> Result<Option<P>, E>,
    state: impl Fn() -> S + Sync,
    work: impl Fn(&mut S, P) -> R + Sync,
    mut take: impl FnMut(R) -> Result<(), E>,
) -> Result<(), E> {
    let cores = thread::available_parallelism().map_or(1, usize::from);
    let (state, work) = (&state, &work);
    thread::scope(|scope| {
        let mut pieces = Vec::new();
        let mut results = Vec::new();
        for _ in 0..cores {
            let (give, given) = sync_channel::<P>(WAITING);
            let (answer, answers) = sync_channel::<R>(WAITING);
            scope.spawn(move || {
                let mut state = state();
                for piece in given {
                    // Nobody waits any more once something went wrong.
                    if answer.send(work(&mut state, piece)).is_err() {
                        return;
                    }
                }
            });
            pieces.push(give);
            results.push(answers);
        }
        let (mut given, mut taken) = (0, 0);
        loop {
            let piece = next()?;
            let ended = piece.is_none();
            if let Some(piece) = piece {
                // A thread that is gone has panicked, which the end of the scope shows.
                let _ = pieces[given % cores].send(piece);
                given += 1;
            }
            while taken < given && (ended || given - taken == WAITING * cores) {
                if let Ok(result) = results[taken % cores].recv() {
                    take(result)?;
                }
                taken += 1;
            }
            if ended {
                return Ok(());
            }
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Doubles the numbers below an end, but fails at one of them.
    fn doubled(end: u64, bad: Option<u64>) -> (Vec<u64>, Result<(), u64>) {
        let mut numbers = 0..end;
        let mut results = Vec::new();
        let outcome = in_turns(
            || Ok(numbers.next()),
            || 0,
            |count, number| {
                *count += 1;
                // Later pieces are often done first.
                (0..(number * 7919) % 997).for_each(|one| {
                    std::hint::black_box(one);
                });
                (number, 2 * number)
            },
            |(number, double)| {
                if bad == Some(number) {
                    Err(number)
                } else {
                    results.push(double);
                    Ok(())
                }
            },
        );
        (results, outcome)
    }

    #[test]
    fn results_come_in_the_order_of_the_pieces() {
        for end in [0, 1, 2, 7, 1000] {
            let wanted = (0..end).map(|number| 2 * number).collect();
            assert_eq!(doubled(end, None), (wanted, Ok(())));
        }
    }

    #[test]
    fn nothing_is_taken_after_an_error() {
        assert_eq!(doubled(1000, Some(3)), (vec![0, 2, 4], Err(3)));
        assert_eq!(doubled(5, Some(4)), (vec![0, 2, 4, 6], Err(4)));
    }

    #[test]
    #[should_panic]
    fn a_panic_is_not_swallowed() {
        let mut numbers = 0..9;
        let _ = in_turns(
            || Ok::<_, ()>(numbers.next()),
            || (),
            |(), number| assert_ne!(number, 5),
            |()| Ok(()),
        );
    }
}
