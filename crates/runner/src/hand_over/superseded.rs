//! Versions of a job that later ones have taken the place of: what is there of them, and how it is removed with its
//! hashes kept.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::hash_list::HashLine;
use truepath_media::HashKind;

use crate::Loaded;
use crate::disk::{Disk, Stamp, has_content, hash_of_record, stamp};
use crate::hand_over::manifest::hash_line;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::{Inventory, look_briefly};
use crate::record::ledger::Ledger;
use crate::record::removal::{remove_empty_folders, remove_if_same};
use crate::system::{bytes_of_name, identity};

/// What is there of an earlier version.
#[derive(Debug, Default, Clone)]
pub struct SupersededVersion {
    /// Its number.
    pub version: i64,
    /// Its files that are not kept, and are as they were published, with the hashes of the ledger.
    pub files: Vec<SupersededFile>,
    /// Bytes of those.
    pub bytes: u64,
    /// Files that are kept, since their deliverables have no more versions after them than asked for.
    pub kept: u64,
    /// Files that are kept, since the current version of their deliverable is not valid.
    pub without_successor: u64,
    /// Files under its names that no run has published, or that have changed since: they stay.
    pub staying: u64,
}

/// A file of an earlier version.
#[derive(Debug, Clone)]
pub struct SupersededFile {
    /// Where it is.
    pub path: PathBuf,
    /// The folder of its place, which stays.
    root: PathBuf,
    stamp: Stamp,
    kind: HashKind,
    hash: String,
    /// The same as the ledger has it.
    recorded: String,
}

/// Why versions cannot be removed.
#[derive(Debug, thiserror::Error)]
pub enum SupersededError {
    /// A run is at work, or is to be recovered.
    #[error(
        "a run is at work on this job, or one that was killed is to be recovered by `truepath run` first"
    )]
    AtWork,
    /// The disk refuses.
    #[error(transparent)]
    Disk(#[from] io::Error),
}

/// What is there of earlier versions, the latest first. `current` is the job as it is, `earlier` are its versions before,
/// the latest first; a file that this job or one of `others` beside it wants today is never among them, by whatever name,
/// nor one whose deliverable is not valid in the current version. Of each deliverable the last `keep` versions
/// that are there are kept: shots have versions of their own.
///
/// # Errors
/// When the ledgers or a folder cannot be read.
pub fn superseded_versions(
    loaded: &Loaded,
    current: &Expansion,
    others: &[Expansion],
    earlier: &mut dyn Iterator<Item = (i64, Expansion)>,
    keep: usize,
) -> io::Result<Vec<SupersededVersion>> {
    let ledger = Ledger::read(&loaded.state_folder().ledgers())?;
    let wanted = std::iter::once(current).chain(others);
    let wanted = wanted.flat_map(|one| one.deliverables.iter());
    let mut taken: HashSet<String> = wanted.flat_map(paths).collect();
    // A link may lead from one name to the other.
    let same: HashSet<(u64, u64)> = taken.iter().filter_map(|path| file_of(path)).collect();
    let replaced = valid_deliverables(loaded, current, &ledger);
    let mut versions_of: HashMap<String, usize> = HashMap::new();
    let mut versions = Vec::new();
    for (version, expansion) in earlier {
        let mut found = SupersededVersion {
            version,
            ..SupersededVersion::default()
        };
        for one in &expansion.deliverables {
            let mut files = Vec::new();
            for path in paths(one) {
                // A path without its version belongs to the latest.
                if !taken.insert(path.clone()) {
                    continue;
                }
                let Some(now) = stamp(Path::new(&path))? else {
                    continue;
                };
                if file_of(&path).is_some_and(|file| same.contains(&file)) {
                    found.kept += 1;
                    continue;
                }
                match ledger.published.get(&path) {
                    Some(known) if known.stamp == now => {
                        let recorded = known.hash.to_string();
                        let (kind, digits) = hash_of_record(&recorded);
                        let digits = digits.to_owned();
                        files.push(SupersededFile {
                            path: PathBuf::from(path),
                            root: PathBuf::from(&*one.root),
                            stamp: now,
                            kind,
                            hash: digits,
                            recorded,
                        });
                    }
                    _ => found.staying += 1,
                }
            }
            if files.is_empty() {
                continue;
            }
            if !replaced.contains(&one.label()) {
                found.without_successor += files.len() as u64;
                continue;
            }
            let before = versions_of.entry(one.label()).or_default();
            *before += 1;
            if *before <= keep {
                found.kept += files.len() as u64;
            } else {
                found.bytes += files.iter().map(|file| file.stamp.size).sum::<u64>();
                found.files.extend(files);
            }
        }
        if !found.files.is_empty() || found.kept + found.staying + found.without_successor > 0 {
            versions.push(found);
        }
    }
    Ok(versions)
}

/// The labels of the deliverables of which every wanted file is valid.
fn valid_deliverables(loaded: &Loaded, current: &Expansion, ledger: &Ledger) -> HashSet<String> {
    let inventory = Inventory::new(loaded, current, &mut Fingerprints::new(loaded));
    let lookers = inventory.all().iter().filter(|looker| {
        let files = looker.deliverable().files();
        let found = look_briefly(looker, ledger);
        files.count() > 0 && found.valid.count() == files.count()
    });
    lookers.map(|looker| looker.deliverable().label()).collect()
}

/// The file that a path leads to, links followed; none where there is none.
fn file_of(path: &str) -> Option<(u64, u64)> {
    let path = fs::canonicalize(path).ok()?;
    identity(&path).ok()
}

/// Every file of a deliverable.
fn paths(one: &Deliverable) -> impl Iterator<Item = String> + '_ {
    one.files().iter().map(|file| file.path())
}

impl SupersededVersion {
    /// Removes its files, after their hashes were written into lists of the state folder; gives the lists. A file that has
    /// changed by then stays.
    ///
    /// # Errors
    /// When a run is at work, or the disk refuses; what is removed by then is in the lists.
    pub fn remove(
        &self,
        loaded: &Loaded,
        disk: &dyn Disk,
    ) -> Result<Vec<PathBuf>, SupersededError> {
        let state = loaded.state_folder();
        if !state.is_clear()? {
            return Err(SupersededError::AtWork);
        }
        let mut texts: BTreeMap<&str, Vec<u8>> = BTreeMap::new();
        for file in &self.files {
            // The list has the hashes of what is removed.
            if !has_content(&file.path, &file.recorded)? {
                continue;
            }
            let line =
                hash_line(&loaded.folder, &file.path, &file.hash).unwrap_or_else(|| HashLine {
                    hash: file.hash.clone(),
                    path: bytes_of_name(file.path.as_os_str()).to_vec(),
                });
            let text = texts.entry(file.kind.extension()).or_default();
            text.extend(line.written());
        }
        let folder = state.removed();
        disk.create_folders(&folder)?;
        let mut lists = Vec::new();
        for (kind, text) in texts {
            lists.push(write_list(disk, &folder, self.version, kind, &text)?);
        }
        disk.sync_folder(&folder)?;
        for file in &self.files {
            remove_if_same(disk, &file.path, &file.recorded)?;
            if let Some(folder) = file.path.parent() {
                remove_empty_folders(disk, folder, &file.root);
            }
        }
        Ok(lists)
    }
}

/// Writes a list under a name that is free: of a removal that was cut short there may be one already.
fn write_list(
    disk: &dyn Disk,
    folder: &Path,
    version: i64,
    kind: &str,
    text: &[u8],
) -> io::Result<PathBuf> {
    for number in 1_u32.. {
        let more = if number == 1 {
            String::new()
        } else {
            format!("-{number}")
        };
        let path = folder.join(format!("v{version:03}{more}.{kind}"));
        match disk.write_new(&path, text) {
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(error),
            Ok(()) => {
                disk.sync_file(&path)?;
                return Ok(path);
            }
        }
    }
    Err(io::Error::other("no name is free for the list"))
}
