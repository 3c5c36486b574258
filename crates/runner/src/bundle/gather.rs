//! Brings the frames of bundles home.

use std::collections::{BTreeMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::{Deliverable, Expansion, Selection, expand};
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{ExamineOptions, ExpectedPicture, Flaw, HashKind, examine, hash_file};

use super::list::{BundleError, BundleList};
use crate::crash::point;
use crate::disk::{Disk, recorded, rename};
use crate::fingerprint::Fingerprints;
use crate::ledger::{FileOrigin, KnownFile, Ledger, Line};
use crate::load::{JOB_FILE, LoadError};
use crate::publish::{Provenance, record_with};
use crate::run::dead_after;
use crate::session::{NewSession, Session, SessionError};
use crate::when::When;
use crate::{Loaded, load};

/// What is gathered, and how.
pub struct GatherOptions<'a> {
    /// The disk.
    pub disk: &'a dyn Disk,
    /// The profiles that ship.
    pub shipped: &'a [(&'a str, &'static str)],
}

/// Why nothing could be gathered.
#[derive(Debug, thiserror::Error)]
pub enum GatherError {
    /// The state of the job cannot be used.
    #[error(transparent)]
    Session(#[from] SessionError),
    /// The disk refuses.
    #[error("{path}: {error}")]
    Disk {
        /// The file.
        path: String,
        /// Why.
        error: io::Error,
    },
}

/// What became of the frames of one deliverable of a bundle.
#[derive(Debug, Clone, Default)]
pub struct Gathered {
    /// The deliverable.
    pub label: String,
    /// Frames that came home now.
    pub brought: Vec<Frame>,
    /// Frames whose very bytes were there already.
    pub there: Vec<Frame>,
    /// Frames that the bundle has not.
    pub missing: Vec<Frame>,
    /// Frames that were made with other settings than the job's of today.
    pub stale: Vec<Frame>,
    /// Frames that are not taken, and why.
    pub refused: Vec<(String, Frame)>,
    /// Frames of which no run on the other machine says what made them: rendered by the script.
    pub unrecorded: Vec<Frame>,
}

/// What became of a bundle.
#[derive(Debug)]
pub struct GatherReport {
    /// The bundle, as it was named.
    pub bundle: PathBuf,
    /// Its deliverables; or why it cannot be gathered.
    pub result: Result<Vec<Gathered>, String>,
    /// Packed files that are not as they were packed.
    pub edited: Vec<String>,
}

impl GatherReport {
    /// Whether all that the bundle was to make is home.
    #[must_use]
    pub fn is_complete(&self) -> bool {
        self.result.as_ref().is_ok_and(|all| {
            all.iter()
                .all(|one| one.missing.is_empty() && one.stale.is_empty() && one.refused.is_empty())
        })
    }
}

/// Brings the frames of bundles to their true names: each is compared with its record on the other machine, with the
/// settings of the job as it is now, decoded, copied beside its true name, and renamed without replacing. What is not
/// taken is reported. The same call again changes nothing more.
///
/// # Errors
/// When the state folder of the job cannot be used.
pub fn gather(
    loaded: &Loaded,
    expansion: &Expansion,
    bundles: &[PathBuf],
    options: &GatherOptions<'_>,
) -> Result<Vec<GatherReport>, GatherError> {
    let state = loaded.state_folder();
    let new = NewSession {
        job: &loaded.file,
        // Never that of another call: two at once would be in each other's way.
        plan: format!(
            "gather {} {}",
            std::process::id(),
            crate::clock::timestamp()
        ),
        jobs: None,
        dead_after: dead_after(loaded),
        loaded,
        expansion,
    };
    let (session, known) = Session::begin(options.disk, &state, &new)?;
    let mut home = Home {
        options,
        session: &session,
        known: &known,
        by_label: expansion
            .deliverables
            .iter()
            .map(|one| (one.label(), one))
            .collect(),
        fingerprints: Fingerprints::new(loaded),
        brought: HashSet::new(),
    };
    let reports = bundles.iter().map(|bundle| home.bundle(bundle)).collect();
    let ended = session.end(&known);
    ended.map_err(|error| GatherError::Disk {
        path: state.to_string(),
        error,
    })?;
    Ok(reports)
}

/// The job that frames come home to.
struct Home<'h> {
    options: &'h GatherOptions<'h>,
    session: &'h Session<'h>,
    known: &'h Ledger,
    by_label: BTreeMap<String, &'h Deliverable>,
    fingerprints: Fingerprints<'h>,
    /// What this call has brought home.
    brought: HashSet<String>,
}

/// A bundle as it came back.
struct Returned {
    folder: PathBuf,
    ledger: Ledger,
    expansion: Expansion,
    /// The machine that worked on it, where a run says so.
    machine: Option<String>,
}

/// Why a frame is not taken.
enum Refusal {
    Missing,
    Stale,
    Other(String),
}

impl From<io::Error> for Refusal {
    fn from(error: io::Error) -> Self {
        Self::Other(error.to_string())
    }
}

impl Home<'_> {
    fn bundle(&mut self, bundle: &Path) -> GatherReport {
        let mut edited = Vec::new();
        let result = self.frames_of(bundle, &mut edited);
        GatherReport {
            bundle: bundle.to_owned(),
            result,
            edited,
        }
    }

    fn frames_of(
        &mut self,
        bundle: &Path,
        edited: &mut Vec<String>,
    ) -> Result<Vec<Gathered>, String> {
        let list = BundleList::read(bundle).map_err(|error: BundleError| error.to_string())?;
        for file in &list.files {
            let hashes = hash_file(&bundle.join(&file.path), &[HashKind::Blake3]);
            if !hashes.is_ok_and(|hashes| hashes.concat() == file.blake3) {
                edited.push(file.path.clone());
            }
        }
        let job = load(
            &bundle.join(JOB_FILE),
            &[],
            self.options.shipped,
            When::Latest,
            None,
        );
        let other = job.map_err(|error| match error {
            LoadError::Mistakes { findings, .. } => {
                let first = findings.first().map(|one| one.sentence.clone());
                format!("its job file has mistakes: {}", first.unwrap_or_default())
            }
            error => error.to_string(),
        })?;
        let ledger = Ledger::read(&other.state_folder().ledgers());
        let ledger = ledger.map_err(|error| format!("its ledgers cannot be read: {error}"))?;
        let began = ledger.sessions.values().rev();
        let machine = began
            .filter_map(|session| Some(session.began.as_ref()?.machine.clone()))
            .next();
        let returned = Returned {
            folder: fs::canonicalize(bundle).map_err(|error| error.to_string())?,
            machine,
            expansion: expand(&other.job, &other.surroundings, &Selection::default()),
            ledger,
        };
        let mut all = Vec::new();
        for packed in &list.deliverables {
            let frames = packed.frames.parse::<FrameSet>();
            let frames = frames.map_err(|error| format!("{}: {}", packed.label, error.message))?;
            let deliverables = &returned.expansion.deliverables;
            let there = deliverables.iter().find(|one| one.label() == packed.label);
            let mut one = Gathered {
                label: packed.label.clone(),
                ..Gathered::default()
            };
            let here = self.by_label.get(&packed.label).copied();
            let (Some(here), Some(there)) = (here, there) else {
                let whose = if here.is_none() {
                    "the job"
                } else {
                    "its job file"
                };
                let why = format!("{whose} has no such part any more");
                one.refused
                    .extend(frames.iter().map(|frame| (why.clone(), frame)));
                all.push(one);
                continue;
            };
            for frame in frames.iter() {
                self.frame(&returned, (here, there), frame, edited, &mut one);
            }
            all.push(one);
        }
        Ok(all)
    }

    fn frame(
        &mut self,
        returned: &Returned,
        (here, there): (&Deliverable, &Deliverable),
        frame: Frame,
        edited: &[String],
        one: &mut Gathered,
    ) {
        let from = PathBuf::from(there.path(frame));
        let record = returned.ledger.published.get(&there.path(frame));
        if record.is_none() && from.exists() {
            if !edited.is_empty() {
                let why = format!(
                    "no run of the bundle has recorded it, and {} was changed on the way, so nobody knows what made it",
                    edited.join(", ")
                );
                one.refused.push((why, frame));
                return;
            }
            one.unrecorded.push(frame);
        }
        match self.bring(returned, here, &from, frame, record) {
            Ok(true) => one.brought.push(frame),
            Ok(false) => one.there.push(frame),
            Err(Refusal::Missing) => one.missing.push(frame),
            Err(Refusal::Stale) => one.stale.push(frame),
            Err(Refusal::Other(why)) => one.refused.push((why, frame)),
        }
    }

    /// Brings one frame home; whether it was not there already.
    fn bring(
        &mut self,
        returned: &Returned,
        here: &Deliverable,
        from: &Path,
        frame: Frame,
        record: Option<&KnownFile>,
    ) -> Result<bool, Refusal> {
        match from.symlink_metadata() {
            Err(_) => return Err(Refusal::Missing),
            Ok(facts) if !facts.is_file() => {
                return Err(Refusal::Other(
                    "it is a link or a folder, and no file".to_owned(),
                ));
            }
            Ok(_) => {}
        }
        if !fs::canonicalize(from)?.starts_with(&returned.folder) {
            return Err(Refusal::Other(format!(
                "{} leads out of the bundle",
                from.display()
            )));
        }
        let today = self.fingerprints.of(here)?;
        if record.is_some_and(|record| record.fingerprint().is_some_and(|made| made != today)) {
            return Err(Refusal::Stale);
        }
        // Its bytes by the record of the other machine, and its picture as the job wants it now.
        let recorded_kind = record.map_or(HashKind::Blake3, |record| record.hash.kind());
        let kinds = [HashKind::Blake3, recorded_kind];
        let kinds = &kinds[..if recorded_kind == HashKind::Blake3 {
            1
        } else {
            2
        }];
        let options = ExamineOptions {
            hashes: kinds,
            measure: true,
        };
        let seen = examine(from, &ExpectedPicture::from(here), options);
        let unverifiable = match seen.facts {
            Ok(_) => None,
            Err(Flaw::Unverifiable(reason)) if here.common.allows_unverifiable => Some(reason),
            Err(flaw) => return Err(Refusal::Other(flaw.to_string())),
        };
        let Some(hashes) = seen.hashes else {
            return Err(Refusal::Other("it cannot be read to its end".to_owned()));
        };
        let own = recorded(HashKind::Blake3, &hashes[0]);
        if let Some(record) = record {
            let found = recorded(recorded_kind, &hashes[hashes.len() - 1]);
            if found != record.hash.to_string() {
                return Err(Refusal::Other(
                    "its bytes are not those that were published on the other machine".to_owned(),
                ));
            }
        }
        let to = PathBuf::from(here.path(frame));
        if to.symlink_metadata().is_ok() {
            if !crate::disk::has_content(&to, &own)? {
                return Err(Refusal::Other(format!(
                    "another file has its name, and is not replaced: {}",
                    to.display()
                )));
            }
            let path = here.path(frame);
            if self.brought.contains(&path) || self.known.published.get(&path).is_some() {
                return Ok(false);
            }
        } else {
            self.copy(from, &to, &own)?;
        }
        let provenance = Provenance {
            engine: record.map_or("unknown".to_owned(), |record| {
                record.origin.engine.to_string()
            }),
            fingerprint: record.and(Some(today)),
            run: None,
        };
        let mut entry = record_with(&to, &to, &provenance, own)?;
        if let Some(machine) = &returned.machine {
            entry.machine.clone_from(machine);
        }
        entry.unverifiable = unverifiable;
        entry.picture = seen.measure;
        entry.samples = record.and_then(|record| record.origin.samples);
        let how = if record.is_some() {
            FileOrigin::Rendered
        } else {
            FileOrigin::Adopted
        };
        let line = Line::Published {
            frame,
            how,
            record: entry,
        };
        self.session.publisher.ledger().write(&[line])?;
        point("gather-recorded");
        self.brought.insert(here.path(frame));
        Ok(true)
    }

    /// Copies a file beside its true name, and gives it that name where it is free.
    fn copy(&self, from: &Path, to: &Path, hash: &str) -> Result<(), Refusal> {
        let disk = self.options.disk;
        let folder = to.parent().unwrap_or(Path::new("/"));
        disk.create_folders(folder)?;
        let name = to.file_name().unwrap_or_default().to_string_lossy();
        let copy = folder.join(format!(".truepath-gathered-{name}"));
        let copied = (|| -> Result<(), Refusal> {
            // What a call was copying when it was killed is half, and ours.
            match disk.remove_file(&copy) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error.into()),
                _ => {}
            }
            disk.copy_new(from, &copy)?;
            point("gather-copied");
            // What was written is what was read.
            if !crate::disk::has_content(&copy, hash)? {
                return Err(Refusal::Other("it changed while it was copied".to_owned()));
            }
            rename(disk, &copy, to).map_err(|error| match error.kind() {
                io::ErrorKind::AlreadyExists => Refusal::Other(format!(
                    "another file has its name, and is not replaced: {}",
                    to.display()
                )),
                _ => error.into(),
            })?;
            point("gather-renamed");
            Ok(disk.sync_folder(folder)?)
        })();
        if copied.is_err() {
            // Half a copy is of no use to anybody.
            let _ = disk.remove_file(&copy);
        }
        copied
    }
}
