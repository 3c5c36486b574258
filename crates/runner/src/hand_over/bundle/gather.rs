//! Brings the frames of bundles home.

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use rayon::ThreadPool;
use rayon::prelude::*;
use truepath_core::deliverable::{Deliverable, Expansion, Selection, expand};
use truepath_core::frames::{Frame, FrameSet};
use truepath_media::{HashKind, hash_file};

use super::archive::{is_archive, unpack_archive};
use super::frame_taker::{FrameTaker, HomeFile, Refusal, Returned, Taken, take_name};
use super::list::{BundleError, BundleList, PackedFile};
use crate::crash::point;
use crate::disk::Disk;
use crate::load::JOB_FILE;
use crate::look::fingerprint::Fingerprints;
use crate::make::publish::record_with;
use crate::make::run::dead_after;
use crate::make::session::{NewSession, Session, SessionError};
use crate::record::ledger::{FileOrigin, Ledger, Line};
use crate::record::run_record::When;
use crate::record::state_folder::StateFolder;
use crate::threads::disk_threads;
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
    let disk_error = |error| GatherError::Disk {
        path: state.to_string(),
        error,
    };
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
        threads: disk_threads().map_err(disk_error)?,
        state: &state,
        archives: 0,
    };
    let reports = bundles.iter().map(|bundle| home.bundle(bundle)).collect();
    session.end(&known).map_err(disk_error)?;
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
    threads: ThreadPool,
    /// The state of the job, and how many archives were unpacked there.
    state: &'h StateFolder,
    archives: u64,
}

impl Home<'_> {
    fn bundle(&mut self, bundle: &Path) -> GatherReport {
        let mut edited = Vec::new();
        let result = match is_archive(bundle) {
            false => self.frames_of(bundle, &mut edited),
            true => self.unpacked(bundle, &mut edited),
        };
        GatherReport {
            bundle: bundle.to_owned(),
            result,
            edited,
        }
    }

    /// The same of an archive, which is unpacked for as long as that takes.
    fn unpacked(
        &mut self,
        archive: &Path,
        edited: &mut Vec<String>,
    ) -> Result<Vec<Gathered>, String> {
        let disk = self.options.disk;
        let into = self
            .state
            .unpacked()
            .join(format!("{}-{}", std::process::id(), self.archives));
        self.archives += 1;
        // What a process of that number has left when it was killed is ours.
        let remove = || disk.remove_tree(&into).map_err(|error| error.to_string());
        remove()?;
        let unpacked = disk
            .create_folders(&into)
            .map_err(|error| error.to_string())
            .and_then(|()| unpack_archive(archive, &into));
        let result = unpacked.and_then(|folder| self.frames_of(&folder, edited));
        let removed = remove();
        let _ = disk.remove_folder(&self.state.unpacked());
        removed.and(result)
    }

    fn frames_of(
        &mut self,
        bundle: &Path,
        edited: &mut Vec<String>,
    ) -> Result<Vec<Gathered>, String> {
        let list = BundleList::read(bundle).map_err(|error: BundleError| error.to_string())?;
        let is_edited = |file: &&PackedFile| {
            let hashes = hash_file(&bundle.join(&file.path), &[HashKind::Blake3]);
            !hashes.is_ok_and(|hashes| hashes.concat() == file.blake3)
        };
        let packed = list.files.par_iter();
        edited.par_extend(packed.filter(is_edited).map(|file| file.path.clone()));
        // Without links and `..`, as its ledgers name the frames.
        let folder = fs::canonicalize(bundle).map_err(|error| error.to_string())?;
        let job = load(
            &folder.join(JOB_FILE),
            &[],
            self.options.shipped,
            When::Latest,
            None,
        );
        let other = job.map_err(|error| match error.first_mistake() {
            Some((_, one)) => format!("its job file has mistakes: {}", one.sentence),
            None => error.to_string(),
        })?;
        let ledger = Ledger::read(&other.state_folder().ledgers());
        let ledger = ledger.map_err(|error| format!("its ledgers cannot be read: {error}"))?;
        let began = ledger.sessions.values().rev();
        let machine = began
            .filter_map(|session| Some(session.began.as_ref()?.machine.clone()))
            .next();
        let returned = Returned {
            folder,
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
            let frames: Vec<Frame> = frames.iter().collect();
            for some in frames.chunks(AT_A_TIME) {
                self.some_frames(&returned, (here, there), some, edited, &mut one)
                    .map_err(|error| error.to_string())?;
            }
            all.push(one);
        }
        Ok(all)
    }

    /// Brings some frames home: they are verified and copied side by side, get their names one after another, and share
    /// the syncs of folders and ledger.
    fn some_frames(
        &mut self,
        returned: &Returned,
        (here, there): (&Deliverable, &Deliverable),
        frames: &[Frame],
        edited: &[String],
        one: &mut Gathered,
    ) -> io::Result<()> {
        let today = self.fingerprints.of(here)?;
        let taker = FrameTaker {
            disk: self.options.disk,
            known: self.known,
            brought: &self.brought,
            returned,
            here,
            there,
            edited,
            today: &today,
        };
        let take = |frame: &Frame| (*frame, taker.take(*frame));
        let taken: Vec<(Frame, Result<Taken, Refusal>)> = self
            .threads
            .install(|| frames.par_iter().map(take).collect());
        let disk = self.options.disk;
        let mut named: Vec<(Frame, HomeFile)> = Vec::new();
        let mut folders: BTreeSet<PathBuf> = BTreeSet::new();
        for (frame, result) in taken {
            let result = result.and_then(|taken| match taken {
                Taken::There => Ok(None),
                Taken::Copied(file) => {
                    if let Some(copy) = &file.copy {
                        take_name(disk, copy, &file.to)?;
                        folders.extend(file.to.parent().map(Path::to_owned));
                        point("gather-renamed");
                    }
                    Ok(Some(file))
                }
            });
            match result {
                Ok(None) => one.there.push(frame),
                Ok(Some(file)) => named.push((frame, *file)),
                Err(Refusal::Missing) => one.missing.push(frame),
                Err(Refusal::Stale) => one.stale.push(frame),
                Err(Refusal::Other(why)) => one.refused.push((why, frame)),
            }
        }
        for folder in folders {
            disk.sync_folder(&folder)?;
        }
        let mut lines = Vec::new();
        for (frame, file) in named {
            let mut record = record_with(&file.to, &file.to, &file.provenance, file.hash)?;
            if let Some(machine) = &returned.machine {
                record.machine.clone_from(machine);
            }
            record.unverifiable = file.unverifiable;
            record.picture = file.picture;
            record.samples = file.samples;
            one.brought.push(frame);
            if file.how == FileOrigin::Adopted {
                one.unrecorded.push(frame);
            }
            self.brought.insert(here.path(frame));
            lines.push(Line::Published {
                frame,
                how: file.how,
                record,
            });
        }
        if !lines.is_empty() {
            self.session.publisher.ledger().write(&lines)?;
            point("gather-recorded");
        }
        Ok(())
    }
}

/// So many frames are brought home at a time.
const AT_A_TIME: usize = 256;
