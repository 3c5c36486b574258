//! Before anything is rendered: state, recovery, and what is there already.

use std::collections::{BTreeMap, HashMap};
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::forecast::{Effort, Forecast};
use truepath_core::hex::hex;
use truepath_core::job::Key;
use truepath_core::plan::label;
use truepath_core::split::{MOST_FAILED, Split, places};

use super::board::Board;
use super::chunk_queue::Chunk;
use super::context::RunContext;
use super::engines::name_and_version;
use super::existing_files::{Backlog, ExistingFiles};
use super::journal::Journal;
use super::layout::first_chunks;
use super::line_watch::LineWatch;
use super::other_runs::OtherRuns;
use super::pace::{Jobs, Pace, WorkKind, gigabytes};
use super::prospects::Prospects;
use super::running::Running;
use super::scenes::Scenes;
use super::workshop::Workshop;
use super::{Event, Options, RunError};
use crate::Loaded;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::Inventory;
use crate::make::publish::Provenance;
use crate::make::session::{NewSession, Session};
use crate::make::supervisor::Supervisor;
use crate::record::ledger::{Ledger, Line};
use crate::record::state_folder::StateFolder;
use crate::record::value_key::InputValues;
use crate::record::value_key::as_recorded;

/// How long a machine may give no sign of life where the job does not say it.
pub(crate) const DEAD_AFTER: Duration = Duration::from_secs(30);

/// Begins a session, and gives what the run works with and what the ledgers say.
pub(super) fn begin<'r>(
    loaded: &'r Loaded,
    expansion: &'r Expansion,
    options: &'r Options<'r>,
    origins: RunOrigins<'r>,
) -> Result<(RunContext<'r>, Ledger), RunError> {
    let state = loaded.state_folder();
    let new = NewSession {
        job: &loaded.file,
        plan: identity(expansion),
        jobs: match options.jobs {
            Jobs::Fixed(jobs) => Some(jobs),
            Jobs::Auto => None,
        },
        dead_after: dead_after(loaded),
        loaded,
        expansion,
    };
    let (session, known) = Session::begin(options.disk, &state, &new)?;
    let RunOrigins {
        provenance,
        inventory,
        scenes,
        split_keys,
        ..
    } = origins;
    let context = RunContext {
        loaded,
        expansion,
        options,
        disk: options.disk,
        policy: options.policy,
        state,
        session,
        provenance,
        inventory,
        scenes,
        split_keys,
    };
    Ok((context, known))
}

/// Recovers what died, looks at what is there, and lays out the work.
pub(super) fn prepare<'r>(
    context: &'r RunContext<'r>,
    journal: &'r Journal<'r>,
    inputs: BTreeMap<String, InputValues>,
) -> Result<Running<'r>, RunError> {
    let supervisor = Supervisor::start(context.options.this_program);
    let supervisor = supervisor.map_err(RunError::Supervisor)?;
    remark_on_ledgers(journal);
    note_inputs(journal, &context.state, inputs)?;
    OtherRuns { context, journal }.recover_dead_runs()?;
    let files = ExistingFiles { context, journal };
    files.accept_unproven()?;
    let backlog = files.take_inventory()?;
    let pace = Pace::new(
        context.options.jobs,
        context.options.machine,
        &journal.known(),
    );
    announce(context, journal, &backlog, pace.at_once());
    let chunks = first_chunks(context, &backlog);
    let kinds = kinds(context.expansion, &chunks);
    if let Some((need, free)) = pace.too_large(kinds.values()) {
        journal.remark(&format!(
            "so many processes at once need about {} of memory by what they took before, and {} are free",
            gigabytes(need),
            gigabytes(free)
        ));
    }
    let is_begun = |index: DeliverableId| {
        let selected = &context.expansion.deliverables[index].common.frames.selected;
        backlog.missing[index].count() < selected.count()
    };
    let first_frames = |index: DeliverableId| {
        let one = &context.expansion.deliverables[index];
        context.is_split_to_be_found(index).then(|| {
            let places = places(&one.clip()).into_iter();
            let rows = places.filter_map(|place| place.row.first());
            rows.take(MOST_FAILED).collect()
        })
    };
    let prospects = Prospects::new(&backlog.missing, &is_begun, &first_frames);
    Ok(Running {
        context,
        journal,
        backlog,
        board: Board::new(chunks, kinds),
        pace,
        prospects,
        workshop: Workshop::new(supervisor, LineWatch::begin(context, journal)?),
    })
}

/// Says what cannot be read of the ledgers.
fn remark_on_ledgers(journal: &Journal<'_>) {
    let remarks = journal.known().remarks();
    if let Some(first) = remarks.first() {
        let more = match remarks.len() - 1 {
            0 => String::new(),
            more => format!(", and {more} more like it; `truepath status` says which"),
        };
        journal.remark(&format!("{first}{more}"));
    }
}

/// Writes down what makes the pictures of each fingerprint: should frames be stale one day, this says why.
fn note_inputs(
    journal: &Journal<'_>,
    state: &StateFolder,
    inputs: BTreeMap<String, InputValues>,
) -> Result<(), RunError> {
    let fresh: Vec<Line> = {
        let known = journal.known();
        let inputs = inputs.into_iter();
        inputs
            .filter(|(fingerprint, _)| !known.inputs.contains_key(fingerprint))
            .map(|(fingerprint, inputs)| Line::Inputs {
                fingerprint,
                inputs: as_recorded(inputs, state),
            })
            .collect()
    };
    journal.note_all(&fresh)
}

/// Says what is wanted, what is there, and how long the rest may take.
fn announce(context: &RunContext<'_>, journal: &Journal<'_>, backlog: &Backlog, at_once: usize) {
    let expansion = context.expansion;
    let mut done = Vec::new();
    for (deliverable, missing) in expansion.deliverables.iter().zip(&backlog.missing) {
        let selected = &deliverable.common.frames.selected;
        done.push(selected.difference(missing).unwrap_or_default());
    }
    let expected = journal.known().experience.expected(expansion);
    let forecast = Forecast::new(&expected, &backlog.missing, at_once);
    let (wanted, there) = {
        let report = journal.report();
        (report.wanted, report.kept)
    };
    journal.event(&Event::Begun {
        wanted,
        there,
        replaced: backlog
            .replaced
            .iter()
            .map(|files| files.len() as u64)
            .sum(),
        done: &done,
        forecast: &forecast,
    });
}

/// The kinds of work that chunks are, by the first deliverable of each.
fn kinds(expansion: &Expansion, chunks: &[Chunk]) -> HashMap<DeliverableId, WorkKind> {
    let mut kinds = HashMap::new();
    for chunk in chunks {
        let index = *chunk.planned.deliverables.first();
        kinds.entry(index).or_insert_with(|| {
            let members = chunk.planned.members(&expansion.deliverables);
            let one = *members.first();
            let engine = &one.common.engine;
            WorkKind {
                label: label(&members),
                effort: Effort::of(one),
                has_threads: engine.single_threaded || engine.mentions("threads"),
                priority: one.common.processes.priority,
                is_spread: one.common.processes.spread,
            }
        });
    }
    kinds
}

/// How long a machine may give no sign of life.
pub(crate) fn dead_after(loaded: &Loaded) -> Duration {
    loaded.job.get(Key::DeadAfter).unwrap_or(DEAD_AFTER)
}

/// Tells a plan from every other: what is wanted, and how it is cut.
fn identity(expansion: &Expansion) -> String {
    let mut hash = Sha256::new();
    for one in &expansion.deliverables {
        let common = &one.common;
        let path = one.pattern.sketch();
        // Where the place lies on this machine is no part of it.
        let path = path.strip_prefix(&*one.root).unwrap_or(&path);
        let cut = (
            common.engine.takes,
            common.processes.chunk,
            common.processes.spread,
        );
        hash.update(format!("{path} {} {cut:?}\n", common.frames.selected));
    }
    hex(&hash.finalize()[..8])
}

/// What the files of a run are made from.
pub(super) struct RunOrigins<'r> {
    /// What is recorded with the files of each deliverable.
    pub(super) provenance: Vec<Provenance>,
    /// Looks at them.
    pub(super) inventory: Inventory<'r>,
    /// The scenes as they are when the run begins.
    pub(super) scenes: Scenes,
    /// What makes the pictures of each fingerprint, by name.
    pub(super) inputs: BTreeMap<String, InputValues>,
    /// What the line of each deliverable is known by of which nobody says whether its clip may be split.
    pub(super) split_keys: Vec<Option<String>>,
}

/// What is recorded with every file that a run publishes, and the scenes as they are when it begins.
pub(super) fn origins<'r>(
    loaded: &'r Loaded,
    expansion: &'r Expansion,
    run: Option<&str>,
) -> Result<RunOrigins<'r>, RunError> {
    let mut fingerprints = Fingerprints::new(loaded);
    let mut engines: Vec<(String, String)> = Vec::new();
    let mut provenance = Vec::new();
    let mut inputs = BTreeMap::new();
    let mut split_keys = Vec::new();
    for deliverable in &expansion.deliverables {
        let profile = &deliverable.common.engine;
        let engine = match engines.iter().find(|(name, _)| *name == profile.name) {
            Some((_, known)) => known.clone(),
            None => {
                let engine = name_and_version(profile, &loaded.folder);
                engines.push((profile.name.clone(), engine.clone()));
                engine
            }
        };
        let fingerprint = if deliverable.is_assembled() {
            None
        } else {
            let of = fingerprints.of(deliverable).map_err(|error| {
                let scene = deliverable.common.scene.as_ref();
                RunError::Scene {
                    path: scene.map_or_else(String::new, |scene| scene.path.clone()),
                    error,
                }
            })?;
            Some(of.now)
        };
        if let Some(fingerprint) = &fingerprint {
            inputs
                .entry(fingerprint.clone())
                .or_insert_with(|| fingerprints.inputs(deliverable));
        }
        let is_said = matches!(deliverable.common.processes.split, Split::Said(_));
        let is_asked_for = deliverable.takes_a_range() && !is_said;
        split_keys.push(is_asked_for.then(|| fingerprints.split_key(deliverable)));
        provenance.push(Provenance {
            engine,
            fingerprint,
            run: run.map(str::to_owned),
        });
    }
    Ok(RunOrigins {
        provenance,
        inventory: Inventory::new(loaded, expansion, &mut fingerprints),
        inputs,
        split_keys,
        scenes: Scenes::new(fingerprints.scenes()),
    })
}
