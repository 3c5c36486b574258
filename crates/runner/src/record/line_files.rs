//! The files that `run` lines name and that count as inputs, as they were found before the first process of a line.
//!
//! A file that appears later, such as a log that the line names, is none. One that was there and that the first process
//! changes is none either: it counts with the content that it had then, for good.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use truepath_core::command::line_words;
use truepath_core::deliverable::Deliverable;
use truepath_core::hex::hex;

use crate::disk::{Disk, Stamp, hash_file, stamp, write_durably};
use crate::record::state_folder::StateFolder;
use truepath_media::{MOST_TEXT, read_regular};

/// The files of all lines, by line.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct LineFiles(BTreeMap<String, FilesOfLine>);

/// What a line names.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
struct FilesOfLine {
    /// Files by their paths below the job's folder, with the hash of one that counts with the content that it had.
    files: BTreeMap<String, Option<String>>,
    /// The program, where it does not lie there.
    program: Option<OutsideProgram>,
}

/// A program that does not belong to the project: it is known by its path, size and time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct OutsideProgram {
    path: PathBuf,
    /// Size and time of last change.
    stamp: Stamp,
}

impl OutsideProgram {
    /// The one with a path; none below a folder.
    pub(crate) fn of(path: &Path, folder: &Path) -> Option<Self> {
        let real = path.canonicalize().ok()?;
        let is_inside = real.starts_with(folder.canonicalize().ok()?);
        let stamp = stamp(&real).ok()??;
        (!is_inside).then(|| Self {
            path: path.to_owned(),
            stamp,
        })
    }
}

/// A line with its files.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct NamedFiles {
    /// What distinguishes the line from others.
    pub(crate) line: String,
    /// Path below the job's folder and hash of each.
    pub(crate) files: Vec<(String, String)>,
}

impl LineFiles {
    /// Those that a state folder records; what cannot be read counts as nothing.
    pub(crate) fn read(state: &StateFolder) -> Self {
        let bytes = read_regular(&state.line_files(), MOST_TEXT).unwrap_or_default();
        serde_json::from_slice(&bytes).unwrap_or_default()
    }

    /// The files of the line of a deliverable with their hashes of now; none where it has no line.
    pub(crate) fn named(&self, deliverable: &Deliverable, folder: &Path) -> Option<NamedFiles> {
        let words = line_words(deliverable);
        if words.is_empty() {
            return None;
        }
        let line = hex(&Sha256::digest(words.join("\0").as_bytes())[..16]);
        // One that is gone has no content.
        let hash = |path: &Path| hash_file(path).unwrap_or_default();
        let mut files: Vec<(String, String)> = match self.0.get(&line) {
            Some(recorded) => recorded
                .files
                .iter()
                .map(|(name, frozen)| {
                    let now = || hash(&folder.join(name));
                    (name.clone(), frozen.clone().unwrap_or_else(now))
                })
                .collect(),
            None => words
                .iter()
                .filter_map(|word| inside(word, folder))
                .map(|(name, path)| (name, hash(&path)))
                .collect(),
        };
        files.sort();
        files.dedup();
        Some(NamedFiles { line, files })
    }

    /// Records what a line names, unless that was done; gives whether it was not, and the path of a program that is
    /// another one than was recorded.
    pub(crate) fn record(
        state: &StateFolder,
        disk: &dyn Disk,
        named: &NamedFiles,
        program: Option<OutsideProgram>,
    ) -> io::Result<(bool, Option<PathBuf>)> {
        let mut all = Self::read(state);
        let (is_new, changed) = match all.0.get_mut(&named.line) {
            Some(known) if known.program == program => return Ok((false, None)),
            Some(known) => {
                known.program.clone_from(&program);
                (false, program.map(|program| program.path))
            }
            None => {
                let files = named.files.iter();
                let files = files.map(|(name, _)| (name.clone(), None)).collect();
                let known = FilesOfLine { files, program };
                all.0.insert(named.line.clone(), known);
                (true, None)
            }
        };
        all.write(state, disk)?;
        Ok((is_new, changed))
    }

    /// Lets those files of a line that were changed since count with the content that they had; gives which. The program
    /// itself is always an input.
    pub(crate) fn freeze_changed(
        state: &StateFolder,
        disk: &dyn Disk,
        named: &NamedFiles,
        folder: &Path,
    ) -> io::Result<Vec<String>> {
        let mut all = Self::read(state);
        let Some(known) = all.0.get_mut(&named.line) else {
            return Ok(Vec::new());
        };
        let mut changed = Vec::new();
        for (name, hash) in &named.files {
            let path = folder.join(name);
            let is_program =
                fs::metadata(&path).is_ok_and(|facts| crate::system::is_executable(&facts));
            if !is_program && hash_file(&path).unwrap_or_default() != *hash {
                known.files.insert(name.clone(), Some(hash.clone()));
                changed.push(name.clone());
            }
        }
        if !changed.is_empty() {
            all.write(state, disk)?;
        }
        Ok(changed)
    }

    fn write(&self, state: &StateFolder, disk: &dyn Disk) -> io::Result<()> {
        write_durably(disk, &state.line_files(), &serde_json::to_vec(self)?)
    }
}

/// A file below the job's folder that a word names: its path from there, and the whole one.
fn inside(word: &str, folder: &Path) -> Option<(String, PathBuf)> {
    let is_name = !word.is_empty() && word.len() < 4096 && !word.contains('\0');
    let path = folder.join(Some(word).filter(|_| is_name)?);
    let real = path.canonicalize().ok()?;
    let below = real.strip_prefix(folder.canonicalize().ok()?).ok()?;
    let name = below.to_str()?.to_owned();
    real.is_file().then_some((name, real))
}
