//! The fingerprint of what makes a picture: not of chunks, threads, staging or machine.
//!
//! A fingerprint says by which recipe it was made. The first recipe is without a mark; the second one, `2.`, adds the files
//! that a `run` line names, and reads large files whole; the third one, `3.`, adds the files that scenes name in their own
//! text. Where recipes count the same, the earliest is used, so that a later recipe makes no finished show stale; and a
//! frame is judged by the recipe under which it was made.

use std::borrow::Cow;
use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use rayon::prelude::*;
use sha2::{Digest, Sha256};
use truepath_core::command::{PictureInputs, frame_files};
use truepath_core::deliverable::{Common, Deliverable, Movie};
use truepath_core::frames::Frame;
use truepath_core::hex::hex;
use truepath_core::profile::Profile;

use crate::Loaded;
use crate::disk::{hash_file, hash_outline};
use crate::look::large_files::whole_hash;
use crate::look::needed_files::{ListedFile, NeededFile, last_part, needed_files};
use crate::look::stale::SCENE;
use crate::record::line_files::LineFiles;
use crate::record::value_key::InputValues;
use crate::record::value_key::as_recorded;

/// The fingerprint of the pictures of a deliverable, by the recipe that is used now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Fingerprint {
    /// By the recipe of now.
    pub(crate) now: String,
    /// By earlier recipes, where those are others.
    earlier: Vec<String>,
}

/// The marks of the second and the third recipe.
const SECOND: &str = "2.";
const THIRD: &str = "3.";

impl Fingerprint {
    /// One that is the same by all recipes.
    pub(crate) fn of_any_recipe(fingerprint: String) -> Self {
        Self {
            now: fingerprint,
            earlier: Vec::new(),
        }
    }

    /// Takes the fingerprint by a later recipe.
    fn replace(&mut self, later: String) {
        let earlier = std::mem::replace(&mut self.now, later);
        self.earlier.push(earlier);
    }

    /// Whether a picture with this fingerprint is one of today's.
    pub(crate) fn is(&self, made: &str) -> bool {
        self.now == made || self.earlier.iter().any(|earlier| earlier == made)
    }

    /// That of a frame of a deliverable which has this one: where files belong to the frame alone, their content is part
    /// of it.
    pub(crate) fn of_frame(&self, deliverable: &Deliverable, frame: Frame) -> Cow<'_, Self> {
        match part_of_frame(deliverable, frame) {
            None => Cow::Borrowed(self),
            Some(part) => {
                let with_part = |fingerprint: &String| format!("{fingerprint}{part}");
                Cow::Owned(Self {
                    now: with_part(&self.now),
                    earlier: self.earlier.iter().map(with_part).collect(),
                })
            }
        }
    }
}

/// Makes fingerprints; every scene is read once, and every file that scenes are known to need.
pub(crate) struct Fingerprints<'l> {
    loaded: &'l Loaded,
    scenes: HashMap<String, String>,
    needed: HashMap<NeededKey, Needed>,
    files: HashMap<PathBuf, String>,
    line_files: LineFiles,
    /// What can change the pictures of an engine, by the place of its profile in memory.
    inputs: HashMap<usize, (Arc<Profile>, PictureInputs)>,
}

type Needed = Arc<[NeededFile]>;

/// What is needed depends on the scene, its engine, and what the job names.
type NeededKey = (String, String, Vec<String>);

fn needed_key(common: &Common) -> NeededKey {
    let scene = common.scene.as_ref().map(|scene| scene.path.clone());
    let named = common.scene_files.iter().map(|file| file.path.clone());
    (
        scene.unwrap_or_default(),
        common.engine.name.clone(),
        named.collect(),
    )
}

impl<'l> Fingerprints<'l> {
    /// Makes those of a job.
    pub(crate) fn new(loaded: &'l Loaded) -> Self {
        Self {
            loaded,
            scenes: HashMap::new(),
            needed: HashMap::new(),
            files: HashMap::new(),
            line_files: LineFiles::read(&loaded.state_folder()),
            inputs: HashMap::new(),
        }
    }

    /// What the scene of a deliverable needs, as far as it is known without asking its engine: what that reported, and
    /// what the job names.
    fn needed(&mut self, common: &Common) -> Needed {
        let key = needed_key(common);
        if let Some(known) = self.needed.get(&key) {
            return Arc::clone(known);
        }
        let files = needed_files(common, self.loaded);
        // What is not there has no content; `check` says that it is missing.
        let unknown = files
            .par_iter()
            .filter(|file| !self.files.contains_key(&file.path));
        let hash = |file: &ListedFile| {
            let hash = hash_outline(&file.path).unwrap_or_default();
            (file.path.clone(), hash)
        };
        let hashed: Vec<(PathBuf, String)> = unknown.map(hash).collect();
        self.files.extend(hashed);
        let hashed = files.into_iter().map(|file| NeededFile {
            hash: self.files.get(&file.path).cloned().unwrap_or_default(),
            whole: whole_hash(&file.path),
            name: file.name,
            path: file.path,
            is_named_in_scene: file.is_named_in_scene,
        });
        let hashed: Needed = hashed.collect();
        self.needed.insert(key, Arc::clone(&hashed));
        hashed
    }

    /// What makes the pictures of a deliverable, by name; its fingerprint was asked for before.
    pub(crate) fn inputs(&self, deliverable: &Deliverable) -> InputValues {
        let common = &deliverable.common;
        let key = Arc::as_ptr(&common.engine) as usize;
        let Some((_, inputs)) = self.inputs.get(&key) else {
            return InputValues::new();
        };
        let mut values = inputs.values(deliverable);
        if let Some(scene) = &common.scene {
            let hash = self.scenes.get(&scene.path).cloned();
            values.push((SCENE.to_owned(), hash.unwrap_or_default()));
        }
        let needed = self.needed.get(&needed_key(common));
        for file in needed.iter().flat_map(|files| files.iter()) {
            values.push((format!("the file {}", file.name), file.content().to_owned()));
        }
        let named = self.line_files.named(deliverable, &self.loaded.folder);
        for (name, hash) in named.into_iter().flat_map(|named| named.files) {
            values.push((format!("the file {name}"), hash));
        }
        values
    }

    /// What a line is known by, for whether its clips may be split: its words, its scene and its settings, and not the
    /// size of its pictures. The fingerprint of the deliverable was asked for before.
    pub(crate) fn split_key(&self, deliverable: &Deliverable) -> String {
        let mut hasher = Sha256::new();
        let key = Arc::as_ptr(&deliverable.common.engine) as usize;
        if let Some((_, inputs)) = self.inputs.get(&key) {
            for word in inputs.line() {
                add(&mut hasher, "line", &word);
            }
        }
        let is_size = |name: &str| matches!(name, "size" | "width" | "height");
        for (name, value) in self.inputs(deliverable) {
            if !is_size(&name) {
                add(&mut hasher, &name, &value);
            }
        }
        hex(&hasher.finalize()[..16])
    }

    /// The same as records have it.
    pub(crate) fn recorded_inputs(&self, deliverable: &Deliverable) -> InputValues {
        as_recorded(self.inputs(deliverable), &self.loaded.state_folder())
    }

    /// Every file that is needed, but for the scenes.
    pub(crate) fn needed_files(&self) -> impl Iterator<Item = &Path> {
        let all = self.needed.values().flat_map(|files| files.iter());
        all.map(|file| file.path.as_path())
    }

    /// The files that the `run` line of a deliverable names.
    pub(crate) fn named_files(&self, deliverable: &Deliverable) -> Vec<PathBuf> {
        let folder = &self.loaded.folder;
        let named = self.line_files.named(deliverable, folder);
        let files = named.into_iter().flat_map(|named| named.files);
        files.map(|(name, _)| folder.join(name)).collect()
    }

    /// Every scene that was read, with the hash of what it held and the files that it needs.
    pub(crate) fn scenes(self) -> HashMap<String, (String, Vec<NeededFile>)> {
        let mut files: HashMap<String, Vec<NeededFile>> = HashMap::new();
        for ((scene, _, _), needed) in self.needed {
            files.entry(scene).or_default().extend_from_slice(&needed);
        }
        let scenes = self.scenes.into_iter();
        scenes
            .map(|(path, hash)| {
                let files = files.remove(&path).unwrap_or_default();
                (path, (hash, files))
            })
            .collect()
    }

    /// The fingerprint of the pictures of a deliverable.
    pub(crate) fn of(&mut self, deliverable: &Deliverable) -> io::Result<Fingerprint> {
        let common = &deliverable.common;
        let scene = match &common.scene {
            None => String::new(),
            Some(scene) => match self.scenes.get(&scene.path) {
                Some(hash) => hash.clone(),
                None => {
                    let hash = hash_file(Path::new(&scene.path))?;
                    self.scenes.insert(scene.path.clone(), hash.clone());
                    hash
                }
            },
        };
        let needed = self.needed(common);
        let key = Arc::as_ptr(&common.engine) as usize;
        let profile = &common.engine;
        let (_, inputs) = self
            .inputs
            .entry(key)
            .or_insert_with(|| (Arc::clone(profile), PictureInputs::of(profile)));
        let mut hasher = Sha256::new();
        add_inputs(&mut hasher, inputs, deliverable)?;
        add(&mut hasher, "scene", &scene);
        let mut second = hasher.clone();
        let (in_scene, reported): (Vec<&NeededFile>, Vec<&NeededFile>) =
            needed.iter().partition(|file| file.is_named_in_scene);
        for file in &reported {
            add(&mut hasher, "needed", &file.name);
            add(&mut hasher, "needed", &file.hash);
        }
        let limits = deliverable.picture.limit_mark();
        let first = hex(&hasher.finalize()[..16]) + &limits;
        let named = self.line_files.named(deliverable, &self.loaded.folder);
        let named = named.map_or_else(Vec::new, |named| named.files);
        let has_named = !named.is_empty();
        let mut fingerprint = Fingerprint::of_any_recipe(first);
        for file in &reported {
            add(&mut second, "needed", &file.name);
            add(&mut second, "needed", file.content());
        }
        for (name, hash) in named {
            // Where it lies makes no picture.
            add(&mut second, "named", &last_part(Path::new(&name)));
            add(&mut second, "named", &hash);
        }
        let mut third = second.clone();
        if has_named || reported.iter().any(|file| file.whole.is_some()) {
            fingerprint.replace(format!("{SECOND}{}{limits}", hex(&second.finalize()[..16])));
        }
        for file in &in_scene {
            add(&mut third, "in scene", &file.name);
            add(&mut third, "in scene", file.content());
        }
        if !in_scene.is_empty() {
            fingerprint.replace(format!("{THIRD}{}{limits}", hex(&third.finalize()[..16])));
        }
        Ok(fingerprint)
    }
}

/// The part of a fingerprint that is the same whatever the limits of a frame are.
pub(crate) fn without_limits(fingerprint: &str) -> &str {
    fingerprint
        .split(['-', OF_FRAME])
        .next()
        .unwrap_or(fingerprint)
}

/// What stands before the part of a fingerprint that is of one frame alone.
const OF_FRAME: char = '~';

/// The part of a fingerprint that is the same for all frames of a deliverable.
pub(crate) fn of_all_frames(fingerprint: &str) -> &str {
    fingerprint.split(OF_FRAME).next().unwrap_or(fingerprint)
}

/// The part of a fingerprint that is of one frame alone; none where no files belong to it alone.
fn part_of_frame(deliverable: &Deliverable, frame: Frame) -> Option<String> {
    let files = frame_files(deliverable, frame);
    if files.is_empty() {
        return None;
    }
    let mut hasher = Sha256::new();
    for file in &files {
        let path = Path::new(file);
        // What is not there has no content.
        add(&mut hasher, "file", &last_part(path));
        add(&mut hasher, "content", &hash_file(path).unwrap_or_default());
    }
    Some(format!("{OF_FRAME}{}", hex(&hasher.finalize()[..8])))
}

/// The fingerprint of a frame whose deliverable has this one.
pub(crate) fn of_frame(fingerprint: &str, deliverable: &Deliverable, frame: Frame) -> String {
    let part = part_of_frame(deliverable, frame);
    format!("{fingerprint}{}", part.unwrap_or_default())
}

/// The fingerprint of what is assembled from other files, but for these files.
#[derive(Clone)]
pub(crate) struct SourcesFingerprint(Sha256);

impl SourcesFingerprint {
    /// That of a deliverable; the sound of a movie is read.
    pub(crate) fn of(deliverable: &Deliverable) -> io::Result<Self> {
        let inputs = PictureInputs::of(&deliverable.common.engine);
        let mut hasher = Sha256::new();
        add_inputs(&mut hasher, &inputs, deliverable)?;
        let sounds = deliverable.movie().map(Movie::sounds).unwrap_or_default();
        if sounds.is_empty() {
            add(&mut hasher, "sound", "");
        }
        for sound in sounds {
            add(
                &mut hasher,
                "sound",
                &hash_file(Path::new(&sound.file.value))?,
            );
        }
        Ok(Self(hasher))
    }

    /// The whole fingerprint, with the hashes of the files.
    pub(crate) fn with(&self, files: &[String]) -> String {
        let mut hasher = self.0.clone();
        for hash in files {
            add(&mut hasher, "frame", hash);
        }
        hex(&hasher.finalize()[..16])
    }
}

/// Adds what reaches the engine of a deliverable.
fn add_inputs(
    hasher: &mut Sha256,
    inputs: &PictureInputs,
    deliverable: &Deliverable,
) -> io::Result<()> {
    let inputs = inputs.of_deliverable(deliverable);
    for (name, value) in inputs.map_err(|error| io::Error::other(error.to_string()))? {
        add(hasher, name, &value);
    }
    Ok(())
}

/// Adds a value; lengths keep neighbours apart.
fn add(hasher: &mut Sha256, name: &str, value: &str) {
    hasher.update(format!("{name} {} {value}\n", value.len()));
}

#[cfg(test)]
mod tests {
    use std::fs;

    use truepath_core::profile::SceneFileNames;

    use super::*;
    use crate::sample::Project;

    fn of(project: &Project) -> String {
        let of = Fingerprints::new(&project.loaded).of(project.deliverable(0));
        of.unwrap().now
    }

    #[test]
    fn it_is_of_what_makes_the_picture_and_of_nothing_else() {
        let frames = "frames = \"1-3\"\n";
        // The folder is another each time: where a project lies makes no picture.
        let plain = of(&Project::with(frames));
        for same in ["threads = 3\n", "chunk = 1\n", "retries = 5\n"] {
            let other = of(&Project::with(&format!("{frames}{same}")));
            assert_eq!(plain, other, "{same}");
        }
        for another in [
            "settings = { samples = 4 }\n",
            "bits = 16\n",
            "crop = \"2x2 at 0,0\"\n",
            "camera = \"top\"\n",
        ] {
            let other = of(&Project::with(&format!("{frames}{another}")));
            assert_ne!(plain, other, "{another}");
        }
    }

    #[test]
    fn it_changes_with_the_scene_and_with_the_files_that_the_scene_needs() {
        let project = Project::with("frames = \"1-3\"\n");
        let plain = of(&project);
        fs::write(project.path("kiln.toml"), "title = \"another\"\n").unwrap();
        let other = of(&project);
        assert_ne!(plain, other);
        // A facts file beside the scene names what it needs.
        fs::write(
            project.path("kiln.toml.facts.json"),
            r#"{"files": ["wood.png"]}"#,
        )
        .unwrap();
        let missing = of(&project);
        fs::write(project.path("wood.png"), "grain").unwrap();
        let there = of(&project);
        fs::write(project.path("wood.png"), "knots").unwrap();
        let changed = of(&project);
        let all = [&other, &missing, &there, &changed];
        for (at, one) in all.iter().enumerate() {
            assert!(!all[..at].contains(one), "{all:?}");
        }
    }

    #[test]
    fn pictures_of_the_first_recipe_stay_those_of_today() {
        let line = "run = [\"render\", \"{frame}\", \"{target}\", \"look.ini\"]\n";
        let project = Project::with(&format!("frames = \"1-3\"\n{line}"));
        let fingerprint = || {
            let mut of = Fingerprints::new(&project.loaded);
            of.of(project.deliverable(0)).unwrap()
        };
        let first = fingerprint();
        assert!(!first.now.starts_with(SECOND), "{first:?}");
        // The second recipe counts the file that the line names.
        fs::write(project.path("look.ini"), "lamp = 1").unwrap();
        let second = fingerprint();
        assert!(second.now.starts_with(SECOND), "{second:?}");
        assert!(second.is(&first.now) && second.is(&second.now));
        fs::write(project.path("look.ini"), "lamp = 2").unwrap();
        let other = fingerprint();
        assert!(!other.is(&second.now) && other.is(&first.now));
        // What the first recipe counts makes both stale.
        fs::write(project.path("kiln.toml"), "title = \"another\"\n").unwrap();
        let another = fingerprint();
        assert!(!another.is(&first.now) && !another.is(&other.now));
    }

    #[test]
    fn what_a_scene_names_in_its_text_counts_since_the_third_recipe() {
        let project = Project::with("frames = \"1-3\"\n");
        let scene = "use \"lamp.inc\" use \"library.inc\"";
        fs::write(project.path("kiln.toml"), scene).unwrap();
        fs::write(project.path("lamp.inc"), "on").unwrap();
        let fingerprint = |names: Option<SceneFileNames>| {
            let mut deliverable = project.deliverable(0).clone();
            let common = Arc::make_mut(&mut deliverable.common);
            Arc::make_mut(&mut common.engine).scene_file_names = names;
            let mut of = Fingerprints::new(&project.loaded);
            of.of(&deliverable).unwrap()
        };
        let names = || {
            let find = vec!["use \"(?P<file>[^\"]+)\"".to_owned()];
            let follow = false;
            Some(SceneFileNames { find, follow })
        };
        let first = fingerprint(None);
        assert!(!first.now.starts_with(THIRD), "{first:?}");
        let third = fingerprint(names());
        assert!(third.now.starts_with(THIRD), "{third:?}");
        assert!(third.is(&first.now) && !first.is(&third.now));
        fs::write(project.path("lamp.inc"), "off").unwrap();
        let other = fingerprint(names());
        assert!(!other.is(&third.now) && other.is(&first.now));
    }

    #[test]
    fn a_scene_that_cannot_be_read_is_an_error_and_no_fingerprint() {
        let project = Project::with("frames = \"1-3\"\n");
        fs::remove_file(project.path("kiln.toml")).unwrap();
        let error = Fingerprints::new(&project.loaded).of(project.deliverable(0));
        assert_eq!(error.unwrap_err().kind(), io::ErrorKind::NotFound);
    }

    #[test]
    fn neighbouring_values_are_kept_apart() {
        let digest = |values: [(&str, &str); 2]| {
            let mut hasher = Sha256::new();
            for (name, value) in values {
                add(&mut hasher, name, value);
            }
            hex(&hasher.finalize())
        };
        assert_ne!(
            digest([("tint", "red"), ("lamp", "on")]),
            digest([("tint", "red\nlamp 2 on"), ("lamp", "")])
        );
        assert_ne!(
            digest([("a", "bc"), ("d", "")]),
            digest([("a", "b"), ("d", "c")])
        );
    }
}
