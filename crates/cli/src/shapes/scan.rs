//! What `truepath scan --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::sequences::{Choice, Sequence, doubles};
use truepath_runner::look::scan::ScannedFolder;
use truepath_runner::look::verify_all::{FaultyFile, FileFault};

use super::VERSION;

/// What is known of a sequence besides its name.
#[derive(Debug, Default)]
pub(crate) struct Content {
    /// What its pictures are.
    pub(crate) facts: Option<String>,
    /// Files with which something is wrong.
    pub(crate) faults: Vec<FaultyFile>,
}

/// The sequences in some folders
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct ScanShape {
    /// The version of this shape
    version: u32,
    /// In the order in which they were scanned
    folders: Vec<FolderShape>,
}

/// The sequences in a folder
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FolderShape {
    /// The folder
    folder: String,
    /// In the order of their names
    sequences: Vec<SequenceShape>,
    /// Links to folders, which are not followed
    links: Vec<String>,
    /// What could not be read
    unreadable: Vec<UnreadableShape>,
}

/// A sequence, or a file that belongs to none
#[derive(Debug, Serialize, JsonSchema)]
struct SequenceShape {
    /// Its name, with the frame as a token
    name: String,
    /// Whether it has frames
    is_sequence: bool,
    /// Its frames, such as `1-9,12`
    frames: String,
    /// The frames between the first and the last that are not there
    missing: String,
    /// How many files it has
    files: u64,
    /// Their bytes
    bytes: u64,
    /// When the first of them changed, in seconds since 1970
    oldest: i64,
    /// When the last of them changed, in seconds since 1970
    newest: i64,
    /// Why the number is the frame: `only`, `varies` or `varies-most`
    frame_is: &'static str,
    /// What its pictures are, where that was asked for
    facts: Option<String>,
    /// Files that are not whole, where that was asked for
    not_whole: Vec<UnreadableShape>,
    /// Files that this program cannot decode
    unverifiable: Vec<UnreadableShape>,
    /// Files of another size, other channels or bits than most of the sequence
    odd: Vec<UnreadableShape>,
    /// The name of a sequence that differs in padding or capitals alone
    like: Option<String>,
}

/// A file or folder, and what is wrong with it
#[derive(Debug, Serialize, JsonSchema)]
struct UnreadableShape {
    /// Its name or path
    path: String,
    /// Why
    reason: String,
}

impl ScanShape {
    pub(crate) fn of(folders: Vec<FolderShape>) -> Self {
        Self {
            version: VERSION,
            folders,
        }
    }
}

impl FolderShape {
    /// A folder, with what is known of the content of each sequence.
    pub(crate) fn of(folder: &ScannedFolder, contents: &[Content]) -> Self {
        let doubles = doubles(&folder.sequences);
        let like = |at: usize| {
            let pair = doubles.iter().find(|(_, second)| *second == at);
            pair.map(|(first, _)| folder.sequences[*first].name())
        };
        let sequences = folder.sequences.iter().zip(contents).enumerate();
        Self {
            folder: folder.path.display().to_string(),
            sequences: sequences
                .map(|(at, (one, content))| SequenceShape::of(one, content, like(at)))
                .collect(),
            links: folder
                .links
                .iter()
                .map(|link| link.display().to_string())
                .collect(),
            unreadable: folder
                .unreadable
                .iter()
                .map(|(path, error)| UnreadableShape {
                    path: path.display().to_string(),
                    reason: error.to_string(),
                })
                .collect(),
        }
    }
}

impl SequenceShape {
    fn of(one: &Sequence, content: &Content, like: Option<String>) -> Self {
        let (oldest, newest) = one.changed();
        Self {
            name: one.name(),
            is_sequence: one.is_sequence(),
            frames: one.frames().to_string(),
            missing: one.missing().to_string(),
            files: one.count(),
            bytes: one.bytes(),
            oldest,
            newest,
            frame_is: match one.choice() {
                Choice::Only => "only",
                Choice::Varies => "varies",
                Choice::VariesMost => "varies-most",
            },
            facts: content.facts.clone(),
            not_whole: faults(content, |fault| match fault {
                FileFault::NotWhole(reason) => Some(reason),
                _ => None,
            }),
            unverifiable: faults(content, |fault| match fault {
                FileFault::Unverifiable(reason) => Some(reason),
                _ => None,
            }),
            odd: faults(content, |fault| match fault {
                FileFault::Odd(reason) => Some(reason),
                _ => None,
            }),
            like,
        }
    }
}

/// The files with one kind of fault.
fn faults(content: &Content, of_kind: fn(&FileFault) -> Option<&String>) -> Vec<UnreadableShape> {
    let faults = content.faults.iter().filter_map(|file| {
        Some(UnreadableShape {
            path: file.name.clone(),
            reason: of_kind(&file.fault)?.clone(),
        })
    });
    faults.collect()
}
