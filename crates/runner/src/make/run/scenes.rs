//! The scenes under a run, with the files that they need: a sequence must not mix two states of one.

use std::collections::HashMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::time::Duration;

use crate::clock::Moment;
use crate::disk::{Stamp, hash_file, hash_outline, stamp};
use crate::lock::lock;
use crate::look::needed_files::NeededFile;

/// A scene may need thousands of files on a file server: they are not looked at before every process.
const EVERY: Duration = Duration::from_secs(1);

/// The scenes as they were when the run began.
#[derive(Debug, Default)]
pub(super) struct Scenes {
    /// What each held, and the files that it needs.
    known: HashMap<String, (String, Vec<NeededFile>)>,
    /// Stamps of files that are known to hold what they held.
    fresh: Mutex<HashMap<PathBuf, Stamp>>,
    /// When the files were looked at last that a scene needs.
    looked: Mutex<HashMap<String, Moment>>,
}

impl Scenes {
    /// The scenes, each with the hash of what it held and the files that it needs.
    pub(super) fn new(known: HashMap<String, (String, Vec<NeededFile>)>) -> Self {
        let paths = known.iter().flat_map(|(scene, (_, files))| {
            let files = files.iter().map(|file| file.path.clone());
            std::iter::once(PathBuf::from(scene)).chain(files)
        });
        let fresh = paths.filter_map(|path| Some((path.clone(), follow(&path).ok()??)));
        Self {
            fresh: Mutex::new(fresh.collect()),
            known,
            looked: Mutex::default(),
        }
    }

    /// What has changed of a scene since the run began, if anything; bytes are read only where size or
    /// time of last change are others.
    pub(super) fn changed(&self, scene: &str) -> io::Result<Option<String>> {
        let Some((hash, files)) = self.known.get(scene) else {
            return Ok(None);
        };
        if self.is_another(Path::new(scene), hash, hash_file)? {
            return Ok(Some(format!("the scene {scene}")));
        }
        if !files.is_empty() && self.is_time_to_look(scene) {
            for file in files {
                if self.is_another(&file.path, &file.hash, hash_outline)? {
                    let file = file.path.display();
                    return Ok(Some(format!("{file}, which the scene {scene} needs,")));
                }
            }
        }
        Ok(None)
    }

    fn is_time_to_look(&self, scene: &str) -> bool {
        let mut looked = lock(&self.looked);
        let is_time = looked.get(scene).is_none_or(|last| last.elapsed() > EVERY);
        if is_time {
            looked.insert(scene.to_owned(), Moment::now());
        }
        is_time
    }

    fn is_another(
        &self,
        path: &Path,
        hash: &str,
        hashed: fn(&Path) -> io::Result<String>,
    ) -> io::Result<bool> {
        let Some(now) = follow(path)? else {
            // One that was not there has no hash.
            return Ok(!hash.is_empty());
        };
        if lock(&self.fresh).get(path) == Some(&now) {
            return Ok(false);
        }
        let same = hashed(path)? == hash;
        if same {
            lock(&self.fresh).insert(path.to_owned(), now);
        }
        Ok(!same)
    }
}

/// The stamp of a file, which may be a link.
fn follow(path: &Path) -> io::Result<Option<Stamp>> {
    match path.canonicalize() {
        Ok(path) => stamp(&path),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}
