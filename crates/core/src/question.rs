//! What core must know of the disk and of programs, asked as values: the outside world answers, and
//! rules read the answers.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use crate::deliverable::{Deliverable, Expansion, Movie};
use crate::frames::Frame;
use crate::picture::{PictureKind, PictureMeasure, RenderedSamples};
use crate::profile::Profile;
use crate::scene_facts::SceneFacts;
use crate::template::{PathPattern, Piece};

/// Something that only the outside world knows.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Question {
    /// Is there a file at this absolute path?
    File(String),
    /// Where is this program?
    Program(String),
    /// Which version is this engine's program of? Answered only with leave to start it.
    Version(String),
    /// Is this variable set in the environment?
    Variable(String),
    /// What is there of this folder?
    Folder(String),
    /// What has this scene, by the file beside it, or by this engine with leave to start it?
    Scene {
        /// Its absolute path.
        path: String,
        /// The engine's name.
        engine: String,
    },
    /// Where is this path really, without symbolic links?
    Real(String),
    /// What is there of the files of all deliverables?
    Existing,
    /// How long is this sound?
    Sound(String),
    /// What is this machine like?
    Machine,
}

/// What is there of a folder.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FolderFacts {
    /// Whether it is there.
    pub there: bool,
    /// Whether files can be made in it, or, where it is not there, in the nearest one above.
    pub writable: bool,
    /// Where it really is, without symbolic links.
    pub real: Option<String>,
    /// Bytes that are free on its disk.
    pub free: Option<u64>,
    /// The name of its file system, where that knows no links of either kind.
    pub without_links: Option<String>,
}

/// What lies beside a scene.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SceneAnswer {
    /// What it has, where that is known.
    pub facts: Option<SceneFacts>,
    /// Why nobody could say, though it was asked for.
    pub no_answer: Option<String>,
    /// How large it is, in bytes, where it is there.
    pub bytes: Option<u64>,
    /// Whether it was saved after the last run.
    pub newer_than_run: bool,
    /// Files beside it that are signs of unsaved work: a newer autosave, a lock.
    pub beside: Vec<String>,
    /// Files that it needs and that are not there, as it names them.
    pub missing: Vec<String>,
    /// Files that it needs, where they are: absolute paths.
    pub needed: Vec<String>,
    /// Files that it seems to name, where nobody says what it needs.
    pub unwatched: Vec<NamedFile>,
}

/// A file that a scene names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NamedFile {
    /// As the scene names it.
    pub name: String,
    /// Where it is: an absolute path.
    pub path: String,
}

/// What is there already where files of a deliverable are wanted.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ExistingFacts {
    /// Files of the ledger, of the settings of today.
    pub kept: u64,
    /// Files of the ledger, of other settings.
    pub stale: u64,
    /// Files that the ledger does not know.
    pub unknown: u64,
    /// Names of files of the same kind beside them that no part of the job wants.
    pub others: Vec<String>,
}

/// What a machine is like.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct MachineFacts {
    /// Cores that programs may use.
    pub cores: Option<u64>,
    /// The home folder.
    pub home: Option<String>,
    /// The folder for temporary files.
    pub temporary: Option<String>,
}

/// What the outside world answered. What was not answered is not known, and no rule takes it for wrong.
#[derive(Debug, Clone, Default)]
pub struct Answers {
    /// Whether there is a file.
    pub files: BTreeMap<String, bool>,
    /// Where a program is, if it is anywhere.
    pub programs: BTreeMap<String, Option<String>>,
    /// The version of an engine's program, where it was asked.
    pub versions: BTreeMap<String, String>,
    /// Whether a variable is set.
    pub variables: BTreeMap<String, bool>,
    /// What is there of a folder.
    pub folders: BTreeMap<String, FolderFacts>,
    /// What a scene has.
    pub scenes: BTreeMap<String, SceneAnswer>,
    /// Where paths really are; none where nothing is.
    pub real: BTreeMap<String, Option<String>>,
    /// What is there of a deliverable, by its path with the frame as a token. Only those are in it
    /// that have something to say.
    pub existing: BTreeMap<String, ExistingFacts>,
    /// What finished pictures show, by the path of their deliverable with the frame as a token, in the order of
    /// their frames. It is known only where the pictures were read.
    pub pictures: BTreeMap<String, Vec<FinishedPicture>>,
    /// The length of a sound in seconds, where it can be read.
    pub sounds: BTreeMap<String, f64>,
    /// The machine.
    pub machine: MachineFacts,
}

/// A whole picture that is there.
#[derive(Debug, Clone, PartialEq)]
pub struct FinishedPicture {
    /// Its frame.
    pub frame: Frame,
    /// The bytes of its file.
    pub bytes: u64,
    /// Seconds that it took to render; none where that is not known.
    pub seconds: Option<f64>,
    /// What it shows; none where that is not known.
    pub measure: Option<PictureMeasure>,
    /// How many samples its pixels have; none where that is not known.
    pub samples: Option<RenderedSamples>,
    /// Its size, channels and bits; none where that is not known.
    pub kind: Option<PictureKind>,
}

/// All that must be known before the rules can look at a job, each once.
#[must_use]
pub fn questions(expansion: &Expansion) -> Vec<Question> {
    let mut all = BTreeSet::from([Question::Machine, Question::Existing]);
    // Places are those of the whole job.
    if let Some(first) = expansion.deliverables.first() {
        for (name, folder) in &first.common.project_values.places {
            if name != "job" {
                all.insert(Question::Folder(folder.clone()));
            }
        }
    }
    // Neighbours share most of what they ask; what they share is asked once.
    let mut before: Option<&Deliverable> = None;
    for deliverable in &expansion.deliverables {
        let last = before.replace(deliverable);
        if last.is_none_or(|last| last.root != deliverable.root) {
            all.insert(Question::Folder(deliverable.root.to_string()));
        }
        let first = first_folder(&deliverable.root, &deliverable.pattern);
        if first != last.and_then(|last| first_folder(&last.root, &last.pattern)) {
            all.extend(first.map(str::to_owned).map(Question::Real));
        }
        for sound in deliverable.movie().map(Movie::sounds).unwrap_or_default() {
            all.insert(Question::File(sound.file.value.clone()));
            all.insert(Question::Sound(sound.file.value));
        }
        let common = &deliverable.common;
        if last.is_some_and(|last| Arc::ptr_eq(&last.common, common)) {
            continue;
        }
        let engine = &common.engine;
        if let Some(scene) = &common.scene {
            all.insert(Question::File(scene.path.clone()));
            all.insert(Question::Scene {
                path: scene.path.clone(),
                engine: engine.name.clone(),
            });
        }
        for file in common.scene_files.iter() {
            all.insert(Question::File(file.path.clone()));
            all.insert(Question::Folder(file.path.clone()));
        }
        if engine.is_absent {
            continue;
        }
        // Everything that a run will start: to prove movies, and to prepare scenes.
        let proof = engine.proof.iter().map(|proof| &proof.program);
        let proof = proof.filter(|program| *program != Profile::THIS_PROGRAM);
        let prepare = engine
            .prepare
            .iter()
            .filter_map(|step| step.program.as_ref());
        all.extend(proof.chain(prepare).cloned().map(Question::Program));
        if engine.program != Profile::THIS_PROGRAM {
            all.insert(Question::Program(engine.program.clone()));
            if engine.wants.is_some() {
                all.insert(Question::Version(engine.name.clone()));
            }
        }
        all.extend(engine.needs.iter().cloned().map(Question::Variable));
    }
    all.into_iter().collect()
}

/// The first folder below the root, where the frame is no part of it.
#[must_use]
pub fn first_folder<'a>(root: &str, pattern: &'a PathPattern) -> Option<&'a str> {
    let Some(Piece::Text(text)) = pattern.pieces().first() else {
        return None;
    };
    let below = text.strip_prefix(root)?.strip_prefix('/')?;
    let (first, _) = below.split_once('/')?;
    text.get(..root.len() + 1 + first.len())
}
