//! Why a job cannot be packed.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::finding::grouped;
use truepath_core::visible::visible_bytes;

use crate::load::LoadError;

/// Why nothing was packed.
#[derive(Debug, thiserror::Error)]
pub enum PackError {
    /// There is nothing to make.
    #[error("{0}")]
    Nothing(String),
    /// Files lie where a bundle cannot have them.
    #[error("{}", outside_sentence(.0))]
    Outside(Vec<(PathBuf, u64)>),
    /// Files lie outside of the project, and nobody named them.
    #[error("{}", unnamed_sentence(.0))]
    Unnamed(Vec<OutsideFile>),
    /// Names of files are no text.
    #[error(
        "the list of a bundle holds names in UTF-8 only; rename {}",
        _0.iter().map(|path| visible_bytes(path.as_os_str().as_encoded_bytes())).collect::<Vec<_>>().join(", ")
    )]
    NoText(Vec<PathBuf>),
    /// The bundles do not fit.
    #[error(
        "the bundles take {} bytes, and {} are free in {folder}; pack fewer parts, or name another folder with --to",
        grouped(*needed),
        grouped(*free)
    )]
    NoRoom {
        /// Where they go.
        folder: String,
        /// What they take.
        needed: u64,
        /// What is free.
        free: u64,
    },
    /// A name is there already.
    #[error("{0} is there already, and is not replaced; name another folder with --to")]
    Taken(String),
    /// The bundle would make other pictures.
    #[error("the bundle {bundle} would not make the same: {why}")]
    NotTheSame {
        /// The bundle.
        bundle: String,
        /// What differs.
        why: String,
    },
    /// The job cannot be packed.
    #[error("{0}")]
    Job(String),
    /// The bundle's job cannot be loaded.
    #[error(transparent)]
    Load(#[from] LoadError),
    /// The disk refuses.
    #[error("{path}: {error}")]
    Disk {
        /// The file.
        path: String,
        /// Why.
        error: io::Error,
    },
}

/// A file outside of the project that would be packed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OutsideFile {
    /// Where it lies once links are resolved.
    pub path: PathBuf,
    /// Its bytes.
    pub bytes: u64,
    /// What it would be called in the bundle.
    pub packed_as: String,
}

fn unnamed_sentence(files: &[OutsideFile]) -> String {
    let shown = |path: &Path| visible_bytes(path.as_os_str().as_encoded_bytes());
    let folder = files[0].path.parent().unwrap_or(Path::new("/"));
    format!(
        "these files lie outside of the project, and are packed only when they or their folders are named, such as --with {}:{}",
        shown(folder),
        first_lines(files, |file| {
            format!(
                "{} ({} bytes), as {}",
                shown(&file.path),
                file.bytes,
                file.packed_as
            )
        })
    )
}

fn outside_sentence(files: &[(PathBuf, u64)]) -> String {
    format!(
        "these files lie neither below the folder of the job nor below one of its places, so that another machine would not find them; \
         copy them there, or make their folder a place:{}",
        first_lines(files, |(path, bytes)| format!(
            "{} ({bytes} bytes)",
            path.display()
        ))
    )
}

/// The first of some files, a line each, and how many more there are.
fn first_lines<F>(files: &[F], line: impl Fn(&F) -> String) -> String {
    const MOST: usize = 10;
    let shown = files.iter().take(MOST);
    let mut lines: String = shown.map(|file| format!("\n  {}", line(file))).collect();
    if files.len() > MOST {
        lines += &format!("\n  and {} more", files.len() - MOST);
    }
    lines
}

pub(super) fn disk_error(path: &Path) -> impl Fn(io::Error) -> PackError {
    let path = path.display().to_string();
    move |error| PackError::Disk {
        path: path.clone(),
        error,
    }
}
