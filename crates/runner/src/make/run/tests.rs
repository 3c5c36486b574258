//! What a run decides, without any process.

use std::collections::{BTreeMap, VecDeque};
use std::path::PathBuf;
use std::time::Duration;

use truepath_core::at_least_one::AtLeastOne;
use truepath_core::deliverable::{DeliverableId, Limits};
use truepath_core::forecast::Effort;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::plan::{Blocks, PlannedProcess};
use truepath_core::probes::Verdict;

use super::attempt::Attempt;
use super::board;
use super::board::{ChunkOutcome, ProcessSlot, StopReason, TakenChunk};
use super::chunk_queue::{Chunk, Purpose};
use super::outcome::{End, Outcome, grouped};
use super::pace::{Jobs, Machine, Pace, WorkKind};
use super::prospects::Prospects;
use super::times::Times;
use super::{Failure, RunError};
use crate::clock::Moment;
use crate::record::ledger::Ledger;

const FIRST: DeliverableId = DeliverableId::at(0);

fn planned(deliverable: usize, frames: &str) -> PlannedProcess {
    let deliverables = AtLeastOne::one(DeliverableId::at(deliverable));
    PlannedProcess::of(deliverables, frames.parse().unwrap())
}

fn chunk(deliverable: usize, frames: &str, source: Option<usize>) -> Chunk {
    let planned = planned(deliverable, frames);
    Chunk {
        attempts: VecDeque::from([Attempt::first(planned.clone())]),
        blocks: Blocks::of(&planned.frames),
        missing: planned.frames.clone(),
        most: None,
        planned,
        purpose: Purpose::Pieces,
        failed_probes: Vec::new(),
        claims: Vec::new(),
        at_work: None,
        was_tried: false,
        is_one_by_one: false,
        sources: source.into_iter().map(DeliverableId::at).collect(),
    }
}

/// Prospects of deliverables of which frames were rendered before.
fn good(deliverables: usize) -> Prospects {
    let frames: FrameSet = "1-9".parse().unwrap();
    Prospects::new(&vec![frames; deliverables], &|_| true, &|_| None)
}

/// A board, and how its work is shared out.
struct Board {
    board: board::Board,
    pace: Pace,
}

impl Board {
    /// One of which so many processes work at once.
    fn new(chunks: Vec<Chunk>, jobs: usize) -> Self {
        let kind = |number: usize| WorkKind {
            label: format!("deliverable {number}"),
            effort: Effort {
                pixels: 1,
                samples: 1.0,
            },
            has_threads: true,
            priority: 0,
            is_spread: false,
        };
        let kinds = (0..9)
            .map(|number| (DeliverableId::at(number), kind(number)))
            .collect();
        let machine = Machine {
            cores: 4,
            memory: None,
        };
        Self {
            board: board::Board::new(chunks, kinds),
            pace: Pace::new(Jobs::Fixed(jobs), machine, &Ledger::default()),
        }
    }

    fn take(
        &self,
        prospects: &Prospects,
        waits_for: &dyn Fn(u64),
    ) -> Option<(usize, Chunk, ProcessSlot<'_>)> {
        let taken = self.board.take(&self.pace, prospects, waits_for)?;
        let TakenChunk {
            number,
            chunk,
            slot,
        } = taken;
        Some((number, chunk, slot))
    }
}

impl std::ops::Deref for Board {
    type Target = board::Board;

    fn deref(&self) -> &board::Board {
        &self.board
    }
}

/// Takes the next chunk of a board that must not be empty or waited for.
fn number(board: &Board, prospects: &Prospects) -> Option<usize> {
    let (number, chunk, slot) = board.take(prospects, &|_| panic!("waits"))?;
    drop(slot);
    board.hand_back(number, chunk, ChunkOutcome::Done, &good(1));
    Some(number)
}

#[test]
fn chunks_are_given_out_in_their_order_until_none_is_left() {
    let board = Board::new(vec![chunk(0, "1-3", None), chunk(0, "4-6", None)], 1);
    let prospects = good(1);
    let numbers = [0, 1, 2].map(|_| number(&board, &prospects));
    assert_eq!(numbers, [Some(0), Some(1), None]);
}

#[test]
fn no_process_stands_idle_while_a_chunk_can_be_cut() {
    let board = Board::new(vec![chunk(0, "1-32", None)], 2);
    let prospects = good(1);
    let mut frames = Vec::new();
    let mut at_work = Vec::new();
    while let Some((number, chunk, slot)) = board.take(&prospects, &|_| panic!("waits")) {
        frames.push(chunk.planned.frames.clone());
        at_work.push((number, chunk, slot));
        // Both have their hands full before the first is done.
        if at_work.len() == 2 {
            let (number, chunk, slot) = at_work.remove(0);
            drop(slot);
            board.hand_back(number, chunk, ChunkOutcome::Done, &good(1));
        }
        if frames.iter().map(FrameSet::count).sum::<u64>() == 32 {
            break;
        }
    }
    assert!(frames.len() > 2, "{frames:?}");
    let all = frames
        .iter()
        .fold(FrameSet::empty(), |all, one| all.union(one).unwrap());
    assert_eq!(all, "1-32".parse().unwrap());
    for (number, chunk, slot) in at_work {
        drop(slot);
        board.hand_back(number, chunk, ChunkOutcome::Done, &good(1));
    }
    assert!(board.take(&prospects, &|_| panic!("waits")).is_none());
}

#[test]
fn a_movie_waits_for_all_chunks_of_its_sequence() {
    let movie = chunk(1, "1-9", Some(0));
    let board = Board::new(vec![movie, chunk(0, "1-3", None), chunk(0, "4-9", None)], 1);
    let prospects = good(2);
    let numbers = [0, 1, 2, 3].map(|_| number(&board, &prospects));
    assert_eq!(numbers, [Some(1), Some(2), Some(0), None]);
}

#[test]
fn what_is_to_go_on_comes_first_and_what_is_doubtful_last() {
    let chunks = (0..3).map(|at| chunk(0, &format!("{at}"), None)).collect();
    let board = Board::new(chunks, 1);
    let prospects = good(1);
    let take = || board.take(&prospects, &|_| panic!("waits")).unwrap();
    let (first, chunk, slot) = take();
    assert_eq!(first, 0);
    drop(slot);
    board.hand_back(first, chunk, ChunkOutcome::Again, &good(1));
    let (again, chunk, slot) = take();
    assert_eq!(again, 0);
    drop(slot);
    board.hand_back(again, chunk, ChunkOutcome::Doubtful, &good(1));
    let numbers = [0, 1, 2, 3].map(|_| number(&board, &prospects));
    assert_eq!(numbers, [Some(1), Some(2), Some(0), None]);
}

#[test]
fn no_more_processes_run_at_once_than_jobs() {
    let board = Board::new(vec![chunk(0, "1", None), chunk(0, "2", None)], 1);
    let prospects = good(1);
    let (first, chunk, slot) = board.take(&prospects, &|_| ()).unwrap();
    std::thread::scope(|scope| {
        let second = scope.spawn(|| number(&board, &prospects));
        // It gets its turn when this one gives up its slot, before its chunk is handed back.
        drop(slot);
        assert_eq!(second.join().unwrap(), Some(1));
    });
    board.hand_back(first, chunk, ChunkOutcome::Done, &good(1));
    assert_eq!(number(&board, &prospects), None);
}

#[test]
fn what_another_run_has_is_waited_for_and_reported_once() {
    let board = Board::new(vec![chunk(0, "1", None)], 1);
    let prospects = good(1);
    let (first, chunk, slot) = board.take(&prospects, &|_| ()).unwrap();
    drop(slot);
    board.hand_back(first, chunk, ChunkOutcome::Away, &good(1));
    let reported = std::cell::RefCell::new(Vec::new());
    let waits = |pieces| reported.borrow_mut().push(pieces);
    let (again, chunk, slot) = board.take(&prospects, &waits).unwrap();
    drop(slot);
    board.hand_back(again, chunk, ChunkOutcome::Away, &good(1));
    let (_, chunk, slot) = board.take(&prospects, &waits).unwrap();
    drop(slot);
    board.hand_back(0, chunk, ChunkOutcome::Done, &good(1));
    assert_eq!(*reported.borrow(), [1]);
    assert!(board.take(&prospects, &waits).is_none());
}

#[test]
fn a_chunk_for_later_comes_when_its_time_has_come() {
    let board = Board::new(vec![chunk(0, "1", None), chunk(0, "2", None)], 1);
    let prospects = good(1);
    let (first, chunk, slot) = board.take(&prospects, &|_| ()).unwrap();
    drop(slot);
    let soon = Moment::now() + Duration::from_millis(1);
    board.hand_back(first, chunk, ChunkOutcome::Later(soon), &good(1));
    let numbers: Vec<_> = std::iter::from_fn(|| number(&board, &prospects)).collect();
    assert_eq!(numbers.len(), 2);
    assert!(numbers.contains(&0) && numbers.contains(&1));
}

#[test]
fn a_run_that_stops_gives_out_nothing_more_and_keeps_the_quicker_end() {
    let board = Board::new(vec![chunk(0, "1", None)], 1);
    let stop = |why: &str, finish| StopReason {
        why: why.to_owned(),
        finish,
        interrupted: !finish,
    };
    assert_eq!(board.halted(), None);
    assert!(board.halt(stop("the disk is nearly full", true)));
    assert!(!board.halt(stop("interrupted", false)));
    assert!(!board.halt(stop("it is too late", true)));
    assert_eq!(board.halted().unwrap().why, "interrupted");
    assert!(board.take(&good(1), &|_| ()).is_none());
}

#[test]
fn the_first_error_ends_the_run() {
    let board = Board::new(vec![chunk(0, "1", None)], 1);
    board.fail(RunError::Supervisor(std::io::ErrorKind::NotFound.into()));
    board.fail(RunError::disk(std::path::Path::new("/show"))(
        std::io::ErrorKind::StorageFull.into(),
    ));
    assert!(board.take(&good(1), &|_| ()).is_none());
    assert!(!board.halted().unwrap().finish);
    assert!(matches!(board.error(), Some(RunError::Supervisor(_))));
}

#[test]
fn of_what_fails_from_the_first_frame_only_a_few_are_tried() {
    let frames: FrameSet = "1-100".parse().unwrap();
    let prospects = Prospects::new(&[frames], &|_| false, &|_| None);
    let all = planned(0, "1-100");
    let alone = |frame| FrameSet::range(frame, frame);
    assert_eq!(prospects.verdict(&all), Verdict::Open);
    assert!(prospects.nothing_rendered(&all));
    prospects.failed(&all, &alone(1), &[(1, "no lamp".to_owned())]);
    assert_eq!(prospects.verdict(&all), Verdict::Open);
    let mut tried = 1;
    while let Some(frame) = prospects.probe(&all.frames, &all) {
        prospects.failed(&all, &alone(frame), &[(frame, "no lamp".to_owned())]);
        tried += 1;
        assert!(tried < 10, "it would try them all");
    }
    assert_eq!(
        prospects.verdict(&all),
        Verdict::NothingWorks("no lamp".to_owned())
    );
    assert_eq!(prospects.tried(&all).count(), tried);
    // Reported once.
    assert!(prospects.tried_once(&all).is_some());
    assert!(prospects.tried_once(&all).is_none());
}

#[test]
fn one_frame_that_is_rendered_shows_that_others_can_be() {
    let frames: FrameSet = "1-100".parse().unwrap();
    let prospects = Prospects::new(&[frames.clone(), frames], &|_| false, &|_| None);
    let (one, other) = (planned(0, "1-100"), planned(1, "1-100"));
    prospects.failed(&one, &one.frames, &[(1, "no lamp".to_owned())]);
    assert_eq!(prospects.verdict(&one), Verdict::Open);
    prospects.rendered(&one);
    assert_eq!(prospects.verdict(&one), Verdict::Works);
    assert!(prospects.may_begin(&planned(0, "50-60")));
    // It says nothing of another deliverable.
    assert!(prospects.nothing_rendered(&other));
    prospects.impossible(&other, "there is no program `kiln`");
    let reason = "there is no program `kiln`".to_owned();
    assert_eq!(prospects.verdict(&other), Verdict::NothingWorks(reason));
}

#[test]
fn what_other_runs_have_is_not_waited_for_to_find_out() {
    let frames: FrameSet = "1-100".parse().unwrap();
    let prospects = Prospects::new(&[frames], &|_| false, &|_| None);
    let all = planned(0, "1-100");
    prospects.failed(&all, &all.frames, &[(1, "no lamp".to_owned())]);
    assert!(
        !prospects.may_begin(&planned(0, "3")),
        "only frames that are to be tried"
    );
    prospects.out_of_reach(&all);
    assert_ne!(prospects.verdict(&all), Verdict::Open);
}

const NO_LIMITS: Limits = Limits {
    keeps_stopped: false,
    start: None,
    frame: None,
    silence: None,
    retries: 2,
    retry_pause: Duration::ZERO,
    checkpoint_every: Duration::from_secs(60),
    checkpoint_keep: 2,
};

#[test]
fn each_limit_is_passed_by_what_it_limits() {
    let mut times = Times::now();
    let zero = Some(Duration::ZERO);
    // A clock that has not moved passes no limit.
    while times.started.elapsed().is_zero() {
        std::hint::spin_loop();
    }
    assert_eq!(times.too_long(&NO_LIMITS), None);
    let key = |times: &Times, limits: &Limits| match times.too_long(limits) {
        Some(End::TooLong(_, _, key)) => key,
        other => panic!("{other:?}"),
    };
    let start = Limits {
        start: zero,
        ..NO_LIMITS
    };
    let frame = Limits {
        frame: zero,
        ..NO_LIMITS
    };
    let silence = Limits {
        silence: zero,
        ..NO_LIMITS
    };
    assert_eq!(key(&times, &start), "start-timeout");
    assert_eq!(key(&times, &silence), "silence-timeout");
    times.at_work = true;
    assert_eq!(times.too_long(&start), None);
    assert_eq!(key(&times, &frame), "frame-timeout");
}

#[test]
fn a_frame_may_be_finished_in_the_time_of_three_others() {
    let mut times = Times::now();
    assert_eq!(times.to_finish(0), Duration::from_secs(60));
    times.frame = times.started + Duration::from_secs(40);
    assert_eq!(times.to_finish(10), Duration::from_secs(12));
    assert_eq!(times.to_finish(1000), Duration::from_secs(1));
    assert_eq!(times.to_finish(1), Duration::from_secs(60));
}

fn outcome(end: End) -> Outcome {
    let mut outcome = Outcome::new(PathBuf::from("logs/0001.log"));
    outcome.end = end;
    outcome.missing = vec![(FIRST, "4-6".parse().unwrap(), BTreeMap::new())];
    outcome
}

#[test]
fn the_reason_says_how_the_engine_ended_and_what_it_complained_of() {
    let mut code = outcome(End::Code(3));
    assert_eq!(code.reason(), "the engine ended with exit code 3");
    code.complaint.error("no lamp in the scene");
    assert_eq!(
        code.reason(),
        "the engine ended with exit code 3: no lamp in the scene"
    );
    for (end, reason) in [
        (
            End::Success,
            "the engine ended with success and wrote no file for it",
        ),
        (
            End::Code(137),
            "the engine ended with exit code 137 (from a shell: its program was ended by signal 9 (SIGKILL))",
        ),
        (
            End::Signal(11),
            "the engine was ended by signal 11 (SIGSEGV)",
        ),
        (
            End::TooLong(
                "no frame was begun",
                Duration::from_millis(1500),
                "start-timeout",
            ),
            "no frame was begun for 1.5s, the start-timeout",
        ),
        (
            End::StagingGone,
            "the engine has removed, moved or closed the folder that it was to write to",
        ),
        (
            End::NotStarted("there is no program `kiln`".to_owned()),
            "there is no program `kiln`",
        ),
        (End::Halted, "the run was stopped"),
    ] {
        assert_eq!(outcome(end).reason(), reason);
    }
}

#[test]
fn the_frame_that_a_process_failed_at_counts_as_tried() {
    let mut failed = outcome(End::Code(1));
    let frames = |outcome: &Outcome| -> Vec<Frame> {
        outcome
            .evidence()
            .into_iter()
            .map(|(frame, _)| frame)
            .collect()
    };
    assert_eq!(frames(&failed), [4]);
    failed.failed_at = Some(5);
    assert_eq!(frames(&failed), [5]);
    // Where its files could not be told apart, all of them.
    failed.unknown_files = Some("two files may be frame 4".to_owned());
    assert_eq!(frames(&failed), [4, 5, 6]);
    assert_eq!(failed.all_missing().to_string(), "4-6");
}

#[test]
fn whole_pictures_with_a_strange_code_are_told_from_half_a_set() {
    let mut strange = outcome(End::Code(7));
    assert_eq!(strange.whole_but_for_its_code(), None);
    for frame in [4, 5] {
        strange.unproven.insert((FIRST, frame), "hash".to_owned());
    }
    assert_eq!(strange.whole_but_for_its_code(), None);
    strange.unproven.insert((FIRST, 6), "hash".to_owned());
    let whole = strange.whole_but_for_its_code().unwrap();
    assert!(whole.advice().contains("add it to `success-codes`"));
    strange.end = End::Signal(9);
    assert_eq!(strange.whole_but_for_its_code(), None);
}

#[test]
fn failures_are_shown_by_deliverable_reason_and_log() {
    let failure = |deliverable, frame, reason: &str| Failure {
        deliverable: DeliverableId::at(deliverable),
        frame,
        reason: reason.to_owned(),
        log: None,
    };
    let failures = [
        failure(1, 7, "no lamp"),
        failure(0, 2, "no lamp"),
        failure(0, 1, "no lamp"),
        failure(0, 3, "the disk is full"),
    ];
    let shown: Vec<String> = grouped(&failures)
        .into_iter()
        .map(|(deliverable, reason, _, frames)| format!("{deliverable} {frames} {reason}"))
        .collect();
    assert_eq!(
        shown,
        ["0 1-2 no lamp", "0 3 the disk is full", "1 7 no lamp"]
    );
}
