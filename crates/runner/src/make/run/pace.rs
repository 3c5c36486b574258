//! How the work is shared out on this machine: how many processes work at once, how many frames and threads each is
//! given, and whether its memory suffices. What is fixed stays; all else follows from what is measured.

mod measures;

use std::sync::Mutex;
use std::time::Duration;

use truepath_core::balance::{OpenWork, frames_of_next, threads_of_next};
use truepath_core::forecast::Effort;

use crate::lock::lock;
use crate::record::ledger::{Chosen, Ledger, ProcessTime, ProcessUse};
use crate::system::{Usage, free_memory};
use measures::Measures;

/// How many processes work at once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Jobs {
    /// As many as keep all cores busy.
    Auto,
    /// So many.
    Fixed(usize),
}

/// What the machine has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Machine {
    /// Cores.
    pub cores: usize,
    /// Bytes of memory that all engines may take together; none for what is free.
    pub memory: Option<u64>,
}

/// What processes of one kind have in common.
#[derive(Debug, Clone)]
pub(super) struct WorkKind {
    /// What they make, in words.
    pub(super) label: String,
    /// How much there is to render in a frame.
    pub(super) effort: Effort,
    /// Whether the engine takes a number of threads, or uses a single one.
    pub(super) has_threads: bool,
    /// Higher numbers first.
    pub(super) priority: i64,
    /// Whether its chunks come in an order of their own: first, last, middle.
    pub(super) is_spread: bool,
}

/// How the work is shared out.
pub(super) struct Pace {
    jobs: Jobs,
    machine: Machine,
    measures: Mutex<Measures>,
}

/// The number of a process among those that were begun, which it is measured by.
pub(super) type Turn = u64;

impl Pace {
    /// As wanted, with what earlier runs have learned.
    pub(super) fn new(jobs: Jobs, machine: Machine, known: &Ledger) -> Self {
        let learned = known
            .chosen
            .get(&crate::record::presence::machine())
            .filter(|chosen| chosen.cores == machine.cores)
            .map(|chosen| chosen.processes);
        let measures = Measures::new(machine.cores, learned, known);
        Self {
            jobs,
            machine,
            measures: Mutex::new(measures),
        }
    }

    /// How many processes may work at once now.
    pub(super) fn at_once(&self) -> usize {
        match self.jobs {
            Jobs::Fixed(jobs) => jobs.max(1),
            Jobs::Auto => lock(&self.measures).count.now(),
        }
    }

    /// How many processes are at work; of a fixed number all of them.
    pub(super) fn at_work(&self) -> usize {
        match self.jobs {
            Jobs::Fixed(jobs) => jobs,
            Jobs::Auto => lock(&self.measures).at_work(),
        }
    }

    /// The most that there will ever be.
    pub(super) fn most_at_once(&self) -> usize {
        match self.jobs {
            Jobs::Fixed(jobs) => jobs.max(1),
            Jobs::Auto => lock(&self.measures).count.most(),
        }
    }

    /// Whether pieces of the plan are cut by what is measured.
    pub(super) fn cuts(&self) -> bool {
        self.jobs != Jobs::Fixed(1) && self.jobs != Jobs::Fixed(0)
    }

    /// Whether what takes longest comes first.
    pub(super) fn sorts(&self) -> bool {
        self.jobs == Jobs::Auto
    }

    /// Begins a process of a kind where one more may be at work; none where it must wait.
    pub(super) fn begin(&self, kind: &WorkKind) -> Option<Turn> {
        let mut measures = lock(&self.measures);
        if self.jobs == Jobs::Auto && !measures.fits(&kind.label, self.machine.memory) {
            return None;
        }
        Some(measures.begin(kind))
    }

    /// Seconds for a frame of a kind where a process renders so many, and seconds to start; by what others take
    /// where nothing like it was rendered.
    pub(super) fn seconds(&self, kind: &WorkKind) -> (Option<f64>, f64) {
        lock(&self.measures).seconds(kind)
    }

    /// Whether a process of this very kind was measured.
    pub(super) fn is_known(&self, kind: &WorkKind) -> bool {
        lock(&self.measures).is_known(kind)
    }

    /// How many frames the next process is given.
    pub(super) fn frames_of_next(&self, open: OpenWork, most: Option<u64>) -> u64 {
        let frames = frames_of_next(open, self.at_once());
        most.map_or(frames, |most| frames.min(most))
    }

    /// How many threads a process is given where nobody says it, of `at_work` with it while so many frames
    /// are open; none where it is left its own choice.
    pub(super) fn threads(&self, at_work: usize, open_frames: u64) -> Option<i64> {
        let at_once = self.at_once();
        if at_once < 2 && self.jobs != Jobs::Auto {
            return None;
        }
        let threads = threads_of_next(
            self.machine.cores,
            at_once,
            at_work.saturating_sub(1),
            open_frames + 1,
        );
        i64::try_from(threads).ok()
    }

    /// What a process has used so far.
    pub(super) fn uses(&self, turn: Turn, usage: Usage) {
        lock(&self.measures).uses(turn, usage);
    }

    /// What a process that made this took and used in the end.
    pub(super) fn took(&self, label: &str, took: Option<&ProcessTime>, used: Option<&ProcessUse>) {
        lock(&self.measures).took(label, took, used);
    }

    /// A process is over.
    pub(super) fn end(&self, turn: Turn) {
        lock(&self.measures).end(turn);
    }

    /// Looks at what was measured; what to say where something changes or runs short.
    pub(super) fn look(&self) -> Option<Noticed> {
        let mut measures = lock(&self.measures);
        measures.look();
        match self.jobs {
            Jobs::Auto => measures.changed().map(Noticed::Chosen),
            Jobs::Fixed(_) => measures
                .shortage(self.machine.memory)
                .map(|(need, free)| Noticed::Shortage { need, free }),
        }
    }

    /// A process of a kind that needs more memory than there is, with so many at once; what it needs and what is free.
    pub(super) fn too_large<'k>(
        &self,
        kinds: impl Iterator<Item = &'k WorkKind>,
    ) -> Option<(u64, u64)> {
        let Jobs::Fixed(jobs) = self.jobs else {
            return None;
        };
        let measures = lock(&self.measures);
        let need = kinds
            .filter_map(|kind| measures.memory.known(&kind.label))
            .max()?;
        let need = need.saturating_mul(jobs as u64);
        let free = self.machine.memory.or_else(free_memory)?;
        (need > free).then_some((need, free))
    }
}

/// What is noticed of the machine.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Noticed {
    /// Another number of processes is right.
    Chosen(Chosen),
    /// The processes at work will need more memory than there is, in bytes.
    Shortage {
        /// What they need together.
        need: u64,
        /// What is free for them.
        free: u64,
    },
}

/// `1.5 GB`
pub(super) fn gigabytes(bytes: u64) -> String {
    format!("{:.1} GB", bytes as f64 / 1e9)
}

/// How long a measure goes on before it says something.
const WINDOW: Duration = Duration::from_millis(600);
