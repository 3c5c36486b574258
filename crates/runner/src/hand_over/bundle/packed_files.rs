//! The files that go into a bundle, and where they lie in it.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Component, Path, PathBuf};

use truepath_core::deliverable::Deliverable;

use super::pack_error::{PackError, disk_error};
use crate::Loaded;
use crate::record::state_folder::StateFolder;

/// The files of a bundle, by their paths below it.
pub(super) struct FileList {
    folder: PathBuf,
    /// Name and folder of each place, the longest folder first.
    known_places: Vec<(String, PathBuf)>,
    /// Each place with its folder below the bundle.
    pub(super) places: Vec<(String, String)>,
    pub(super) files: BTreeMap<String, PathBuf>,
    pub(super) outside: BTreeSet<PathBuf>,
    /// Files whose paths are no text.
    pub(super) no_text: BTreeSet<PathBuf>,
}

impl FileList {
    pub(super) fn new(loaded: &Loaded, all: &[Deliverable]) -> Self {
        let folder = loaded.folder.clone();
        let values = all.first().map(|one| &one.common.project_values);
        let mut known_places: Vec<(String, PathBuf)> = values
            .iter()
            .flat_map(|values| &values.places)
            .filter(|(name, _)| name != "job")
            .map(|(name, folder)| (name.clone(), PathBuf::from(folder)))
            .collect();
        let below = |path: &Path| {
            let below = path
                .strip_prefix(&folder)
                .ok()?
                .to_str()?
                .replace('\\', "/");
            Some(if below.is_empty() {
                ".".to_owned()
            } else {
                below
            })
        };
        let places = known_places
            .iter()
            .map(|(name, path)| {
                let to = below(path).unwrap_or_else(|| format!("places/{name}"));
                (name.clone(), to)
            })
            .collect();
        known_places.sort_by_key(|(_, path)| std::cmp::Reverse(path.components().count()));
        Self {
            folder,
            known_places,
            places,
            files: BTreeMap::new(),
            outside: BTreeSet::new(),
            no_text: BTreeSet::new(),
        }
    }

    /// Where a file goes below the bundle; none where it has no place there.
    fn place_of(&self, path: &Path) -> Option<String> {
        let text = |path: &Path| Some(path.to_str()?.replace('\\', "/"));
        if let Ok(below) = path.strip_prefix(&self.folder) {
            return text(below);
        }
        self.known_places.iter().find_map(|(name, folder)| {
            let below = text(path.strip_prefix(folder).ok()?)?;
            let (_, to) = self.places.iter().find(|(known, _)| known == name)?;
            Some(format!("{to}/{below}"))
        })
    }

    /// Adds a file, where it is there: what is missing is the check's to report.
    pub(super) fn add(&mut self, path: &Path) {
        let Ok(path) = fs::canonicalize(path).map(|real| {
            // A path without `..` and links, unless that leads out of the job's folder.
            if path.components().any(|part| part == Component::ParentDir) {
                real
            } else {
                path.to_owned()
            }
        }) else {
            return;
        };
        if path.to_str().is_none() {
            self.no_text.insert(path);
            return;
        }
        match self.place_of(&path) {
            Some(to) => drop(self.files.insert(to, path)),
            None => drop(self.outside.insert(path)),
        }
    }

    /// A scene, the file with its facts, and what its engine answered of its content, which has this hash.
    pub(super) fn add_scene(
        &mut self,
        scene: &Path,
        hash: &str,
        loaded: &Loaded,
    ) -> Result<(), PackError> {
        self.add(scene);
        let mut facts = scene.as_os_str().to_owned();
        facts.push(".facts.json");
        self.add(Path::new(&facts));
        let answers = loaded.state_folder().scenes();
        let entries = match fs::read_dir(&answers) {
            Err(_) => return Ok(()),
            Ok(entries) => entries,
        };
        for entry in entries {
            let entry = entry.map_err(disk_error(&answers))?;
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with(hash) {
                let below = StateFolder::new(PathBuf::from(".truepath"))
                    .scenes()
                    .join(&name);
                let to = below.to_string_lossy().replace('\\', "/");
                self.files.insert(to, entry.path());
            }
        }
        Ok(())
    }

    /// The files that the job builds on, its lists of shots and its profiles.
    pub(super) fn add_job_files(&mut self, loaded: &Loaded) -> Result<(), PackError> {
        // The first is the job file itself, which every bundle gets cut.
        for name in loaded.job.sources.files().skip(1) {
            let path = loaded.folder.join(name);
            let is_own = path.starts_with(&self.folder)
                && !path.components().any(|part| part == Component::ParentDir);
            if is_own {
                self.add(&path);
            } else if !path.starts_with(self.folder.join("engines"))
                && !Path::new(name).is_absolute()
            {
                return Err(PackError::Job(format!(
                    "the job builds on {name}, which lies outside of its folder; copy it there to pack the job"
                )));
            }
        }
        Ok(())
    }
}
