//! What lies already where files are wanted: by names, the ledger and fingerprints, no file is opened.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fs;
use std::path::Path;
use std::thread;

use truepath_core::deliverable::{Deliverable, Expansion, Selection, expand};
use truepath_core::frames::Frame;
use truepath_core::question::{ExistingFacts, first_folder};

use crate::Loaded;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::{Depth, LookAround, Looker};
use crate::record::ledger::{Files, KnownFile};

/// What is there of each deliverable, by its path with the frame as a token; those of which nothing
/// is there are left out.
#[must_use]
pub fn existing(loaded: &Loaded, expansion: &Expansion) -> BTreeMap<String, ExistingFacts> {
    let ledgers = loaded.state_folder().ledgers();
    let (mut folders, ledger) = if ledgers.is_dir() {
        // A folder or the ledger of a long show takes a while to read: both are read at once.
        thread::scope(|scope| {
            let ledger = scope.spawn(|| loaded.read_ledger(&ledgers).unwrap_or_default());
            (folders(expansion), ledger.join().unwrap_or_default())
        })
    } else {
        (folders(expansion), Default::default())
    };
    let mut found = BTreeMap::new();
    let mut fingerprints = Fingerprints::new(loaded);
    let around = LookAround::of(loaded);
    for one in &expansion.deliverables {
        let Some(folder) = folder(one) else { continue };
        let Some(names) = folders.get_mut(&folder) else {
            continue;
        };
        let looker = Looker::new(one, &around, &mut |source| fingerprints.of(source).ok());
        let mut there = ExistingFacts::default();
        let mut path = format!("{folder}/");
        for name in names.iter_mut() {
            path.truncate(folder.len() + 1);
            path.push_str(&name.text);
            let frame = one.pattern.read(&path);
            name.wanted |= frame.is_some();
            let wanted = match frame {
                Some(Some(frame)) => one.common.frames.selected.contains(frame),
                Some(None) => true,
                None => false,
            };
            if !wanted {
                continue;
            }
            match ledger.published.get(&path) {
                None => there.unknown += 1,
                Some(record) if is_stale(&looker, record, frame.flatten(), &ledger.published) => {
                    there.stale += 1;
                }
                Some(_) => there.kept += 1,
            }
        }
        found.insert(one.pattern.sketch(), there);
    }
    loaded.keep_ledger(ledger);
    others(loaded, expansion, &folders, &mut found);
    found.retain(|_, there| *there != ExistingFacts::default());
    found
}

/// Whether a recorded file was made with other settings, or from other files, than those of today. One of which nobody
/// recorded what made it was reported when it was taken.
fn is_stale(looker: &Looker<'_>, record: &KnownFile, frame: Option<Frame>, files: &Files) -> bool {
    let Some(made) = record.fingerprint() else {
        return false;
    };
    let deliverable = looker.deliverable();
    let Some(frame) = frame.or_else(|| deliverable.common.frames.files.value.first()) else {
        return false;
    };
    if let Some(today) = looker.fingerprint(frame) {
        return !today.is(made);
    }
    // What is made from others is judged when these are whole.
    let today = looker.assembly(frame, Depth::Stamp, files);
    today.is_ok_and(|today| today.is_some_and(|today| made != today))
}

/// A file in a folder.
struct Name {
    text: String,
    /// Whether one of the chosen deliverables has files that are called so.
    wanted: bool,
}

/// The names in all folders that are there and not empty, each read once.
fn folders(expansion: &Expansion) -> HashMap<String, Vec<Name>> {
    let mut folders: HashMap<String, Vec<Name>> = HashMap::new();
    let mut uppers: HashMap<&str, bool> = HashMap::new();
    for one in &expansion.deliverables {
        // Most of a fresh job is not there yet: its upper folders show that at once.
        let fresh = first_folder(&one.root, &one.pattern).is_some_and(|above| {
            let there = uppers.entry(above);
            !*there.or_insert_with(|| Path::new(above).is_dir())
        });
        if fresh {
            continue;
        }
        if let Some(folder) = folder(one) {
            let entry = folders.entry(folder);
            let path = entry.key().clone();
            entry.or_insert_with(|| names(Path::new(&path)));
        }
    }
    folders.retain(|_, names| !names.is_empty());
    folders
}

/// The folder of the first frame.
fn folder(one: &Deliverable) -> Option<String> {
    let mut path = one.path(one.common.frames.files.value.first()?);
    path.truncate(path.rfind('/')?);
    Some(path)
}

/// Files of the same kind in the folders that no part of the whole job wants.
fn others(
    loaded: &Loaded,
    expansion: &Expansion,
    folders: &HashMap<String, Vec<Name>>,
    found: &mut BTreeMap<String, ExistingFacts>,
) {
    // What the chosen part wants needs no second look.
    let odd = |name: &&Name| !name.wanted;
    if folders.values().flatten().find(odd).is_none() {
        return;
    }
    let whole = expand(&loaded.job, &loaded.surroundings, &Selection::default());
    let mut wanted: HashMap<String, Vec<&Deliverable>> = HashMap::new();
    for one in &whole.deliverables {
        wanted
            .entry(folder(one).unwrap_or_default())
            .or_default()
            .push(one);
    }
    let mut reported: HashSet<String> = HashSet::new();
    for one in &expansion.deliverables {
        let Some(folder) = folder(one) else { continue };
        let Some(names) = folders.get(&folder) else {
            continue;
        };
        let own = wanted.get(&folder).map_or(&[][..], Vec::as_slice);
        let foreign = |name: &&Name| {
            let extension = name.text.rsplit('.').next().unwrap_or_default();
            let path = format!("{folder}/{}", name.text);
            one.picture.format.extensions.contains(&extension)
                && own.iter().all(|one| one.pattern.read(&path).is_none())
        };
        if reported.contains(&folder) {
            continue;
        }
        let others = names.iter().filter(odd).filter(foreign);
        let mut others: Vec<String> = others.map(|name| name.text.clone()).collect();
        if !others.is_empty() {
            others.sort();
            let there = found.entry(one.pattern.sketch()).or_default();
            there.others = others;
        }
        reported.insert(folder);
    }
}

/// The files of a folder, hidden ones left out.
fn names(folder: &Path) -> Vec<Name> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    entries
        .filter(|entry| entry.file_type().is_ok_and(|kind| kind.is_file()))
        .filter_map(|entry| entry.file_name().into_string().ok())
        .filter(|name| !name.starts_with('.'))
        .map(|text| Name {
            text,
            wanted: false,
        })
        .collect()
}
