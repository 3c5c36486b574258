//! One frame of a bundle: verified, compared with the job of today, and copied beside its true name.

use std::collections::HashSet;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::frames::Frame;
use truepath_core::picture::{PictureMeasure, RenderedSamples};
use truepath_media::{ExamineOptions, ExpectedPicture, Flaw, HashKind, examine};

use crate::crash::point;
use crate::disk::{Disk, has_content, recorded, rename};
use crate::look::fingerprint::Fingerprint;
use crate::make::publish::Provenance;
use crate::record::ledger::{FileOrigin, KnownFile, Ledger};

/// A bundle as it came back.
pub(super) struct Returned {
    pub(super) folder: PathBuf,
    pub(super) ledger: Ledger,
    pub(super) expansion: Expansion,
    /// The machine that worked on it, where a run says so.
    pub(super) machine: Option<String>,
}

/// Why a frame is not taken.
pub(super) enum Refusal {
    Missing,
    Stale,
    Other(String),
}

impl From<io::Error> for Refusal {
    fn from(error: io::Error) -> Self {
        Self::Other(error.to_string())
    }
}

/// A frame that can come home.
pub(super) enum Taken {
    /// Its very bytes are there, and the ledger knows them.
    There,
    /// It is verified, and a copy lies beside its true name, unless its bytes are there already.
    Copied(Box<HomeFile>),
}

pub(super) struct HomeFile {
    pub(super) to: PathBuf,
    pub(super) copy: Option<PathBuf>,
    pub(super) hash: String,
    pub(super) provenance: Provenance,
    pub(super) how: FileOrigin,
    pub(super) unverifiable: Option<String>,
    pub(super) picture: Option<PictureMeasure>,
    pub(super) samples: Option<RenderedSamples>,
}

/// Takes frames of one deliverable of a bundle.
pub(super) struct FrameTaker<'t> {
    pub(super) disk: &'t dyn Disk,
    pub(super) known: &'t Ledger,
    pub(super) brought: &'t HashSet<String>,
    pub(super) returned: &'t Returned,
    pub(super) here: &'t Deliverable,
    pub(super) there: &'t Deliverable,
    pub(super) edited: &'t [String],
    /// What makes its pictures today.
    pub(super) today: &'t Fingerprint,
}

impl FrameTaker<'_> {
    /// Verifies a frame, and copies it beside its true name.
    pub(super) fn take(&self, frame: Frame) -> Result<Taken, Refusal> {
        let path = self.there.path(frame);
        let from = Path::new(&path);
        let record = self.returned.ledger.published.get(&path);
        match from.symlink_metadata() {
            Err(_) => return Err(Refusal::Missing),
            Ok(facts) if !facts.is_file() => {
                let why = "it is a link or a folder, and no file";
                return Err(Refusal::Other(why.to_owned()));
            }
            Ok(_) => {}
        }
        // Another version of the job calls it otherwise, and would take it for its own.
        let home = self.here.path(frame);
        if Path::new(&home).file_name() != from.file_name() {
            let name = |path: &Path| {
                path.file_name()
                    .unwrap_or_default()
                    .to_string_lossy()
                    .into_owned()
            };
            return Err(Refusal::Other(format!(
                "the job calls it {} now, and the bundle {}",
                name(Path::new(&home)),
                name(from)
            )));
        }
        if record.is_none() && !self.edited.is_empty() {
            return Err(Refusal::Other(format!(
                "no run of the bundle has recorded it, and {} was changed on the way, so nobody knows what made it",
                self.edited.join(", ")
            )));
        }
        if !fs::canonicalize(from)?.starts_with(&self.returned.folder) {
            return Err(Refusal::Other(format!(
                "{} leads out of the bundle",
                from.display()
            )));
        }
        let made = record.and_then(KnownFile::fingerprint);
        let today = self.today.of_frame(self.here, frame);
        if made.is_some_and(|made| !today.is(made)) {
            return Err(Refusal::Stale);
        }
        let to = PathBuf::from(&home);
        let is_there = to.symlink_metadata().is_ok();
        // What is copied is verified as it lies at home.
        let copy = (!is_there).then(|| copy_beside(self.disk, from, &to));
        let copy = copy.transpose()?;
        let verified = self.verified(copy.as_deref().unwrap_or(from), record);
        let (hash, picture, unverifiable) = verified.inspect_err(|_| {
            if let Some(copy) = &copy {
                // A copy that gets no name is of no use to anybody.
                let _ = self.disk.remove_file(copy);
            }
        })?;
        if is_there {
            if !has_content(&to, &hash)? {
                return Err(taken(&to));
            }
            if self.brought.contains(&home) || self.known.published.get(&home).is_some() {
                return Ok(Taken::There);
            }
        }
        let engine = record.map(|record| record.origin.engine.to_string());
        Ok(Taken::Copied(Box::new(HomeFile {
            to,
            copy,
            hash,
            provenance: Provenance {
                engine: engine.unwrap_or_else(|| "unknown".to_owned()),
                fingerprint: record.map(|_| today.now.clone()),
                run: None,
            },
            how: if record.is_some() {
                FileOrigin::Rendered
            } else {
                FileOrigin::Adopted
            },
            unverifiable,
            picture,
            samples: record.and_then(|record| record.origin.samples),
        })))
    }

    /// Compares the bytes of a file with their record on the other machine, and its picture with what the job wants now;
    /// gives its hash, what it shows, and why it cannot be decoded, where the job allows that.
    fn verified(&self, file: &Path, record: Option<&KnownFile>) -> Result<Verified, Refusal> {
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
        let seen = examine(file, &ExpectedPicture::from(self.here), options);
        let unverifiable = match seen.facts {
            Ok(_) => None,
            Err(Flaw::Unverifiable(reason)) if self.here.common.allows_unverifiable => Some(reason),
            Err(flaw) => return Err(Refusal::Other(flaw.to_string())),
        };
        let Some(hashes) = seen.hashes else {
            return Err(Refusal::Other("it cannot be read to its end".to_owned()));
        };
        if let Some(record) = record {
            let found = recorded(recorded_kind, &hashes[hashes.len() - 1]);
            if found != record.hash.to_string() {
                return Err(Refusal::Other(
                    "its bytes are not those that were published on the other machine".to_owned(),
                ));
            }
        }
        let own = recorded(HashKind::Blake3, &hashes[0]);
        Ok((own, seen.measure, unverifiable))
    }
}

/// The hash of a file, what it shows, and why it cannot be decoded.
type Verified = (String, Option<PictureMeasure>, Option<String>);

fn taken(to: &Path) -> Refusal {
    Refusal::Other(format!(
        "another file has its name, and is not replaced: {}",
        to.display()
    ))
}

/// Gives a copy its true name, where that is free.
pub(super) fn take_name(disk: &dyn Disk, copy: &Path, to: &Path) -> Result<(), Refusal> {
    rename(disk, copy, to).map_err(|error| {
        // A copy that gets no name is of no use to anybody.
        let _ = disk.remove_file(copy);
        match error.kind() {
            io::ErrorKind::AlreadyExists => taken(to),
            _ => error.into(),
        }
    })
}

/// Copies a file beside its true name.
fn copy_beside(disk: &dyn Disk, from: &Path, to: &Path) -> Result<PathBuf, Refusal> {
    let folder = to.parent().unwrap_or(Path::new("/"));
    disk.create_folders(folder)?;
    let name = to.file_name().unwrap_or_default().to_string_lossy();
    let copy = folder.join(format!(".truepath-gathered-{name}"));
    // What a call was copying when it was killed is half, and ours.
    match disk.remove_file(&copy) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error.into()),
        _ => {}
    }
    let copied = disk.copy_new(from, &copy);
    if copied.is_err() {
        let _ = disk.remove_file(&copy);
    }
    copied?;
    point("gather-copied");
    Ok(copy)
}
