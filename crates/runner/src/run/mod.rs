//! A run: from a checked job to frames under their true names.

mod attend;
mod board;
mod checkpoints;
mod chunk;
mod engines;
mod folders;
mod log;
mod movie;
mod outcome;
mod permits;
mod pick_up;
mod policy;
mod prepare;
mod prepared;
mod process;
mod scenes;
mod start;
mod warnings;
mod watch_over;
mod work;

pub use board::Halt;
pub(crate) use engines::name_and_version;
pub(crate) use policy::Fate;
pub use policy::{Existing, Policy};
pub(crate) use prepare::dead_after;
pub use warnings::Warning;

use std::io;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU8, AtomicUsize, Ordering};
use std::time::Duration;

use truepath_core::deliverable::Expansion;
use truepath_core::forecast::Forecast;
use truepath_core::frames::{Frame, FrameSet};

use crate::Loaded;
use crate::clock::Moment;
use crate::disk::Disk;
use crate::harvest::HarvestError;
use crate::ledger::{Line, Warned};
use crate::session::SessionError;
use crate::when::{self, RunRecord};

/// How a run is done.
pub struct Options<'a> {
    /// This program, which is started again as supervisor.
    pub this_program: &'a Path,
    /// Set from outside to end the run: 1 to finish what is nearly done, 2 to stop at once.
    pub interrupt: &'a AtomicU8,
    /// Whether the whole job was chosen: then the run can become complete.
    pub whole: bool,
    /// The disk.
    pub disk: &'a dyn Disk,
    /// How many processes run at once.
    pub jobs: usize,
    /// When to stop.
    pub until: Option<Moment>,
    /// What is done about files that are there.
    pub policy: Policy,
}

/// Something that happens in a run.
#[derive(Debug)]
pub enum Event<'a> {
    /// What is to do is known.
    Begun {
        /// Files that are wanted.
        wanted: u64,
        /// Files that are there already.
        there: u64,
        /// The frames that are there of each deliverable.
        done: &'a [FrameSet],
        /// How long it will take.
        forecast: &'a Forecast,
    },
    /// A process is started.
    Started {
        /// Its number in this run.
        process: u32,
        /// What it makes.
        label: &'a str,
        /// Indices of the deliverables that it makes.
        deliverables: &'a [usize],
        /// The frames that it makes.
        frames: &'a FrameSet,
        /// Its log.
        log: &'a Path,
    },
    /// A process has begun a frame.
    Frame {
        /// Its number.
        process: u32,
        /// The frame.
        frame: Frame,
    },
    /// A process tells how far its frame is.
    Percent {
        /// Its number.
        process: u32,
        /// From 0 to 100.
        percent: f64,
    },
    /// A process has ended.
    Ended {
        /// Its number.
        process: u32,
    },
    /// A file has its true name.
    Published {
        /// Index of the deliverable.
        deliverable: usize,
        /// The frame.
        frame: Frame,
        /// The file.
        path: &'a str,
        /// Whether another run brought it.
        elsewhere: bool,
    },
    /// Something was in the way or not asked for, and was set aside.
    Aside {
        /// What it was.
        what: &'a str,
        /// Where it is now.
        to: &'a Path,
    },
    /// A frame failed.
    Failed(&'a Failure),
    /// Something that should be known.
    Remark(&'a str),
    /// Time goes by.
    Tick,
}

/// Sees what happens in a run.
pub trait Watch {
    /// Is told of something.
    fn see(&mut self, event: &Event<'_>);
}

/// A frame that could not be made.
#[derive(Debug, Clone)]
pub struct Failure {
    /// Index of the deliverable.
    pub deliverable: usize,
    /// The frame.
    pub frame: Frame,
    /// Why.
    pub reason: String,
    /// The log of the process that should have made it, when one was started.
    pub log: Option<PathBuf>,
}

/// What a run came to, in files.
#[derive(Debug, Default)]
pub struct Report {
    /// Wanted.
    pub wanted: u64,
    /// There before, and valid.
    pub kept: u64,
    /// Of those: not in the ledger before; decoded and taken.
    pub adopted: u64,
    /// Of those: of other settings, and taken as they are.
    pub accepted: u64,
    /// Finished by an earlier run that was killed.
    pub recovered: u64,
    /// Rendered, verified and published.
    pub rendered: u64,
    /// Brought meanwhile by other runs of the same job.
    pub elsewhere: u64,
    /// Kept although other settings made them: deliverable and frames.
    pub stale: Vec<(usize, FrameSet)>,
    /// Not made.
    pub failures: Vec<Failure>,
    /// Warnings in the logs, by kind, new ones first.
    pub warnings: Vec<Warning>,
    /// Why it stopped before all was done.
    pub halt: Option<Halt>,
    /// Files of the ledger whose bytes were not read again.
    pub unread: u64,
    /// The largest file that was brought, in bytes.
    pub largest: u64,
    /// How long it took.
    pub took: Duration,
    /// Where the logs are.
    pub logs: PathBuf,
}

impl Report {
    /// Files that are there, by whomever.
    #[must_use]
    pub fn there(&self) -> u64 {
        self.kept + self.rendered + self.elsewhere
    }

    /// Files that are wanted, and neither there nor failed.
    #[must_use]
    pub fn not_tried(&self) -> u64 {
        self.wanted
            .saturating_sub(self.there() + self.failures.len() as u64)
    }

    /// Whether all that is wanted is there, made by today's settings.
    #[must_use]
    pub fn is_complete(&self) -> bool {
        self.there() == self.wanted && self.stale.is_empty()
    }
}

/// Why a run could not be done.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// No session could begin.
    #[error(transparent)]
    Session(#[from] SessionError),
    /// A scene cannot be read.
    #[error("the scene {path} cannot be read: {error}")]
    Scene {
        /// The scene.
        path: String,
        /// Why.
        error: io::Error,
    },
    /// The disk refuses.
    #[error("{path}: {error}")]
    Disk {
        /// Where.
        path: String,
        /// Why.
        error: io::Error,
    },
    /// A link leads out of a place.
    #[error("the folder {folder} leads out of its place {root} by a link")]
    Outside {
        /// The folder.
        folder: String,
        /// The place.
        root: String,
    },
    /// Files are in the way, and the job says that a run must not begin then.
    #[error(
        "{count} of the wanted files are there already, such as {first}; the job says existing = \"refuse\""
    )]
    Refused {
        /// How many.
        count: u64,
        /// The first of them.
        first: String,
    },
    /// The supervisor cannot be started.
    #[error("the supervisor cannot be started: {0}")]
    Supervisor(io::Error),
    /// Others have taken this run for dead.
    #[error(
        "another run has taken this one for dead, since it gave no sign of life for longer than dead-after, and goes on in its place"
    )]
    Fenced,
    /// A staging folder cannot be harvested.
    #[error("{0}")]
    Harvest(String),
    /// A pattern of a profile is no regular expression.
    #[error("the profile {engine} has a pattern that cannot be read: {error}")]
    Pattern {
        /// The engine.
        engine: String,
        /// Why.
        error: regex::Error,
    },
}

impl From<HarvestError> for RunError {
    fn from(error: HarvestError) -> Self {
        match error {
            HarvestError::Fenced => Self::Fenced,
            error => Self::Harvest(error.to_string()),
        }
    }
}

impl RunError {
    fn disk(path: &Path) -> impl FnOnce(io::Error) -> Self + use<> {
        let path = path.display().to_string();
        move |error| Self::Disk { path, error }
    }
}

/// Renders what is missing of the chosen frames, and publishes it.
///
/// # Errors
/// When nothing can be done at all; frames that fail are told in the report.
pub fn run(
    loaded: &Loaded,
    expansion: &Expansion,
    options: &Options<'_>,
    watch: &mut (dyn Watch + Send),
) -> Result<Report, RunError> {
    let begun = Moment::now();
    // Kept by every call that goes on with this run.
    let state = state_folder(loaded);
    let mut record = loaded.surroundings.instant.map(|instant| RunRecord {
        instant,
        complete: false,
    });
    let work = prepare::prepare(loaded, expansion, options, watch)?;
    if let Some(record) = &record {
        when::write(&state, &loaded.file, record).map_err(RunError::disk(&state))?;
    }
    let threads = threads(options.jobs);
    let (left, main) = (AtomicUsize::new(threads), std::thread::current());
    std::thread::scope(|scope| {
        for _ in 0..threads {
            scope.spawn(|| {
                work.render();
                left.fetch_sub(1, Ordering::Release);
                main.unpark();
            });
        }
        work.watch_over(&|| left.load(Ordering::Acquire) == 0);
    });
    work.remove_prepared();
    if let Some(error) = work.board.error() {
        // The session is not ended: the next run picks up what this one leaves.
        return Err(error);
    }
    let halt = work.board.halted();
    let warnings = work.warnings().told(&work.known().warned);
    let (session, mut report, known) = work.dismantle();
    let told: Vec<Line> = warnings
        .iter()
        .map(|one| {
            Line::Warned(Warned {
                kind: one.kind.clone(),
                count: one.count,
            })
        })
        .collect();
    report.warnings = warnings;
    report.halt = halt;
    report.took = begun.elapsed();
    if !told.is_empty() {
        let written = session.publisher.ledger().note(&told);
        written.map_err(RunError::disk(&state))?;
    }
    session.end(&known).map_err(RunError::disk(&state))?;
    if let Some(record) = record
        .as_mut()
        .filter(|_| options.whole && report.is_complete())
    {
        record.complete = true;
        when::write(&state, &loaded.file, record).map_err(RunError::disk(&state))?;
    }
    Ok(report)
}

/// How many threads a run has: more than processes, so that what one has brought is published while
/// the next one renders. A run of one process at a time does one thing after the other.
fn threads(jobs: usize) -> usize {
    match jobs {
        0 | 1 => 1,
        jobs => jobs + jobs.min(8),
    }
}

/// The state folder of a job: `state` of the job file, or `.truepath` beside it.
#[must_use]
pub fn state_folder(loaded: &Loaded) -> PathBuf {
    use truepath_core::job::{Key, Value};
    use truepath_core::template::{TokenValue, expand};
    let setting = loaded.job.of_project(Key::State);
    if let Some(setting) = setting
        && let Value::Template(template, _) = &setting.value.value
    {
        let value = |name: &str| match name.strip_prefix("place.") {
            None => TokenValue::Unknown,
            Some("job") => TokenValue::Path(loaded.surroundings.job_folder.clone()),
            Some(name) => loaded
                .job
                .places
                .iter()
                .find(|place| place.name == name)
                .and_then(|place| place.folder(loaded.surroundings.system))
                .map_or(TokenValue::Unknown, |folder| {
                    TokenValue::Path(folder.value.clone())
                }),
        };
        if let Ok(pattern) = expand(template, &value) {
            return loaded.folder.join(pattern.path(0));
        }
    }
    loaded.folder.join(".truepath")
}
