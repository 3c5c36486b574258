//! The scenes under a run: a sequence must not mix two states of one.

use std::collections::HashMap;
use std::io;
use std::path::Path;
use std::sync::{Mutex, PoisonError};

use crate::disk::{Stamp, hash_file, stamp};

/// The scenes as they were when the run began.
#[derive(Debug, Default)]
pub(super) struct Scenes {
    known: HashMap<String, String>,
    /// Stamps of files that are known to hold what they held.
    fresh: Mutex<HashMap<String, Stamp>>,
}

impl Scenes {
    /// The scenes, each with the hash of what it held.
    pub(super) fn new(known: HashMap<String, String>) -> Self {
        let fresh = known
            .keys()
            .filter_map(|path| Some((path.clone(), follow(path).ok()??)));
        Self {
            fresh: Mutex::new(fresh.collect()),
            known,
        }
    }

    /// Whether a scene still holds what it held; its bytes are read only when its size or its time
    /// of last change are others.
    pub(super) fn is_as_it_was(&self, path: &str) -> io::Result<bool> {
        let Some(hash) = self.known.get(path) else {
            return Ok(true);
        };
        let now = follow(path)?;
        let mut fresh = self.fresh.lock().unwrap_or_else(PoisonError::into_inner);
        if now.is_some() && fresh.get(path).copied() == now {
            return Ok(true);
        }
        let same = now.is_some() && hash_file(Path::new(path))? == *hash;
        if let (true, Some(now)) = (same, now) {
            fresh.insert(path.to_owned(), now);
        }
        Ok(same)
    }
}

/// The stamp of a scene, which may be a link.
fn follow(path: &str) -> io::Result<Option<Stamp>> {
    match Path::new(path).canonicalize() {
        Ok(path) => stamp(&path),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(error) => Err(error),
    }
}
