//! Answers what core asks about the disk, programs and this machine.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use truepath_core::deliverable::Expansion;
use truepath_core::profile::SceneFileNames;
use truepath_core::question::{
    Answers, FolderFacts, MachineFacts, NamedFile, Question, SceneAnswer, questions,
};

use crate::Loaded;
use crate::load::here;
use crate::look::describe::describe_kept;
use crate::look::existing::existing;
use crate::look::named_in_scenes::named_in_scene;
use crate::look::program::find_program;
use crate::make::run::name_and_version;
use crate::system::{file_system_without_links, free_space, is_writable};

/// Answers all questions about the deliverables of a job. With `ask` engines are started to report their
/// version and what their scenes have.
#[must_use]
pub fn answer(loaded: &Loaded, expansion: &Expansion, ask: bool) -> Answers {
    let mut answers = Answers::default();
    if loaded.surroundings.system != here() {
        // Nothing on this machine shows what is there on another.
        return answers;
    }
    let last = last_run(loaded);
    let profile = |name: &str| {
        let profiles = expansion.deliverables.iter().map(|one| &one.common.engine);
        profiles.into_iter().find(|profile| profile.name == name)
    };
    for question in questions(expansion) {
        match question {
            Question::File(path) => {
                let there = Path::new(&path).is_file();
                answers.files.insert(path, there);
            }
            Question::Program(name) => {
                let found = find_program(&name, &loaded.folder);
                answers
                    .programs
                    .insert(name, found.map(|path| path.display().to_string()));
            }
            Question::Version(name) => {
                if let Some(profile) = profile(&name).filter(|_| ask) {
                    let answer = name_and_version(profile, &loaded.folder);
                    if let Some((_, version)) = answer.split_once(' ') {
                        answers.versions.insert(name, version.to_owned());
                    }
                }
            }
            Question::Variable(name) => {
                let set = std::env::var_os(&name).is_some();
                answers.variables.insert(name, set);
            }
            Question::Folder(path) => {
                let facts = folder(Path::new(&path));
                answers.folders.insert(path, facts);
            }
            Question::Scene { path, engine } => {
                let file = PathBuf::from(&path);
                let profile = profile(&engine);
                let facts = profile.map_or(Ok(None), |profile| {
                    describe_kept(profile, &file, loaded, ask)
                });
                let mut answer = scene(&file, facts.map_err(|error| error.to_string()));
                let there = fs::metadata(&file).ok();
                answer.bytes = there.as_ref().map(fs::Metadata::len);
                let names_are_known = profile.is_some_and(|profile| {
                    profile.describe.is_some() || profile.scene_file_names.is_some()
                });
                let is_small = answer.bytes.is_some_and(|bytes| bytes <= MOST_GUESSED);
                if answer.facts.is_none() && !names_are_known && is_small {
                    answer.unwatched = unwatched(&file, loaded);
                }
                let saved = there.and_then(|facts| facts.modified().ok());
                answer.newer_than_run = saved.zip(last).is_some_and(|(saved, last)| saved > last);
                answers.scenes.insert(path, answer);
            }
            Question::Sound(path) => {
                if let Ok(seconds) = truepath_media::wav_seconds(Path::new(&path)) {
                    answers.sounds.insert(path, seconds);
                }
            }
            Question::Real(path) => {
                let real = fs::canonicalize(&path).ok();
                let real = real.map(|real| real.display().to_string());
                answers.real.insert(path, real);
            }
            Question::Existing => answers.existing = existing(loaded, expansion),
            Question::Machine => answers.machine = machine(),
        }
    }
    answers
}

/// Larger scenes, in bytes, are not searched for names of files where nobody says how they name them: that takes long, and
/// is for a note only.
const MOST_GUESSED: u64 = 4 << 20;

/// When the ledger was written last.
fn last_run(loaded: &Loaded) -> Option<SystemTime> {
    // Other jobs may share the state folder.
    crate::record::run_record::latest(&loaded.state_folder(), &loaded.file).ok()??;
    let ledgers = loaded.state_folder().ledgers();
    let entries = fs::read_dir(ledgers).ok()?;
    entries
        .flatten()
        .filter_map(|entry| entry.metadata().and_then(|facts| facts.modified()).ok())
        .max()
}

/// Whether an engine could report something that is not known without starting it.
#[must_use]
pub fn can_ask(expansion: &Expansion) -> bool {
    let mut engines = expansion.deliverables.iter().map(|one| &one.common.engine);
    engines.any(|engine| engine.describe.is_some() || engine.wants.is_some())
}

fn folder(path: &Path) -> FolderFacts {
    let nearest = path.ancestors().find(|above| above.is_dir());
    FolderFacts {
        there: path.is_dir(),
        writable: nearest.is_some_and(is_writable),
        real: fs::canonicalize(path)
            .ok()
            .map(|real| real.display().to_string()),
        free: nearest.and_then(free_space),
        without_links: nearest.and_then(file_system_without_links),
    }
}

/// What is known about a scene, and what lies beside it.
fn scene(
    path: &Path,
    facts: Result<Option<truepath_core::scene_facts::SceneFacts>, String>,
) -> SceneAnswer {
    let mut answer = SceneAnswer::default();
    match facts {
        Ok(facts) => answer.facts = facts,
        Err(reason) => answer.no_answer = Some(reason),
    }
    let folder = path.parent().unwrap_or(Path::new("/"));
    let files = answer.facts.as_ref().and_then(|facts| facts.files.clone());
    for name in files.unwrap_or_default() {
        let file = folder.join(&name);
        if file.exists() {
            answer.needed.push(file.display().to_string());
        } else {
            answer.missing.push(name);
        }
    }
    answer.beside = beside(path);
    answer
}

/// The files that a scene of which nobody says what it needs seems to name.
fn unwatched(scene: &Path, loaded: &Loaded) -> Vec<NamedFile> {
    let found = named_in_scene(scene, &SceneFileNames::of_any_text());
    let is_job = |path: &Path| path == loaded.folder.join(&loaded.file);
    found
        .into_iter()
        .filter(|(path, _)| !is_job(path))
        .map(|(path, name)| NamedFile {
            name,
            path: path.display().to_string(),
        })
        .collect()
}

/// Files beside a scene that are signs of work that is not saved: a copy that an editor keeps (`#a#`,
/// `.a.swp`, `a~`, `a.autosave`) and that is newer, or a lock (`.a.lock`, `a.lock`, `.#a`, `.~lock.a#`).
fn beside(path: &Path) -> Vec<String> {
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let saved = fs::metadata(path).and_then(|facts| facts.modified()).ok();
    let newer = |file: &Path| {
        let kept = fs::metadata(file).and_then(|facts| facts.modified()).ok();
        kept.zip(saved).is_some_and(|(kept, saved)| kept > saved)
    };
    let copies = [
        format!("#{name}#"),
        format!(".{name}.swp"),
        format!("{name}~"),
        format!("{name}.autosave"),
    ];
    let locks = [
        format!(".{name}.lock"),
        format!("{name}.lock"),
        format!(".#{name}"),
        format!(".~lock.{name}#"),
    ];
    let copies = copies
        .into_iter()
        .filter(|copy| newer(&path.with_file_name(copy)));
    let locks = locks
        .into_iter()
        .filter(|lock| fs::symlink_metadata(path.with_file_name(lock)).is_ok());
    copies.chain(locks).collect()
}

fn machine() -> MachineFacts {
    let home = std::env::var("HOME").ok().filter(|home| !home.is_empty());
    MachineFacts {
        cores: std::thread::available_parallelism()
            .ok()
            .and_then(|cores| u64::try_from(cores.get()).ok()),
        home,
        temporary: Some(std::env::temp_dir().display().to_string()),
    }
}
