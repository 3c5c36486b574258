//! The fingerprint of what makes a picture: not of chunks, threads, staging or machine.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use rayon::prelude::*;
use sha2::{Digest, Sha256};
use truepath_core::command::PictureInputs;
use truepath_core::deliverable::{Common, Deliverable, Movie};
use truepath_core::hex::hex;
use truepath_core::profile::Profile;

use crate::Loaded;
use crate::disk::{hash_file, hash_outline};
use crate::needed_files::{NeededFile, needed_files};
use crate::stale::{InputValues, SCENE};

/// Makes fingerprints; every scene is read once, and every file that scenes are known to need.
pub(crate) struct Fingerprints<'l> {
    loaded: &'l Loaded,
    scenes: HashMap<String, String>,
    needed: HashMap<NeededKey, Needed>,
    files: HashMap<PathBuf, String>,
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
            .filter(|(path, _)| !self.files.contains_key(path));
        let hash = |(path, _): &(PathBuf, String)| {
            let hash = hash_outline(path).unwrap_or_default();
            (path.clone(), hash)
        };
        let hashed: Vec<(PathBuf, String)> = unknown.map(hash).collect();
        self.files.extend(hashed);
        let hashed = files.into_iter().map(|(path, name)| {
            let hash = self.files.get(&path).cloned().unwrap_or_default();
            NeededFile { name, path, hash }
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
            values.push((format!("the file {}", file.name), file.hash.clone()));
        }
        values
    }

    /// Every file that is needed, but for the scenes.
    pub(crate) fn needed_files(&self) -> impl Iterator<Item = &Path> {
        let all = self.needed.values().flat_map(|files| files.iter());
        all.map(|file| file.path.as_path())
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
    pub(crate) fn of(&mut self, deliverable: &Deliverable) -> io::Result<String> {
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
        for file in needed.iter() {
            add(&mut hasher, "needed", &file.name);
            add(&mut hasher, "needed", &file.hash);
        }
        Ok(hex(&hasher.finalize()[..16]) + &deliverable.picture.limit_mark())
    }
}

/// The part of a fingerprint that is the same whatever the limits of a frame are.
pub(crate) fn without_limits(fingerprint: &str) -> &str {
    fingerprint.split('-').next().unwrap_or(fingerprint)
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

    use super::*;
    use crate::sample::Project;

    fn of(project: &Project) -> String {
        Fingerprints::new(&project.loaded)
            .of(project.deliverable(0))
            .unwrap()
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
