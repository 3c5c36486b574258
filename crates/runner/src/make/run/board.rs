//! What is still to do, and who is at it: from here the threads of a run take their work.

use std::collections::{HashMap, VecDeque};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use truepath_core::deliverable::DeliverableId;

use super::RunError;
use super::chunk_queue::{Chunk, ChunkQueue};
use super::pace::{Pace, Turn, WorkKind};
use super::prospects::Prospects;
use crate::clock::{Moment, pause};
use crate::lock::lock;

/// A thread that has nothing to do looks up this often.
const TICK: Duration = Duration::from_millis(200);
/// So many chunks that others hold are looked at again at a time.
const AT_A_TIME: usize = 64;

/// Why a run stops before all is done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StopReason {
    /// Why, as a sentence.
    pub why: String,
    /// Whether what is nearly done is finished first.
    pub finish: bool,
    /// Whether somebody asked for it.
    pub interrupted: bool,
}

/// What becomes of a chunk that a thread had in its hands.
pub(super) enum ChunkOutcome {
    /// It is done, well or not.
    Done,
    /// More of it is to be done.
    Again,
    /// More of it is to be done, but not before.
    Later(Moment),
    /// Another run has it.
    Away,
    /// It cannot be begun yet.
    NotYet,
    /// Whether anything of its deliverable works is to be found out first.
    Doubtful,
}

struct Inner {
    queue: ChunkQueue,
    later: Vec<(Moment, usize)>,
    away: VecDeque<usize>,
    /// Whether it was reported that nothing is left to begin here.
    reported_waiting: bool,
    /// Chunks that are in somebody's hands.
    busy: usize,
    /// How many slots are given out.
    turns: usize,
    error: Option<RunError>,
    halt: Option<StopReason>,
}

/// Leave to have one process at work, given back as soon as the process has ended: what it brought
/// is published while the next one renders.
pub(super) struct ProcessSlot<'b> {
    board: &'b Board,
    pace: &'b Pace,
    /// What its process is measured by.
    pub(super) turn: Turn,
    /// Threads that its process is given where the job does not say it.
    pub(super) threads: Option<i64>,
}

impl Drop for ProcessSlot<'_> {
    fn drop(&mut self) {
        self.pace.end(self.turn);
        self.board.inner().turns -= 1;
        self.board.changed.notify_all();
    }
}

/// A chunk that a thread has taken, and the slot to work on it.
pub(super) struct TakenChunk<'b> {
    pub(super) number: usize,
    pub(super) chunk: Chunk,
    pub(super) slot: ProcessSlot<'b>,
}

/// All chunks of a run.
pub(super) struct Board {
    inner: Mutex<Inner>,
    changed: Condvar,
}

impl Board {
    /// The chunks of a run in their order, and the kind of work that each deliverable is, by its index.
    pub(super) fn new(chunks: Vec<Chunk>, kinds: HashMap<DeliverableId, WorkKind>) -> Self {
        Self {
            inner: Mutex::new(Inner {
                queue: ChunkQueue::new(chunks, kinds),
                later: Vec::new(),
                away: VecDeque::new(),
                reported_waiting: false,
                busy: 0,
                turns: 0,
                error: None,
                halt: None,
            }),
            changed: Condvar::new(),
        }
    }

    fn inner(&self) -> MutexGuard<'_, Inner> {
        lock(&self.inner)
    }

    /// The next piece of work and a slot to do it in, waited for; none when the run is at its end.
    pub(super) fn take<'b>(
        &'b self,
        pace: &'b Pace,
        prospects: &Prospects,
        waits_for: &dyn Fn(u64),
    ) -> Option<TakenChunk<'b>> {
        let mut inner = self.inner();
        loop {
            if inner.error.is_some() || inner.halt.is_some() {
                return None;
            }
            let now = Moment::now();
            if let Some(at) = inner.later.iter().position(|(when, _)| *when <= now) {
                let (_, number) = inner.later.swap_remove(at);
                inner.queue.open_first(number);
            }
            if inner.turns < pace.at_once()
                && let Some(taken) = inner.queue.take(pace, prospects)
            {
                inner.busy += 1;
                inner.turns += 1;
                let most = pace.at_once() as u64;
                let threads = pace.threads(inner.turns, inner.queue.open_frames(most));
                return Some(TakenChunk {
                    number: taken.number,
                    chunk: taken.chunk,
                    slot: ProcessSlot {
                        board: self,
                        pace,
                        turn: taken.turn,
                        threads,
                    },
                });
            }
            if inner.busy == 0 && inner.later.is_empty() {
                if !inner.queue.is_empty() {
                    // What would show whether anything works is out of reach.
                    prospects.settle();
                    if inner.away.is_empty() && !inner.queue.can_begin_any(prospects) {
                        // Nobody is at work, nobody waits for anything, and nothing can begin: what is counted is wrong.
                        debug_assert!(false, "the run would stand still");
                        inner.queue.count_again();
                        if !inner.queue.can_begin_any(prospects) {
                            self.changed.notify_all();
                            return None;
                        }
                    }
                } else if inner.away.is_empty() {
                    self.changed.notify_all();
                    return None;
                }
            }
            // What is assembled stays open while its sources are not done: it must not hide that all else is with others.
            let nothing_can_begin = !inner.queue.can_begin_any(prospects);
            let is_idle = inner.busy == 0 && nothing_can_begin && inner.later.is_empty();
            if is_idle && !inner.away.is_empty() && !inner.reported_waiting {
                inner.reported_waiting = true;
                waits_for(inner.queue.files_of(&inner.away));
            }
            let first = inner.later.iter().map(|(when, _)| *when).min();
            let patience = first.map_or(TICK, |first| first.since(now).min(TICK));
            let waited = self
                .changed
                .wait_timeout(inner, pause(patience.max(Duration::from_millis(1))));
            let (back, out) = waited.unwrap_or_else(PoisonError::into_inner);
            inner = back;
            if out.timed_out() && nothing_can_begin {
                // What others have may be free by now.
                for _ in 0..AT_A_TIME {
                    let Some(number) = inner.away.pop_front() else {
                        break;
                    };
                    inner.queue.open_last(number);
                }
            }
        }
    }

    /// Hands a piece of work back.
    pub(super) fn hand_back(
        &self,
        number: usize,
        chunk: Chunk,
        next: ChunkOutcome,
        prospects: &Prospects,
    ) {
        prospects.given_back(&chunk.planned);
        let mut inner = self.inner();
        inner.busy -= 1;
        if matches!(next, ChunkOutcome::Done) {
            inner.queue.done(&chunk);
        } else {
            inner.queue.put(number, chunk);
        }
        match next {
            ChunkOutcome::Done => {}
            ChunkOutcome::Again => inner.queue.open_first(number),
            ChunkOutcome::Later(when) => inner.later.push((when, number)),
            ChunkOutcome::Away => inner.away.push_back(number),
            ChunkOutcome::NotYet => inner.later.push((Moment::now() + TICK, number)),
            ChunkOutcome::Doubtful => inner.queue.open_last(number),
        }
        drop(inner);
        self.changed.notify_all();
    }

    /// Part of a chunk that was taken is to be done by somebody else.
    pub(super) fn hand_on(&self, rest: Chunk) {
        self.inner().queue.add_first(rest);
        self.changed.notify_all();
    }

    /// Takes the places of clips that hold pictures: the run has ended.
    pub(super) fn take_places(&self) -> Vec<Chunk> {
        self.inner().queue.take_places()
    }

    /// More processes may work at once, or one fits again.
    pub(super) fn look_again(&self) {
        self.changed.notify_all();
    }

    /// Something went wrong that ends the run.
    pub(super) fn fail(&self, error: RunError) {
        self.inner().error.get_or_insert(error);
        self.changed.notify_all();
    }

    /// Stops the run; what asks for a quicker end wins.
    pub(super) fn halt(&self, halt: StopReason) -> bool {
        let mut inner = self.inner();
        let first = inner.halt.is_none();
        if inner
            .halt
            .as_ref()
            .is_none_or(|known| known.finish && !halt.finish)
        {
            inner.halt = Some(halt);
        }
        drop(inner);
        self.changed.notify_all();
        first
    }

    /// Why the run stops, if it does.
    pub(super) fn halted(&self) -> Option<StopReason> {
        let inner = self.inner();
        if inner.error.is_some() {
            return Some(StopReason {
                why: String::new(),
                finish: false,
                interrupted: false,
            });
        }
        inner.halt.clone()
    }

    /// The error that ended the run.
    pub(super) fn error(&self) -> Option<RunError> {
        self.inner().error.take()
    }
}
