//! Renames many files as one act: all of it is written down before the first file moves, so that what is cut short is
//! finished or undone by the next call. No file is ever replaced.
//!
//! - [`prepare`]: the plan, with what each file is, or what stands in the way.
//! - [`Journal`]: the folder of a place where renames are written down: begins one, finishes or undoes it.

mod journal;

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use truepath_core::renaming::{Obstacle, Rename, steps};

use crate::disk::unique_beside;
use crate::system::{device, identity};

pub use journal::{Journal, JournalError, Outcome};

/// One rename of a plan.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Step {
    /// Where the file is.
    pub from: String,
    /// Where it goes.
    pub to: String,
    /// What distinguishes the file from all others on its machine: the device and its number there.
    pub file: (u64, u64),
}

/// All renames, in their order.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Plan {
    /// In an order in which no name is taken.
    pub steps: Vec<Step>,
    /// Folders that are made for it, the outermost first.
    pub folders: Vec<String>,
    /// Files with further names, which stay as they are.
    #[serde(skip)]
    pub linked: Vec<String>,
}

/// What stands in the way of a plan.
#[derive(Debug)]
pub enum Hindrance {
    /// A name is wanted twice or taken.
    Name(Obstacle),
    /// The new name lies on another file system: a rename does not reach there, and a copy is no rename.
    OtherFileSystem {
        /// The file.
        from: String,
        /// The name.
        to: String,
    },
    /// Two of the names are names of one file.
    OneFile {
        /// The first name.
        first: String,
        /// The other.
        second: String,
    },
    /// A file cannot be looked at, or where it goes is no folder.
    Unreadable {
        /// The path.
        path: String,
        /// Why.
        error: io::Error,
    },
}

/// Plans renames. Nothing is changed.
///
/// # Errors
/// All that stands in the way.
pub fn prepare(renames: &[Rename]) -> Result<Plan, Vec<Hindrance>> {
    let is_there = |path: &str| fs::symlink_metadata(path).is_ok();
    let temporary = |path: &str| unique_beside(Path::new(path)).display().to_string();
    let order = match steps(renames, &is_there, &temporary) {
        Ok(order) => order,
        Err(obstacles) => return Err(obstacles.into_iter().map(Hindrance::Name).collect()),
    };
    let mut hindrances = Vec::new();
    let mut plan = Plan::default();
    // What goes by a temporary name is known by where it began.
    let mut files: HashMap<String, (u64, u64)> = HashMap::new();
    let mut by_file: HashMap<(u64, u64), String> = HashMap::new();
    for one in renames {
        match identity(Path::new(&one.from)) {
            Ok(file) => {
                if let Some(first) = by_file.insert(file, one.from.clone()) {
                    hindrances.push(Hindrance::OneFile {
                        first,
                        second: one.from.clone(),
                    });
                }
                files.insert(one.from.clone(), file);
            }
            Err(error) => hindrances.push(Hindrance::Unreadable {
                path: one.from.clone(),
                error,
            }),
        }
        if has_more_names(Path::new(&one.from)) {
            plan.linked.push(one.from.clone());
        }
    }
    for Rename { from, to } in order {
        let Some(file) = files.get(&from).copied() else {
            continue;
        };
        files.insert(to.clone(), file);
        match folders_to_make(Path::new(&to)) {
            Ok((there, to_make)) => {
                if device(&there).is_ok_and(|device| device != file.0) {
                    hindrances.push(Hindrance::OtherFileSystem {
                        from: from.clone(),
                        to: to.clone(),
                    });
                }
                for folder in to_make {
                    let folder = folder.display().to_string();
                    if !plan.folders.contains(&folder) {
                        plan.folders.push(folder);
                    }
                }
            }
            Err(error) => hindrances.push(Hindrance::Unreadable {
                path: to.clone(),
                error,
            }),
        }
        plan.steps.push(Step { from, to, file });
    }
    if hindrances.is_empty() {
        Ok(plan)
    } else {
        Err(hindrances)
    }
}

/// Whether a file has several names.
fn has_more_names(path: &Path) -> bool {
    fs::symlink_metadata(path)
        .is_ok_and(|facts| facts.is_file() && crate::system::names(&facts) > 1)
}

/// The innermost folder above a path that is there, and those below it that are not, the outermost first.
fn folders_to_make(path: &Path) -> io::Result<(PathBuf, Vec<PathBuf>)> {
    let mut to_make = Vec::new();
    for folder in path.ancestors().skip(1) {
        let folder = if folder.as_os_str().is_empty() {
            Path::new(".")
        } else {
            folder
        };
        match fs::metadata(folder) {
            Ok(facts) if facts.is_dir() => {
                to_make.reverse();
                return Ok((folder.to_owned(), to_make));
            }
            Ok(_) => {
                return Err(io::Error::other(format!(
                    "{} is no folder",
                    folder.display()
                )));
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                to_make.push(folder.to_owned())
            }
            Err(error) => return Err(error),
        }
    }
    Err(io::Error::other("there is no folder above it"))
}
