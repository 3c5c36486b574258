//! Before anything is rendered: state, recovery, and what is there already.

use std::collections::{HashMap, VecDeque};
use std::path::Path;
use std::time::Duration;

use sha2::{Digest, Sha256};
use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::forecast::Forecast;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::job::Key;
use truepath_core::plan::{Invocation, plan};

use super::board::{Board, Chunk};
use super::engines::name_and_version;
use super::scenes::Scenes;
use super::work::{Beginning, Work};
use super::{Event, Fate, Options, RunError, Watch, state_folder};
use crate::Loaded;
use crate::disk::hex;
use crate::fingerprint::Fingerprints;
use crate::inventory::{There, look};
use crate::ledger::{How, Line, Replaces, Told};
use crate::publish::{Credits, record};
use crate::session::{Newcomer, Session, State};
use crate::staging;
use crate::supervise::Warden;

/// How long a machine may give no sign of life where the job does not say it.
pub(crate) const DEAD_AFTER: Duration = Duration::from_secs(30);

/// Everything that rendering needs.
pub(super) fn prepare<'a>(
    loaded: &'a Loaded,
    expansion: &'a Expansion,
    options: &'a Options<'a>,
    watch: &'a mut (dyn Watch + Send),
) -> Result<Work<'a>, RunError> {
    let state = State::new(state_folder(loaded));
    let run = loaded
        .surroundings
        .instant
        .map(|instant| instant.to_string());
    let (credits, scenes) = credits(loaded, expansion, run.as_deref())?;
    // The chunks are those of all that is chosen, so that every run of the same job has the same.
    let chunks = plan(expansion, &|index| {
        expansion.deliverables[index].common.chosen.clone()
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
    work.pick_up_the_dead()?;
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
        let chosen = &deliverable.common.chosen;
        done.push(chosen.difference(missing).unwrap_or_default());
    }
    work.replaced = stock.replaced;
    {
        let expected = work.known().experience.expected(expansion);
        let files: Vec<u64> = stock.missing.iter().map(FrameSet::count).collect();
        let forecast = Forecast::new(&expected, &files, options.jobs);
        let report = work.report();
        work.tell(&Event::Begun {
            wanted: report.wanted,
            there: report.kept,
            done: &done,
            forecast: &forecast,
        });
    }
    let chunks = chunks
        .into_iter()
        .filter(|one| {
            let lacks = |index: &usize| one.frames.count_shared(&stock.missing[*index]) > 0;
            one.deliverables.iter().any(lacks)
        })
        .map(|invocation| Chunk {
            source: source(expansion, &invocation),
            invocation,
            attempts: VecDeque::new(),
            brought: 0,
            barren: 0,
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
    work.missing = stock.missing;
    Ok(work)
}

/// How long a machine may give no sign of life.
pub(crate) fn dead_after(loaded: &Loaded) -> Duration {
    loaded.job.time(Key::DeadAfter).unwrap_or(DEAD_AFTER)
}

/// Tells a plan from every other: what is wanted, and how it is cut.
fn identity(expansion: &Expansion) -> String {
    let mut hash = Sha256::new();
    for one in &expansion.deliverables {
        let common = &one.common;
        let path = one.pattern.sketch();
        // Where the place lies on this machine is no part of it.
        let path = path.strip_prefix(&*one.root).unwrap_or(&path);
        let cut = (common.engine.takes, common.chunk, common.spread);
        hash.update(format!("{path} {} {cut:?}\n", common.chosen));
    }
    hex(&hash.finalize()[..8])
}

/// The deliverable whose frames a movie is put together from.
fn source(expansion: &Expansion, invocation: &Invocation) -> Option<usize> {
    let all = &expansion.deliverables;
    let one = &all[invocation.deliverables[0]];
    let source = one.movie()?.source.as_ref()?;
    let path = source.pattern.sketch();
    all.iter().position(|other| other.pattern.sketch() == path)
}

fn credits(
    loaded: &Loaded,
    expansion: &Expansion,
    run: Option<&str>,
) -> Result<(Vec<Credits>, Scenes), RunError> {
    let mut fingerprints = Fingerprints::new(loaded);
    let mut engines: Vec<(String, String)> = Vec::new();
    let mut credits = Vec::new();
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
        credits.push(Credits {
            engine,
            fingerprint,
            run: run.map(str::to_owned),
        });
    }
    Ok((credits, Scenes::new(fingerprints.scenes())))
}

/// What is there and what is not, of each deliverable.
#[derive(Default)]
struct Stock {
    missing: Vec<FrameSet>,
    replaced: Vec<HashMap<Frame, Replaces>>,
}

impl Work<'_> {
    /// Looks at what is there, and does about it what the policy says.
    fn take_stock(&self) -> Result<Stock, RunError> {
        let mut stock = Stock::default();
        let mut refused: Vec<String> = Vec::new();
        for (index, deliverable) in self.expansion.deliverables.iter().enumerate() {
            let chosen = &deliverable.common.chosen;
            self.report().wanted += chosen.count();
            // Whether a movie is there as it should be shows when its frames are.
            let (missing, replaced) = if deliverable.is_put_together() {
                (chosen.clone(), HashMap::new())
            } else {
                self.stock_of(index, deliverable, &mut refused)?
            };
            stock.missing.push(missing);
            stock.replaced.push(replaced);
        }
        if let Some(first) = refused.first() {
            return Err(RunError::Refused {
                count: refused.len() as u64,
                first: first.clone(),
            });
        }
        Ok(stock)
    }

    fn stock_of(
        &self,
        index: usize,
        deliverable: &Deliverable,
        refused: &mut Vec<String>,
    ) -> Result<(FrameSet, HashMap<Frame, Replaces>), RunError> {
        let credits = &self.credits[index];
        let chosen = &deliverable.common.chosen;
        let seen = look(
            deliverable,
            chosen,
            &self.known(),
            credits.fingerprint.as_deref(),
            false,
        );
        let mut missing: Vec<Frame> = Vec::new();
        let mut stale: Vec<Frame> = Vec::new();
        let mut replaced = HashMap::new();
        for (frame, there) in seen {
            if there == There::Missing {
                missing.push(frame);
                continue;
            }
            let path = deliverable.path(frame);
            match self.policy.fate(&there, self.is_own(&path)) {
                Fate::Refuse => refused.push(path),
                Fate::Replace(replaces) => {
                    replaced.insert(frame, replaces);
                    missing.push(frame);
                }
                Fate::Render => missing.push(frame),
                Fate::SetAside => {
                    let why = match there {
                        There::Broken(reason) => reason,
                        _ => String::new(),
                    };
                    self.make_room(&path, &why)?;
                    missing.push(frame);
                }
                Fate::Keep => self.keep(there == There::AsRecorded),
                Fate::Tell => {
                    stale.push(frame);
                    self.keep(true);
                }
                // Another run is just bringing it.
                Fate::Adopt if self.is_on_its_way(&path)? => self.keep(true),
                Fate::Adopt => {
                    let unknown = Credits::of_nobody(credits.run.clone());
                    self.take_in(&path, frame, &unknown, How::Adopted)?;
                    self.report().adopted += 1;
                    self.keep(false);
                }
                Fate::Accept => {
                    self.take_in(&path, frame, credits, How::Accepted)?;
                    self.report().accepted += 1;
                    self.keep(false);
                }
            }
        }
        if !stale.is_empty() {
            let stale = FrameSet::from_frames(stale);
            self.report().stale.push((index, stale));
        }
        Ok((FrameSet::from_frames(missing), replaced))
    }

    fn keep(&self, unread: bool) {
        let mut report = self.report();
        report.kept += 1;
        report.unread += u64::from(unread);
    }

    /// Whether the run that goes on has made a file.
    pub(super) fn is_own(&self, path: &str) -> bool {
        let run = self
            .loaded
            .surroundings
            .instant
            .map(|instant| instant.to_string());
        let known = self.known();
        let record = known.published.get(path);
        run.is_some() && record.is_some_and(|record| record.run.as_deref() == run.as_deref())
    }

    /// Whether another run has said that it is about to bring a file. It says so before the file is
    /// there, so that whoever sees the file finds it said.
    fn is_on_its_way(&self, path: &str) -> Result<bool, RunError> {
        self.refresh()?;
        let known = self.known();
        let about_to = |told: &Told| told.intents.iter().any(|intent| intent.record.path == path);
        Ok(known.published.contains_key(path) || known.sessions.values().any(about_to))
    }

    pub(super) fn set_aside(&self, file: &Path, why: &str) -> Result<std::path::PathBuf, RunError> {
        let folder = file.parent().unwrap_or(Path::new("/"));
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let to =
            staging::set_aside(self.disk, file, folder, &name).map_err(RunError::disk(file))?;
        let line = Line::Aside {
            path: file.display().to_string(),
            to: to.display().to_string(),
            why: why.to_owned(),
        };
        self.write(line, file)?;
        Ok(to)
    }

    /// Sets aside what is in the way, and says so.
    pub(super) fn make_room(&self, path: &str, why: &str) -> Result<(), RunError> {
        let to = self.set_aside(Path::new(path), why)?;
        let what = format!("{path}: {why}");
        self.tell(&Event::Aside {
            what: &what,
            to: &to,
        });
        Ok(())
    }

    /// Takes a file that is there into the ledger.
    pub(super) fn take_in(
        &self,
        path: &str,
        frame: i64,
        credits: &Credits,
        how: How,
    ) -> Result<(), RunError> {
        let file = Path::new(path);
        let record = record(file, file, credits).map_err(RunError::disk(file))?;
        self.known().publish(&record);
        self.write(Line::Published { frame, how, record }, file)
    }
}
