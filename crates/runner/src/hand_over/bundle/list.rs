//! What a bundle says of itself.

use std::io;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};
use truepath_core::deliverable::MOST_FRAMES;
use truepath_core::finding::grouped;
use truepath_core::frames::FrameSet;
use truepath_media::read_text;

/// The file of a bundle that lists what is in it.
pub const LIST_FILE: &str = "bundle.json";
/// The version of that file.
const VERSION: u32 = 1;

/// What a bundle is, and what was packed into it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct BundleList {
    /// The version of this form.
    pub version: u32,
    /// The name of the bundle.
    pub name: String,
    /// Which part it is, from 1.
    pub part: u64,
    /// Of how many.
    pub parts: u64,
    /// What it makes.
    pub deliverables: Vec<PackedDeliverable>,
    /// The packed files, in the order of their paths.
    pub files: Vec<PackedFile>,
}

/// A deliverable of a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct PackedDeliverable {
    /// Its label.
    pub label: String,
    /// Its frames.
    pub frames: String,
    /// What makes its pictures, when it was packed.
    pub fingerprint: Option<String>,
}

/// A file of a bundle.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", deny_unknown_fields)]
pub struct PackedFile {
    /// Its path below the bundle, with `/` between folders.
    pub path: String,
    /// Its bytes.
    pub bytes: u64,
    /// Its BLAKE3, in hexadecimal digits.
    pub blake3: String,
}

/// Why a bundle cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum BundleError {
    /// It is no bundle.
    #[error("{0} is no bundle: it has no {LIST_FILE}")]
    NoBundle(String),
    /// It is of another version.
    #[error("{path}: it is a bundle of version {found}, and this program knows version {VERSION}")]
    OtherVersion {
        /// The bundle.
        path: String,
        /// Its version.
        found: u64,
    },
    /// Its list cannot be read.
    #[error("{path}: {reason}")]
    Damaged {
        /// The list.
        path: String,
        /// What is wrong.
        reason: String,
    },
    /// It cannot be read.
    #[error("{path}: {error}")]
    Unreadable {
        /// The file.
        path: String,
        /// Why.
        error: io::Error,
    },
}

impl BundleList {
    /// One of this version.
    pub(super) fn new(name: String, part: u64, parts: u64) -> Self {
        Self {
            version: VERSION,
            name,
            part,
            parts,
            deliverables: Vec::new(),
            files: Vec::new(),
        }
    }

    /// Reads the list of a bundle.
    ///
    /// # Errors
    /// When it is none, is of another version, or names files outside of it.
    pub fn read(bundle: &Path) -> Result<Self, BundleError> {
        let path = bundle.join(LIST_FILE);
        let shown = path.display().to_string();
        let text = read_text(&path).map_err(|error| match error.kind() {
            io::ErrorKind::NotFound | io::ErrorKind::NotADirectory => {
                BundleError::NoBundle(bundle.display().to_string())
            }
            _ => BundleError::Unreadable {
                path: shown.clone(),
                error,
            },
        })?;
        let damaged = |reason: String| BundleError::Damaged {
            path: shown.clone(),
            reason,
        };
        // The version is looked at first: all else may differ.
        let whole: serde_json::Value =
            serde_json::from_str(&text).map_err(|error| damaged(error.to_string()))?;
        let found = whole["version"].as_u64();
        let found = found.ok_or_else(|| damaged("it has no version".to_owned()))?;
        if found != u64::from(VERSION) {
            return Err(BundleError::OtherVersion {
                path: bundle.display().to_string(),
                found,
            });
        }
        let list: Self = serde_json::from_str(&text).map_err(|error| damaged(error.to_string()))?;
        if let Some(file) = list.files.iter().find(|file| inside(&file.path).is_none()) {
            return Err(damaged(format!(
                "the path {:?} leads out of the bundle",
                file.path
            )));
        }
        for packed in &list.deliverables {
            // A short text may name more frames than memory holds.
            let frames: Result<FrameSet, _> = packed.frames.parse();
            let frames =
                frames.map_err(|error| damaged(format!("`{}`: {error}", packed.frames)))?;
            if frames.count() > MOST_FRAMES {
                return Err(damaged(format!(
                    "it lists {} frames of {}, and at most {} are handled",
                    grouped(frames.count()),
                    packed.label,
                    grouped(MOST_FRAMES)
                )));
            }
        }
        Ok(list)
    }

    /// Its text.
    pub(super) fn text(&self) -> io::Result<String> {
        Ok(serde_json::to_string_pretty(self)? + "\n")
    }
}

/// A path that stays below the folder that it starts from; none of one that does not.
pub(super) fn inside(path: &str) -> Option<PathBuf> {
    let path = Path::new(path);
    let is_plain = |part: Component<'_>| matches!(part, Component::Normal(_));
    (path.components().next().is_some() && path.components().all(is_plain)).then(|| path.to_owned())
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;

    fn written(text: &str) -> Result<BundleList, BundleError> {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join(LIST_FILE), text).unwrap();
        BundleList::read(folder.path())
    }

    #[test]
    fn a_list_is_read_back_and_bad_ones_say_why() {
        let mut list = BundleList::new("orrery-part1of2".to_owned(), 1, 2);
        list.files.push(PackedFile {
            path: "scenes/dawn.toml".to_owned(),
            bytes: 3,
            blake3: "00".to_owned(),
        });
        assert_eq!(written(&list.text().unwrap()).unwrap(), list);
        for (path, words) in [
            ("../a", "leads out"),
            ("/etc/a", "leads out"),
            ("a/../../b", "leads out"),
            ("", "leads out"),
        ] {
            list.files[0].path = path.to_owned();
            let error = written(&list.text().unwrap()).unwrap_err();
            assert!(error.to_string().contains(words), "{path}: {error}");
        }
        list.files.clear();
        for (frames, words) in [("1-100000000", "at most"), ("1-x", "was expected")] {
            list.deliverables = vec![PackedDeliverable {
                label: "dawn".to_owned(),
                frames: frames.to_owned(),
                fingerprint: None,
            }];
            let error = written(&list.text().unwrap()).unwrap_err();
            assert!(error.to_string().contains(words), "{frames}: {error}");
        }
        list.deliverables.clear();
        list.version = 9;
        let error = written(&list.text().unwrap()).unwrap_err();
        assert!(error.to_string().contains("version 9"), "{error}");
        assert!(written("{").is_err() && written("{}").is_err());
        let folder = tempfile::tempdir().unwrap();
        let error = BundleList::read(folder.path()).unwrap_err();
        assert!(error.to_string().contains("is no bundle"), "{error}");
    }
}
