//! The chunks that are open, in their order: what is taken next, and how much of it.

use std::collections::{HashMap, HashSet, VecDeque};
use std::time::{Duration, Instant};
use truepath_core::balance::OpenWork;
use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::FrameSet;
use truepath_core::plan::{Blocks, PlannedProcess};
use truepath_core::probes::Verdict;

use super::Failure;
use super::attempt::Attempt;
use super::pace::{Pace, Turn, WorkKind};
use super::place::PlaceAtWork;
use super::prospects::Prospects;
use crate::record::claims::Claim;

/// Where more chunks are open than this, they stay in their order.
const MOST_SORTED: usize = 1000;
/// How long the sum of all open work is used before it is added up again.
const SUM_IS_TRUE: Duration = Duration::from_millis(250);

/// What a chunk is for.
pub(super) enum Purpose {
    /// To render its frames, in as many processes as is best.
    Pieces,
    /// To render a clip that may not be split.
    Clip,
    /// To find out whether its clip may be split, and to lay out its chunks then.
    FindSplit,
    /// To render a place of a clip in a row and a frame of it alone.
    Place(Box<PlaceAtWork>),
}

/// A piece of the plan: what one process renders when all goes well.
pub(super) struct Chunk {
    pub(super) planned: PlannedProcess,
    pub(super) purpose: Purpose,
    /// Its frames in blocks, which are claimed one by one.
    pub(super) blocks: Blocks,
    /// The frames that were missing of it when the run began.
    pub(super) missing: FrameSet,
    /// The most frames of one process, where the job says so.
    pub(super) most: Option<u64>,
    /// What is left of it once it was begun.
    pub(super) attempts: VecDeque<Attempt>,
    /// Frames that failed while it is open whether anything of the deliverable works.
    pub(super) failed_probes: Vec<(Attempt, Vec<Failure>)>,
    /// Its blocks that are ours, once it was begun.
    pub(super) claims: Vec<Claim>,
    /// What the process that is at work on it makes.
    pub(super) at_work: Option<PlannedProcess>,
    /// Whether a process of it has brought nothing. Then its frames that are to be tried are tried alone.
    pub(super) was_tried: bool,
    /// Whether an error of this program ended one of its processes. Then its frames are tried one by one.
    pub(super) is_one_by_one: bool,
    /// Of what is assembled the deliverables that it is assembled from, in their order.
    pub(super) sources: Vec<DeliverableId>,
}

impl Chunk {
    /// A chunk that nobody has begun. Only what is rendered in pieces is cut into blocks.
    pub(super) fn new(planned: PlannedProcess, purpose: Purpose, missing: FrameSet) -> Self {
        let blocks = match purpose {
            Purpose::Pieces => Blocks::of(&planned.frames),
            _ => Blocks::whole(&planned.frames),
        };
        Self {
            planned,
            purpose,
            blocks,
            missing,
            most: None,
            attempts: VecDeque::new(),
            failed_probes: Vec::new(),
            claims: Vec::new(),
            at_work: None,
            was_tried: false,
            is_one_by_one: false,
            sources: Vec::new(),
        }
    }

    /// Whether it is a place at which it is found out whether a clip may be split.
    pub(super) fn is_place(&self) -> bool {
        matches!(self.purpose, Purpose::Place(_))
    }

    /// Whether its clip may not be split.
    pub(super) fn is_clip(&self) -> bool {
        matches!(self.purpose, Purpose::Clip)
    }

    /// Whether it is ours.
    pub(super) fn is_begun(&self) -> bool {
        !self.claims.is_empty()
    }

    /// Its blocks from the one with an index on as a chunk of their own; none where it has not so many.
    pub(super) fn split_off(&mut self, index: u64) -> Option<Self> {
        let rest = self.blocks.split_off(index)?;
        let of = |blocks: &Blocks| self.planned.with_frames(blocks.frames());
        let missing = self.missing.clone();
        let rest = Self {
            blocks: rest.clone(),
            most: self.most,
            sources: self.sources.clone(),
            ..Self::new(of(&rest), Purpose::Pieces, missing)
        };
        self.planned = of(&self.blocks);
        Some(rest)
    }

    /// The frames that are to do of it, as far as that was known when the run began.
    fn to_do(&self) -> u64 {
        self.planned.frames.count_shared(&self.missing)
    }
}

/// A chunk that is taken, and what its process is measured by.
pub(super) struct Taken {
    pub(super) number: usize,
    pub(super) chunk: Chunk,
    pub(super) turn: Turn,
}

/// The sum of all open work.
struct Sum {
    seconds: f64,
    frames: u64,
    when: Instant,
}

/// All chunks of a run that nobody has in hands.
pub(super) struct ChunkQueue {
    chunks: Vec<Option<Chunk>>,
    open: VecDeque<usize>,
    /// Chunks that are not done, by the deliverable that they make.
    left: HashMap<DeliverableId, usize>,
    kinds: HashMap<DeliverableId, WorkKind>,
    sum: Option<Sum>,
}

impl ChunkQueue {
    pub(super) fn new(chunks: Vec<Chunk>, kinds: HashMap<DeliverableId, WorkKind>) -> Self {
        let mut queue = Self {
            chunks: Vec::new(),
            open: VecDeque::new(),
            left: HashMap::new(),
            kinds,
            sum: None,
        };
        for chunk in chunks {
            let number = queue.add(chunk);
            queue.open.push_back(number);
        }
        queue
    }

    pub(super) fn is_empty(&self) -> bool {
        self.open.is_empty()
    }

    /// Frames that no process has begun, as far as they are no more than `most`.
    pub(super) fn open_frames(&self, most: u64) -> u64 {
        let chunks = self
            .open
            .iter()
            .filter_map(|number| self.chunks[*number].as_ref());
        let mut frames = 0;
        for chunk in chunks {
            frames += chunk.to_do();
            if frames >= most {
                return most;
            }
        }
        frames
    }

    /// Files of some chunks.
    pub(super) fn files_of(&self, numbers: &VecDeque<usize>) -> u64 {
        let chunks = numbers
            .iter()
            .filter_map(|number| self.chunks[*number].as_ref());
        chunks.map(|chunk| chunk.planned.files()).sum()
    }

    fn add(&mut self, chunk: Chunk) -> usize {
        for index in chunk.planned.deliverables.iter() {
            *self.left.entry(*index).or_default() += 1;
        }
        self.chunks.push(Some(chunk));
        self.chunks.len() - 1
    }

    /// One more chunk, before all others.
    pub(super) fn add_first(&mut self, chunk: Chunk) {
        let number = self.add(chunk);
        self.open.push_front(number);
    }

    /// Puts a chunk back that was taken.
    pub(super) fn put(&mut self, number: usize, chunk: Chunk) {
        self.chunks[number] = Some(chunk);
    }

    /// Takes the places of clips, at the end.
    pub(super) fn take_places(&mut self) -> Vec<Chunk> {
        let all = self.chunks.iter_mut();
        all.filter_map(|chunk| chunk.take_if(|chunk| chunk.is_place()))
            .collect()
    }

    /// A chunk that was taken is done.
    pub(super) fn done(&mut self, chunk: &Chunk) {
        for index in chunk.planned.deliverables.iter() {
            if let Some(left) = self.left.get_mut(index) {
                *left -= 1;
            }
        }
    }

    /// Counts the chunks again that are not done: whatever went wrong, what is assembled begins once its sources are done.
    pub(super) fn count_again(&mut self) {
        self.left.clear();
        let open = self
            .open
            .iter()
            .filter_map(|number| self.chunks[*number].as_ref());
        for index in open.flat_map(|chunk| chunk.planned.deliverables.iter()) {
            *self.left.entry(*index).or_default() += 1;
        }
    }

    pub(super) fn open_first(&mut self, number: usize) {
        self.open.push_front(number);
    }

    pub(super) fn open_last(&mut self, number: usize) {
        self.open.push_back(number);
    }

    /// Takes the next chunk that can be begun: as much of it as the next process is given.
    pub(super) fn take(&mut self, pace: &Pace, prospects: &Prospects) -> Option<Taken> {
        let at = self.next(pace, prospects)?;
        let number = *self.open.get(at)?;
        let index = *self.chunks[number].as_ref()?.planned.deliverables.first();
        let turn = match self.kinds.get(&index) {
            Some(kind) => pace.begin(kind)?,
            None => return None,
        };
        self.open.remove(at);
        let mut chunk = self.chunks[number].take()?;
        self.begin_at_probe(&mut chunk, at, prospects);
        if let Some(rest) = self.rest_of(&mut chunk, index, pace) {
            let rest = self.add(rest);
            self.open.insert(at, rest);
        }
        if let Some(sum) = &mut self.sum {
            sum.frames = sum.frames.saturating_sub(chunk.to_do());
        }
        prospects.taken(&chunk.planned);
        Some(Taken {
            number,
            chunk,
            turn,
        })
    }

    /// While it is open whether anything works, a chunk begins with the frame that is to be tried; of one that the job
    /// cuts the first frame is tried in place of it.
    fn begin_at_probe(&mut self, chunk: &mut Chunk, at: usize, prospects: &Prospects) {
        let planned = &chunk.planned;
        let is_new = matches!(chunk.purpose, Purpose::Pieces) && !chunk.is_begun();
        if !is_new || prospects.verdict(planned) != Verdict::Open {
            return;
        }
        let Some(probe) = prospects.probe(&planned.frames, planned) else {
            return;
        };
        if chunk.most.is_some() {
            let mut frames = planned.frames.iter();
            if let Some(first) = frames.find(|frame| chunk.missing.contains(*frame)) {
                prospects.moved(planned, probe, first);
            }
            return;
        }
        let mut blocks = chunk.blocks.each();
        let block = blocks.position(|one| one.contains(probe)).unwrap_or(0);
        drop(blocks);
        if let Some(mut rest) = chunk.split_off(block as u64) {
            std::mem::swap(chunk, &mut rest);
            let before = self.add(rest);
            self.open.insert(at, before);
        }
    }

    /// What is left of a chunk for others when its next process is given its part.
    fn rest_of(&mut self, chunk: &mut Chunk, index: DeliverableId, pace: &Pace) -> Option<Chunk> {
        if chunk.is_begun() || chunk.blocks.count() < 2 || !pace.cuts() {
            return None;
        }
        let to_do = chunk.to_do();
        let sum = self.sum(pace);
        let (all_seconds, all_frames) = (sum.seconds, sum.frames + to_do);
        let kind = self.kinds.get(&index)?;
        let (seconds, start_up) = pace.seconds(kind);
        // What was never measured begins small, unless starting is what takes long.
        let is_worth =
            |seconds: &f64| pace.is_known(kind) || start_up * 10.0 > seconds * to_do as f64;
        let seconds = seconds.filter(is_worth);
        let open = OpenWork {
            frames: to_do,
            seconds,
            start_up,
            all_seconds: all_seconds + seconds.unwrap_or(0.0) * to_do as f64,
            all_frames,
        };
        let frames = pace.frames_of_next(open, chunk.most);
        let blocks = chunk.blocks.holding(&chunk.missing, frames);
        chunk.split_off(blocks)
    }

    /// The sum of all that is open.
    fn sum(&mut self, pace: &Pace) -> &Sum {
        let is_true = |sum: &Sum| sum.when.elapsed() < SUM_IS_TRUE;
        let known = self.sum.take().filter(is_true);
        let sum = known.unwrap_or_else(|| self.add_up(pace));
        self.sum.insert(sum)
    }

    fn add_up(&self, pace: &Pace) -> Sum {
        let mut sum = Sum {
            seconds: 0.0,
            frames: 0,
            when: Instant::now(),
        };
        let mut frames: HashMap<DeliverableId, u64> = HashMap::new();
        for chunk in self
            .open
            .iter()
            .filter_map(|number| self.chunks[*number].as_ref())
        {
            *frames
                .entry(*chunk.planned.deliverables.first())
                .or_default() += chunk.to_do();
        }
        for (index, frames) in frames {
            let seconds = self.kinds.get(&index).and_then(|kind| pace.seconds(kind).0);
            sum.seconds += seconds.unwrap_or(0.0) * frames as f64;
            sum.frames += frames;
        }
        sum
    }

    /// Whether a chunk can be begun now: what is assembled waits until its sources are done.
    fn can_begin(&self, chunk: &Chunk, prospects: &Prospects) -> bool {
        let is_done = |source: &DeliverableId| self.left.get(source).is_none_or(|left| *left == 0);
        chunk.sources.iter().all(is_done) && may_begin(chunk, prospects)
    }

    /// Whether any open chunk can be begun now.
    pub(super) fn can_begin_any(&self, prospects: &Prospects) -> bool {
        let mut chunks = self
            .open
            .iter()
            .filter_map(|number| self.chunks[*number].as_ref());
        chunks.any(|chunk| self.can_begin(chunk, prospects))
    }

    /// The place of the next chunk that can be begun. What is assembled waits for its sources. Of those of one rank what takes
    /// longest comes first, where that is wanted, and before it what was never measured.
    fn next(&self, pace: &Pace, prospects: &Prospects) -> Option<usize> {
        let can_begin = |chunk: &Chunk| self.can_begin(chunk, prospects);
        let chunks = || {
            let open = self.open.iter().enumerate();
            open.filter_map(|(at, number)| Some((at, self.chunks[*number].as_ref()?)))
        };
        let (first, chunk) = chunks().find(|(_, chunk)| can_begin(chunk))?;
        let kind_of = |chunk: &Chunk| self.kinds.get(chunk.planned.deliverables.first());
        let stays = chunk.is_begun() || !chunk.sources.is_empty();
        let kind =
            kind_of(chunk).filter(|_| !stays && pace.sorts() && self.open.len() <= MOST_SORTED);
        let Some(kind) = kind.filter(|kind| !kind.is_spread) else {
            return Some(first);
        };
        let length = |kind: &WorkKind| {
            if pace.is_known(kind) {
                pace.seconds(kind).0.unwrap_or(f64::INFINITY)
            } else {
                f64::INFINITY
            }
        };
        let (mut best, mut longest) = (first, length(kind));
        // All chunks of a deliverable are of one kind: the first that can be begun stands for the others.
        let mut seen = HashSet::from([*chunk.planned.deliverables.first()]);
        for (at, chunk) in chunks().skip(first + 1) {
            let index = *chunk.planned.deliverables.first();
            if !seen.contains(&index)
                && can_begin(chunk)
                && seen.insert(index)
                && let Some(other) = kind_of(chunk)
                && other.priority == kind.priority
                && !other.is_spread
                && chunk.sources.is_empty()
                && length(other) > longest
            {
                (best, longest) = (at, length(other));
            }
        }
        Some(best)
    }
}

/// Whether a chunk can be begun, by what is known of what it makes.
fn may_begin(chunk: &Chunk, prospects: &Prospects) -> bool {
    let planned = &chunk.planned;
    if matches!(prospects.verdict(planned), Verdict::NothingWorks(_)) {
        return true;
    }
    let splits = &prospects.splits;
    match &chunk.purpose {
        Purpose::Pieces => prospects.may_begin(planned),
        Purpose::Clip => true,
        Purpose::FindSplit => splits.may_decide(planned, chunk.is_begun()),
        Purpose::Place(place) => splits.may_go_on(planned, place.is_judged()),
    }
}
