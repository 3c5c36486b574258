//! Before anything is rendered: state, recovery, and what is there already.

use std::collections::{BTreeMap, HashMap, VecDeque};
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::deliverable::Expansion;
use truepath_core::forecast::Forecast;
use truepath_core::frames::FrameSet;
use truepath_core::job::Key;
use truepath_core::plan::plan;

use super::board::{Board, Chunk};
use super::engines::name_and_version;
use super::prospects::Prospects;
use super::scenes::Scenes;
use super::work::{Beginning, Work};
use super::{Event, Options, RunError, Watch};
use crate::Loaded;
use crate::disk::hex;
use crate::fingerprint::Fingerprints;
use crate::ledger::Line;
use crate::publish::Credits;
use crate::session::{Newcomer, Session, State};
use crate::stale::Inputs;
use crate::supervise::Warden;

/// How long a machine may give no sign of life where the job does not say it.
pub(crate) const DEAD_AFTER: Duration = Duration::from_secs(30);

/// Everything that rendering needs.
pub(super) fn prepare<'a>(
    loaded: &'a Loaded,
    expansion: &'a Expansion,
    options: &'a Options<'a>,
    DeliverableKind {
        credits,
        scenes,
        inputs,
    }: DeliverableKind,
    watch: &'a mut (dyn Watch + Send),
) -> Result<Work<'a>, RunError> {
    let state = State::new(loaded.state_folder());
    // The chunks are those of all that is chosen, so that every run of the same job has the same.
    let chunks = plan(expansion, &|index| {
        expansion.deliverables[index].common.frames.selected.clone()
    });
    let newcomer = Newcomer {
        job: &loaded.file,
        plan: identity(expansion),
        jobs: options.jobs,
        dead_after: dead_after(loaded),
        loaded,
        expansion,
    };
    let (session, known) = Session::begin(options.disk, &state, &newcomer)?;
    let warden = Warden::start(options.this_program).map_err(RunError::Supervisor)?;
    let mut work = Work::new(Beginning {
        loaded,
        expansion,
        options,
        session,
        warden,
        credits,
        known,
        state,
        scenes,
        watch,
    });
    let remarks = work.known().remarks();
    if let Some(first) = remarks.first() {
        let more = match remarks.len() - 1 {
            0 => String::new(),
            more => format!(", and {more} more like it; `truepath status` says which"),
        };
        work.tell(&Event::Remark(&format!("{first}{more}")));
    }
    // Should frames be stale one day, this says why.
    let fresh: Vec<Line> = {
        let known = work.known();
        let inputs = inputs.into_iter();
        inputs
            .filter(|(fingerprint, _)| !known.inputs.contains_key(fingerprint))
            .map(|(fingerprint, inputs)| Line::Inputs {
                fingerprint,
                inputs,
            })
            .collect()
    };
    if !fresh.is_empty() {
        let written = work.session.publisher.ledger().note(&fresh);
        written.map_err(RunError::disk(&work.state.folder))?;
    }
    work.pick_up_the_dead()?;
    work.accept_unproven()?;
    let stock = match work.take_stock() {
        Ok(stock) => stock,
        Err(error) => {
            // Nothing was begun, so nothing is left behind.
            let (session, _, known) = work.dismantle();
            let _ = session.end(&known);
            return Err(error);
        }
    };
    let mut done = Vec::new();
    for (deliverable, missing) in expansion.deliverables.iter().zip(&stock.missing) {
        let chosen = &deliverable.common.frames.selected;
        done.push(chosen.difference(missing).unwrap_or_default());
    }
    work.replaced = stock.replaced;
    {
        let expected = work.known().experience.expected(expansion);
        let files: Vec<u64> = stock.missing.iter().map(FrameSet::count).collect();
        let forecast = Forecast::new(&expected, &files, options.jobs);
        let replaced = work.replaced.iter().map(|files| files.len() as u64).sum();
        let report = work.report();
        work.tell(&Event::Begun {
            wanted: report.wanted,
            there: report.kept,
            replaced,
            done: &done,
            forecast: &forecast,
        });
    }
    let sources = sources(expansion);
    let chunks = chunks
        .into_iter()
        .filter(|one| {
            let lacks = |index: &usize| one.frames.count_shared(&stock.missing[*index]) > 0;
            one.deliverables.iter().any(lacks)
        })
        .map(|planned| Chunk {
            source: sources.get(&planned.deliverables[0]).copied(),
            planned,
            attempts: VecDeque::new(),
            failed_probes: Vec::new(),
            claim: None,
        });
    let chunks: Vec<Chunk> = chunks.collect();
    if options.jobs > 1 && !chunks.is_empty() && chunks.len() < options.jobs {
        let remark = format!(
            "the work is cut into {} only, so {} of {} jobs have nothing to do; `chunk` cuts it finer",
            truepath_core::finding::count(chunks.len() as u64, "piece", "pieces"),
            options.jobs - chunks.len(),
            options.jobs
        );
        work.tell(&Event::Remark(&remark));
    }
    work.board = Board::new(chunks, options.jobs.max(1));
    let begun = |index: usize| {
        let chosen = &expansion.deliverables[index].common.frames.selected;
        stock.missing[index].count() < chosen.count()
    };
    work.prospects = Prospects::new(&stock.missing, &begun);
    work.missing = stock.missing;
    Ok(work)
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

/// The deliverable whose frames each movie is put together from, by the indices of both.
fn sources(expansion: &Expansion) -> HashMap<usize, usize> {
    let all = &expansion.deliverables;
    let movies: Vec<(usize, String)> = all
        .iter()
        .enumerate()
        .filter_map(|(index, one)| Some((index, one.movie()?.source.as_ref()?.pattern.sketch())))
        .collect();
    if movies.is_empty() {
        return HashMap::new();
    }
    let sequences = all.iter().enumerate().rev();
    let by_path: HashMap<String, usize> = sequences
        .map(|(index, one)| (one.pattern.sketch(), index))
        .collect();
    movies
        .into_iter()
        .filter_map(|(movie, path)| Some((movie, *by_path.get(&path)?)))
        .collect()
}

/// What makes the files of a run.
pub(super) struct DeliverableKind {
    /// What is said of the files of each deliverable.
    pub(super) credits: Vec<Credits>,
    /// The scenes as they are when the run begins.
    pub(super) scenes: Scenes,
    /// What makes the pictures of each fingerprint, by name.
    pub(super) inputs: BTreeMap<String, Inputs>,
}

/// What is said of every file that a run publishes, and the scenes as they are when it begins.
pub(super) fn credits(
    loaded: &Loaded,
    expansion: &Expansion,
    run: Option<&str>,
) -> Result<DeliverableKind, RunError> {
    let mut fingerprints = Fingerprints::new(loaded);
    let mut engines: Vec<(String, String)> = Vec::new();
    let mut credits = Vec::new();
    let mut inputs = BTreeMap::new();
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
        let fingerprint = match deliverable.is_put_together() {
            true => None,
            false => Some(fingerprints.of(deliverable).map_err(|error| {
                let scene = deliverable.common.scene.as_ref();
                RunError::Scene {
                    path: scene.map_or_else(String::new, |scene| scene.path.clone()),
                    error,
                }
            })?),
        };
        if let Some(fingerprint) = &fingerprint {
            inputs
                .entry(fingerprint.clone())
                .or_insert_with(|| fingerprints.inputs(deliverable));
        }
        credits.push(Credits {
            engine,
            fingerprint,
            run: run.map(str::to_owned),
        });
    }
    Ok(DeliverableKind {
        credits,
        inputs,
        scenes: Scenes::new(fingerprints.scenes()),
    })
}
