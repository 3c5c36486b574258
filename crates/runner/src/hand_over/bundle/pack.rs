//! Writes bundles.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use rayon::prelude::*;
use truepath_core::deliverable::{Deliverable, Expansion, Selection, expand};
use truepath_media::{HashKind, MOST_TEXT, hash_file, read_regular, read_text};

use super::archive::{ARCHIVE, write_archive};
use super::list::{BundleList, LIST_FILE, PackedDeliverable, PackedFile};
use super::pack_error::{PackError, disk_error};
use super::pack_plan::{PackPlan, PartPlan};
use super::packing::Packing;
use crate::disk::{Disk, content_hash, rename};
use crate::load::JOB_FILE;
use crate::look::fingerprint::Fingerprints;
use crate::record::run_record::When;
use crate::system::free_space;
use crate::threads::disk_threads;
use crate::{Loaded, load};

/// A bundle that was packed.
#[derive(Debug)]
pub struct PackedBundle {
    /// Its folder, or its archive.
    pub path: PathBuf,
    /// How many frames it makes.
    pub frames: u64,
}

/// Gives further files of a bundle, name and text, from its job and its folder.
pub type Extras<'p> = dyn Fn(&Loaded, &Expansion, &Path) -> io::Result<Vec<(String, String)>> + 'p;

/// Writes the bundles of a job.
pub struct Packer<'p> {
    /// The disk.
    pub disk: &'p dyn Disk,
    /// The job.
    pub loaded: &'p Loaded,
    /// Its deliverables.
    pub expansion: &'p Expansion,
    /// What goes into the bundles.
    pub plan: &'p PackPlan,
    /// The profiles that ship.
    pub shipped: &'p [(&'p str, &'static str)],
    /// Further files of each.
    pub extras: &'p Extras<'p>,
    /// Whether each becomes one file in place of a folder.
    pub as_archives: bool,
}

impl Packer<'_> {
    /// Writes the bundles below a folder. Each gets its name when it is whole.
    ///
    /// # Errors
    /// When a name is taken, the disk refuses, or a bundle would make other pictures than the job.
    pub fn pack(&self, to: &Path) -> Result<Vec<PackedBundle>, PackError> {
        let is_there = |part: &PartPlan| to.join(self.name(part)).symlink_metadata().is_ok();
        let (there, missing): (Vec<&PartPlan>, Vec<&PartPlan>) =
            self.plan.parts.iter().partition(|part| is_there(part));
        // Of a call that was killed some bundles may be there: these are made again and compared.
        if let (Some(first), true) = (there.first(), missing.is_empty()) {
            return Err(taken(&to.join(self.name(first))));
        }
        let disk = self.disk;
        disk.create_folders(to).map_err(disk_error(to))?;
        // As the job of the bundle will see it.
        let to = &fs::canonicalize(to).map_err(disk_error(to))?;
        // An archive is made of a folder.
        let folders = self.plan.parts.len() as u64 + u64::from(self.as_archives);
        let needed = self.plan.bytes * folders;
        if let Some(free) = free_space(to).filter(|free| *free < needed) {
            return Err(PackError::NoRoom {
                folder: to.display().to_string(),
                needed,
                free,
            });
        }
        let packing = Packing::begin(disk, to).map_err(disk_error(to))?;
        let made = self.make_all(packing.folder(), to);
        let ended = packing.end().map_err(disk_error(to));
        let packed = made?;
        ended?;
        Ok(packed)
    }

    /// Makes all bundles in a folder of their own, and gives them their names once all are whole.
    fn make_all(&self, making: &Path, to: &Path) -> Result<Vec<PackedBundle>, PackError> {
        let disk = self.disk;
        for part in &self.plan.parts {
            let folder = making.join(&part.name);
            self.write(part, &folder)?;
            if self.as_archives {
                let archive = making.join(self.name(part));
                write_archive(&folder, &part.name, &archive).map_err(disk_error(&archive))?;
                disk.remove_tree(&folder).map_err(disk_error(&folder))?;
            }
        }
        let mut packed = Vec::new();
        for part in &self.plan.parts {
            let (made, path) = (making.join(self.name(part)), to.join(self.name(part)));
            match rename(disk, &made, &path) {
                Ok(()) => {}
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                    if !is_same_bundle(&made, &path).map_err(disk_error(&path))? {
                        return Err(taken(&path));
                    }
                }
                Err(error) => return Err(disk_error(&path)(error)),
            }
            disk.sync_folder(to).map_err(disk_error(to))?;
            packed.push(PackedBundle {
                path,
                frames: part.frames,
            });
        }
        Ok(packed)
    }

    /// What a bundle is called.
    fn name(&self, part: &PartPlan) -> String {
        let end = if self.as_archives { ARCHIVE } else { "" };
        format!("{}{end}", part.name)
    }

    /// Writes one bundle into a folder, and loads it again.
    fn write(&self, part: &PartPlan, making: &Path) -> Result<(), PackError> {
        let Self { disk, plan, .. } = *self;
        let mut list = BundleList::new(part.name.clone(), part.number, plan.of);
        let all = &self.expansion.deliverables;
        let mut bundled = plan.bundled.clone();
        for ((one, frames), fingerprint) in all.iter().zip(&part.frames_of).zip(&plan.fingerprints)
        {
            if frames.is_empty() {
                continue;
            }
            bundled.part.push((one.label(), frames.clone()));
            list.deliverables.push(PackedDeliverable {
                label: one.label(),
                frames: frames.to_string(),
                fingerprint: fingerprint.clone(),
            });
        }
        let folder_of = |to: &str| making.join(to).parent().map(Path::to_owned);
        let folders: BTreeSet<PathBuf> = plan
            .files
            .iter()
            .filter_map(|(_, to)| folder_of(to))
            .collect();
        for folder in &folders {
            disk.create_folders(folder).map_err(disk_error(folder))?;
        }
        let threads = disk_threads().map_err(disk_error(making))?;
        threads.install(|| {
            plan.files.par_iter().try_for_each(|(from, to)| {
                let copied = disk.copy_new(from, &making.join(to));
                copied.map_err(disk_error(from))
            })
        })?;
        let own = self.loaded.folder.join(&self.loaded.file);
        let text = read_text(&own).map_err(disk_error(&own))?;
        let text = bundled.apply(&text).map_err(PackError::Job)?;
        disk.create_folders(making).map_err(disk_error(making))?;
        let write = |name: &str, text: &str| {
            let path = making.join(name);
            disk.write_new(&path, text.as_bytes())
                .map_err(disk_error(&path))
        };
        write(JOB_FILE, &text)?;
        // Loaded as the other machine will load it: it must make the same pictures.
        let other = load(&making.join(JOB_FILE), &[], self.shipped, When::Next, None)?;
        let cut = expand(&other.job, &other.surroundings, &Selection::default());
        compare(plan, part, all, &other, &cut, making)?;
        let mut written: Vec<String> = plan.files.iter().map(|(_, to)| to.clone()).collect();
        written.push(JOB_FILE.to_owned());
        for (name, text) in (self.extras)(&other, &cut, making).map_err(disk_error(making))? {
            write(&name, &text)?;
            written.push(name);
        }
        written.sort();
        let packed = |path: String| {
            let file = making.join(&path);
            let hashes = hash_file(&file, &[HashKind::Blake3]).map_err(disk_error(&file))?;
            let bytes = fs::metadata(&file).map_err(disk_error(&file))?.len();
            Ok(PackedFile {
                path,
                bytes,
                blake3: hashes.concat(),
            })
        };
        let files: Result<Vec<PackedFile>, PackError> =
            written.into_par_iter().map(packed).collect();
        list.files = files?;
        write(LIST_FILE, &list.text().map_err(disk_error(making))?)
    }
}

fn taken(path: &Path) -> PackError {
    PackError::Taken(path.display().to_string())
}

/// Whether two bundles were packed of the same: by their lists, which hold the hashes of all packed files, or by the bytes
/// of their archives.
fn is_same_bundle(one: &Path, other: &Path) -> io::Result<bool> {
    if other.symlink_metadata()?.is_dir() {
        let list = |bundle: &Path| read_regular(&bundle.join(LIST_FILE), MOST_TEXT).ok();
        return Ok(list(one).is_some() && list(one) == list(other));
    }
    Ok(content_hash(one)? == content_hash(other)?)
}

/// Whether the job of a bundle makes what it is meant to: the same frames, of the same inputs, below its own folder.
fn compare(
    plan: &PackPlan,
    part: &PartPlan,
    all: &[Deliverable],
    other: &Loaded,
    cut: &Expansion,
    making: &Path,
) -> Result<(), PackError> {
    let differs = |why: String| {
        Err(PackError::NotTheSame {
            bundle: part.name.clone(),
            why,
        })
    };
    let mut fingerprints = Fingerprints::new(other);
    let by_label: BTreeMap<String, &Deliverable> = cut
        .deliverables
        .iter()
        .map(|one| (one.label(), one))
        .collect();
    for ((one, frames), fingerprint) in all.iter().zip(&part.frames_of).zip(&plan.fingerprints) {
        if frames.is_empty() {
            continue;
        }
        let label = one.label();
        let Some(found) = by_label.get(&label) else {
            return differs(format!("it has no {label}"));
        };
        if found.common.frames.selected != *frames {
            return differs(format!("{label} has other frames"));
        }
        let first = frames.first().unwrap_or(0);
        let (here, there) = (one.path(first), found.path(first));
        if !Path::new(&there).starts_with(making) {
            return differs(format!("{label} would be written to {there}"));
        }
        if Path::new(&here).file_name() != Path::new(&there).file_name() {
            return differs(format!("{label} would be called {there}"));
        }
        if let Some(scene) = &found.common.scene
            && !Path::new(&scene.path).starts_with(making)
        {
            return differs(format!("{label} would be rendered from {}", scene.path));
        }
        if let Some(fingerprint) = fingerprint
            && !fingerprints
                .of(found)
                .is_ok_and(|found| found.now == *fingerprint)
        {
            return differs(format!("{label} would be made with other settings"));
        }
    }
    Ok(())
}
