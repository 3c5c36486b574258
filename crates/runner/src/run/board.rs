//! What is still to do, and who is at it: from here the threads of a run take their work.

use std::collections::{HashMap, VecDeque};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use truepath_core::plan::PlannedProcess;

use super::outcome::UnconfirmedPictures;
use super::prospects::Prospects;
use super::{Failure, RunError};
use crate::claims::Claim;
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

/// Frames that one more process is started for.
#[derive(Debug, Clone)]
pub(super) struct Attempt {
    pub(super) planned: PlannedProcess,
    /// How many tries in a row brought none of them.
    pub(super) tries: u32,
    /// Not before this.
    pub(super) not_before: Option<Moment>,
    /// What the try before left, where only its exit code did not mean success.
    pub(super) unconfirmed: Option<UnconfirmedPictures>,
}

impl Attempt {
    /// The first attempt at some frames.
    pub(super) fn first(planned: PlannedProcess) -> Self {
        Self {
            planned,
            tries: 0,
            not_before: None,
            unconfirmed: None,
        }
    }
}

/// A piece of the plan: what one process renders when all goes well.
#[derive(Debug)]
pub(super) struct Chunk {
    pub(super) planned: PlannedProcess,
    /// What is left of it once it was begun.
    pub(super) attempts: VecDeque<Attempt>,
    /// Frames that failed while it is open whether anything of the deliverable works.
    pub(super) failed_probes: Vec<(Attempt, Vec<Failure>)>,
    /// Ours, once it was begun.
    pub(super) claim: Option<Claim>,
    /// Of a movie the sequence that it is assembled from, by the index of its deliverable.
    pub(super) source: Option<usize>,
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
    chunks: Vec<Option<Chunk>>,
    open: VecDeque<usize>,
    later: Vec<(Moment, usize)>,
    away: VecDeque<usize>,
    /// Whether it was reported that nothing is left to begin here.
    reported_waiting: bool,
    /// Chunks that are not done, by the deliverable that they make.
    left: HashMap<usize, usize>,
    busy: usize,
    /// How many processes may run at once, and how many turns are given out.
    jobs: usize,
    turns: usize,
    error: Option<RunError>,
    halt: Option<StopReason>,
}

/// Leave to have one process at work, given back as soon as the process has ended: what it brought
/// is published while the next one renders.
pub(super) struct ProcessSlot<'b>(&'b Board);

impl Drop for ProcessSlot<'_> {
    fn drop(&mut self) {
        self.0.inner().turns -= 1;
        self.0.changed.notify_all();
    }
}

/// All chunks of a run.
pub(super) struct Board {
    inner: Mutex<Inner>,
    changed: Condvar,
}

impl Board {
    pub(super) fn new(chunks: Vec<Chunk>, jobs: usize) -> Self {
        let mut left: HashMap<usize, usize> = HashMap::new();
        for index in chunks
            .iter()
            .flat_map(|one| one.planned.deliverables.iter())
        {
            *left.entry(*index).or_default() += 1;
        }
        Self {
            inner: Mutex::new(Inner {
                open: (0..chunks.len()).collect(),
                chunks: chunks.into_iter().map(Some).collect(),
                later: Vec::new(),
                away: VecDeque::new(),
                reported_waiting: false,
                left,
                busy: 0,
                jobs,
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
    pub(super) fn take(
        &self,
        prospects: &Prospects,
        waits_for: &dyn Fn(usize),
    ) -> Option<(usize, Chunk, ProcessSlot<'_>)> {
        let mut inner = self.inner();
        loop {
            if inner.error.is_some() || inner.halt.is_some() {
                return None;
            }
            let now = Moment::now();
            if let Some(at) = inner.later.iter().position(|(when, _)| *when <= now) {
                let (_, number) = inner.later.swap_remove(at);
                inner.open.push_front(number);
            }
            if inner.turns < inner.jobs
                && let Some(number) = inner.next_open(prospects)
                && let Some(chunk) = inner.chunks[number].take()
            {
                inner.busy += 1;
                inner.turns += 1;
                return Some((number, chunk, ProcessSlot(self)));
            }
            if inner.busy == 0 && inner.later.is_empty() {
                if !inner.open.is_empty() {
                    // What would show whether anything works is out of reach.
                    prospects.settle();
                } else if inner.away.is_empty() {
                    self.changed.notify_all();
                    return None;
                }
            }
            let is_idle = inner.busy == 0 && inner.open.is_empty() && inner.later.is_empty();
            if is_idle && !inner.away.is_empty() && !inner.reported_waiting {
                inner.reported_waiting = true;
                waits_for(inner.away.len());
            }
            let first = inner.later.iter().map(|(when, _)| *when).min();
            let patience = first.map_or(TICK, |first| first.since(now).min(TICK));
            let waited = self
                .changed
                .wait_timeout(inner, pause(patience.max(Duration::from_millis(1))));
            let (back, out) = waited.unwrap_or_else(PoisonError::into_inner);
            inner = back;
            if out.timed_out() && inner.open.is_empty() {
                // What others have may be free by now.
                for _ in 0..AT_A_TIME {
                    let Some(number) = inner.away.pop_front() else {
                        break;
                    };
                    inner.open.push_back(number);
                }
            }
        }
    }

    /// Hands a piece of work back.
    pub(super) fn hand_back(&self, number: usize, chunk: Chunk, next: ChunkOutcome) {
        let mut inner = self.inner();
        inner.busy -= 1;
        if matches!(next, ChunkOutcome::Done) {
            for index in chunk.planned.deliverables.iter() {
                if let Some(left) = inner.left.get_mut(index) {
                    *left -= 1;
                }
            }
        } else {
            inner.chunks[number] = Some(chunk);
        }
        match next {
            ChunkOutcome::Done => {}
            ChunkOutcome::Again => inner.open.push_front(number),
            ChunkOutcome::Later(when) => inner.later.push((when, number)),
            ChunkOutcome::Away => inner.away.push_back(number),
            ChunkOutcome::NotYet => inner.later.push((Moment::now() + TICK, number)),
            ChunkOutcome::Doubtful => inner.open.push_back(number),
        }
        drop(inner);
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

impl Inner {
    /// The first that can be begun: a movie waits for its sequence.
    fn next_open(&mut self, prospects: &Prospects) -> Option<usize> {
        let at = self.open.iter().position(|number| {
            let Some(chunk) = self.chunks[*number].as_ref() else {
                return false;
            };
            let is_due = |source: usize| self.left.get(&source).is_none_or(|left| *left == 0);
            chunk.source.is_none_or(is_due) && prospects.may_begin(&chunk.planned)
        })?;
        self.open.remove(at)
    }
}
