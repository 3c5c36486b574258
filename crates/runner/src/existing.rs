//! What lies already where files are wanted: by names, the ledger and fingerprints, no file is opened.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::path::Path;

use truepath_core::deliverable::{Deliverable, Expansion, Selection, expand};
use truepath_core::question::{Existing, first_folder};

use crate::Loaded;
use crate::fingerprint::Fingerprints;
use crate::movies;
use crate::session::State;

/// What is there of each deliverable, by its path with the frame as a token; those of which nothing
/// is there are left out.
#[must_use]
pub fn existing(loaded: &Loaded, expansion: &Expansion) -> BTreeMap<String, Existing> {
    // Names in the folders that are there, each folder read once.
    let mut folders: HashMap<String, Vec<String>> = HashMap::new();
    let mut uppers: HashMap<&str, bool> = HashMap::new();
    let mut found = BTreeMap::new();
    let mut ledger = None;
    let mut fingerprints = Fingerprints::new(loaded);
    for one in &expansion.deliverables {
        let Some(first) = one.common.frames.value.first() else {
            continue;
        };
        // Most of a fresh job is not there yet: its upper folders tell that at once.
        let fresh = first_folder(&one.root, &one.pattern).is_some_and(|above| {
            let there = uppers.entry(above);
            !*there.or_insert_with(|| Path::new(above).is_dir())
        });
        if fresh {
            continue;
        }
        let path = one.path(first);
        let Some((folder, _)) = path.rsplit_once('/') else {
            continue;
        };
        let names = folders
            .entry(folder.to_owned())
            .or_insert_with(|| names(Path::new(folder)));
        if names.is_empty() {
            continue;
        }
        let ledger = ledger.get_or_insert_with(|| {
            let ledgers = State::new(loaded.state_folder()).ledgers();
            loaded.read_ledger(&ledgers).unwrap_or_default()
        });
        let fingerprint = if one.is_put_together() {
            movies::look(one, ledger, false, &loaded.folder)
                .ok()
                .and_then(|seen| seen.fingerprint)
        } else {
            fingerprints.of(one).ok()
        };
        let mut there = Existing::default();
        for name in names.iter() {
            let path = format!("{folder}/{name}");
            let frame = one.pattern.read(&path);
            let wanted = match frame {
                Some(Some(frame)) => one.common.chosen.contains(frame),
                Some(None) => true,
                None => false,
            };
            if !wanted {
                continue;
            }
            match ledger.published.get(path.as_str()) {
                None => there.unknown += 1,
                // What was adopted has no fingerprint, and was told when it was.
                Some(record)
                    // A movie whose frames are not whole is judged when they are.
                    if record.fingerprint.is_none()
                        || record.fingerprint.as_deref() == fingerprint.as_deref()
                        || (one.is_put_together() && fingerprint.is_none()) =>
                {
                    there.kept += 1;
                }
                Some(_) => there.stale += 1,
            }
        }
        found.insert(one.pattern.sketch(), there);
    }
    if let Some(ledger) = ledger {
        loaded.keep_ledger(ledger);
    }
    others(loaded, expansion, &folders, &mut found);
    found.retain(|_, there| *there != Existing::default());
    found
}

/// Files of the same kind in the folders that no part of the whole job wants.
fn others(
    loaded: &Loaded,
    expansion: &Expansion,
    folders: &HashMap<String, Vec<String>>,
    found: &mut BTreeMap<String, Existing>,
) {
    if folders.values().all(Vec::is_empty) {
        return;
    }
    let whole = expand(&loaded.job, &loaded.surroundings, &Selection::default());
    let mut wanted: HashMap<String, Vec<&Deliverable>> = HashMap::new();
    for one in &whole.deliverables {
        let path = one.path(one.common.frames.value.first().unwrap_or(0));
        let folder = path
            .rsplit_once('/')
            .map_or("", |(folder, _)| folder)
            .to_owned();
        wanted.entry(folder).or_default().push(one);
    }
    let mut told: HashSet<&str> = HashSet::new();
    for one in &expansion.deliverables {
        let path = one.path(one.common.frames.value.first().unwrap_or(0));
        let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
        let Some((folder, names)) = folders.get_key_value(folder) else {
            continue;
        };
        if names.is_empty() || !told.insert(folder) {
            continue;
        }
        let own = wanted.get(folder).map_or(&[][..], Vec::as_slice);
        let foreign = names.iter().filter(|name| {
            let extension = name.rsplit('.').next().unwrap_or_default();
            let path = format!("{folder}/{name}");
            one.picture.format.extensions.contains(&extension)
                && own.iter().all(|one| one.pattern.read(&path).is_none())
        });
        let others: Vec<String> = foreign.cloned().collect();
        if !others.is_empty() {
            let there = found.entry(one.pattern.sketch()).or_default();
            there.others = others;
        }
    }
}

/// The files of a folder, hidden ones left out, sorted.
fn names(folder: &Path) -> Vec<String> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let mut names: Vec<String> = entries
        .filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_file()))
        .filter_map(|entry| entry.file_name().into_string().ok())
        .filter(|name| !name.starts_with('.'))
        .collect();
    names.sort();
    names
}
