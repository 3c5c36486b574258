//! What is measured of the processes at work.

use std::collections::BTreeMap;
use std::time::{Duration, Instant};

use truepath_core::balance::{Measured, Memory, ProcessCount};
use truepath_core::forecast::RenderTimes;

use super::{Turn, WINDOW, WorkKind};
use crate::record::ledger::{Chosen, Ledger, ProcessTime, ProcessUse};
use crate::record::presence::machine;
use crate::system::{Usage, free_memory, idle_time};

/// The memory of a process that works for so long is taken to be what it has by then.
const GROWN_UP: Duration = Duration::from_secs(10);
/// What is free is asked again after this.
const FREE_IS_TRUE: Duration = Duration::from_millis(100);

/// A process at work.
struct AtWork {
    label: String,
    usage: Usage,
    since: Instant,
    has_threads: bool,
}

/// What is measured, and what follows from it.
pub(super) struct Measures {
    cores: usize,
    pub(super) count: ProcessCount,
    pub(super) memory: Memory,
    times: RenderTimes,
    at_work: BTreeMap<Turn, AtWork>,
    turns: Turn,
    /// Processor time of processes that have ended.
    ended: Duration,
    window: Window,
    /// What is free, and when that was asked.
    free: Option<(u64, Instant)>,
    /// What was reported last.
    reported: Option<usize>,
    is_short: bool,
    /// Whether any process has ended, so that even a short window says something.
    has_ended: bool,
}

/// What was when a measure began.
struct Window {
    since: Instant,
    cpu: Duration,
    /// For how long all cores stood idle by then, since the machine was started.
    idle: Option<Duration>,
    /// Seconds that processes were at work since, up to the instant `counted`.
    at_work: f64,
    counted: Instant,
}

impl Window {
    fn now(cpu: Duration) -> Self {
        let now = Instant::now();
        Self {
            since: now,
            cpu,
            idle: idle_time(),
            at_work: 0.0,
            counted: now,
        }
    }
}

impl Measures {
    pub(super) fn new(cores: usize, learned: Option<usize>, known: &Ledger) -> Self {
        Self {
            cores,
            count: match learned {
                Some(processes) => ProcessCount::learned(cores, processes),
                None => ProcessCount::unknown(cores),
            },
            memory: known.memory.clone(),
            times: known.experience.without_frames(),
            at_work: BTreeMap::new(),
            turns: 0,
            ended: Duration::ZERO,
            window: Window::now(Duration::ZERO),
            free: None,
            reported: learned,
            is_short: false,
            has_ended: false,
        }
    }

    /// How many processes are at work.
    pub(super) fn at_work(&self) -> usize {
        self.at_work.len()
    }

    /// Whether one more process fits into the memory.
    pub(super) fn fits(&mut self, label: &str, limit: Option<u64>) -> bool {
        let at_work: Vec<(String, u64)> = self
            .at_work
            .values()
            .map(|one| (one.label.clone(), one.usage.memory))
            .collect();
        let free = self.free(limit);
        // Where nobody can say what is free, the number of cores is all there is to go by.
        free.is_none_or(|free| self.memory.fits(label, free, &at_work))
    }

    /// Bytes that are free for engines, below the limit that is set.
    fn free(&mut self, limit: Option<u64>) -> Option<u64> {
        let known = self.free.filter(|(_, when)| when.elapsed() < FREE_IS_TRUE);
        self.free = known.or_else(|| Some((free_memory()?, Instant::now())));
        let free = self.free.map(|(free, _)| free);
        let taken: u64 = self.at_work.values().map(|one| one.usage.memory).sum();
        let below = limit.map(|limit| limit.saturating_sub(taken));
        match (free, below) {
            (Some(free), Some(below)) => Some(free.min(below)),
            (free, below) => free.or(below),
        }
    }

    pub(super) fn begin(&mut self, kind: &WorkKind) -> Turn {
        self.count_time();
        self.turns += 1;
        self.at_work.insert(
            self.turns,
            AtWork {
                label: kind.label.clone(),
                usage: Usage::default(),
                since: Instant::now(),
                has_threads: kind.has_threads,
            },
        );
        self.turns
    }

    pub(super) fn uses(&mut self, turn: Turn, usage: Usage) {
        if let Some(one) = self.at_work.get_mut(&turn) {
            one.usage = usage;
        }
    }

    pub(super) fn took(
        &mut self,
        label: &str,
        took: Option<&ProcessTime>,
        used: Option<&ProcessUse>,
    ) {
        if let Some(used) = used {
            self.memory.add(label, used.memory);
        }
        if let Some(took) = took {
            self.times.add(label, took.rendered());
        }
    }

    pub(super) fn end(&mut self, turn: Turn) {
        self.count_time();
        if let Some(one) = self.at_work.remove(&turn) {
            self.memory.add(&one.label, one.usage.memory);
            self.ended += one.usage.cpu;
            if self.count.now() == 1 && !self.has_ended && one.usage.cpu > Duration::ZERO {
                self.judge(one.has_threads);
            }
            self.has_ended = true;
        }
    }

    pub(super) fn seconds(&self, kind: &WorkKind) -> (Option<f64>, f64) {
        self.times.seconds_and_start(&kind.label, kind.effort)
    }

    pub(super) fn is_known(&self, kind: &WorkKind) -> bool {
        self.times.is_known(&kind.label)
    }

    /// Adds up for how long processes were at work.
    fn count_time(&mut self) {
        let now = Instant::now();
        let passed = now.duration_since(self.window.counted).as_secs_f64();
        self.window.at_work += passed * self.at_work.len() as f64;
        self.window.counted = now;
    }

    /// Looks at the processes; whether another number of them is right.
    pub(super) fn look(&mut self) {
        for one in self.at_work.values() {
            if one.since.elapsed() > GROWN_UP {
                self.memory.add(&one.label, one.usage.memory);
            }
        }
        if self.window.since.elapsed() < WINDOW {
            return;
        }
        self.count_time();
        let has_threads = self.at_work.values().all(|one| one.has_threads);
        self.judge(has_threads);
    }

    fn judge(&mut self, has_threads: bool) {
        let at_work: Duration = self.at_work.values().map(|one| one.usage.cpu).sum();
        let cpu = self.ended + at_work;
        let next = Window::now(cpu);
        let idle = next.idle.zip(self.window.idle);
        let measured = Measured {
            seconds: self.window.since.elapsed().as_secs_f64(),
            cpu: cpu.saturating_sub(self.window.cpu).as_secs_f64(),
            at_work: self.window.at_work,
            idle: idle.map(|(now, before)| now.saturating_sub(before).as_secs_f64()),
        };
        self.count.measured(measured, has_threads);
        self.window = next;
    }

    /// What is chosen now, where that was not yet reported.
    pub(super) fn changed(&mut self) -> Option<Chosen> {
        let processes = self.count.now();
        if self.reported == Some(processes) {
            return None;
        }
        self.reported = Some(processes);
        Some(Chosen {
            machine: machine(),
            cores: self.cores,
            processes,
            why: self.count.why().to_owned(),
        })
    }

    /// What the processes at work will need and what is free, the first time that it is too little.
    pub(super) fn shortage(&mut self, limit: Option<u64>) -> Option<(u64, u64)> {
        let taken: u64 = self.at_work.values().map(|one| one.usage.memory).sum();
        let need: u64 = self
            .at_work
            .values()
            .map(|one| {
                self.memory
                    .known(&one.label)
                    .unwrap_or(0)
                    .max(one.usage.memory)
            })
            .sum();
        let free = taken + self.free(limit)?;
        let is_short = need > free && !self.is_short;
        self.is_short |= is_short;
        is_short.then_some((need, free))
    }
}
