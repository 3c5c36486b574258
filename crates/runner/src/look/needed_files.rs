//! The files that a scene needs besides itself: those that its engine or a file beside it reports, those that the job
//! names, and those that the scene names in its own text.

use std::collections::{BTreeMap, HashSet};
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Common;

use crate::Loaded;
use crate::look::describe::describe_kept;
use crate::look::named_in_scenes::named_in_scene;
use crate::record::state_folder::OWN;

/// A file that a scene needs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct NeededFile {
    /// As the scene names it, without folders that only one machine has.
    pub(crate) name: String,
    /// Where it is.
    pub(crate) path: PathBuf,
    /// What it holds, by [`crate::disk::hash_outline`]; nothing of one that is not there.
    pub(crate) hash: String,
    /// The hash of its whole content, of one that is too large for the outline to be that.
    pub(crate) whole: Option<String>,
    /// Whether only the text of the scene, or of a file that it names, shows that it is needed.
    pub(crate) is_named_in_scene: bool,
}

impl NeededFile {
    /// The hash of all that it holds.
    pub(crate) fn content(&self) -> &str {
        self.whole.as_deref().unwrap_or(&self.hash)
    }
}

/// A file that a scene needs, of which only the name is read so far.
pub(crate) struct ListedFile {
    pub(crate) path: PathBuf,
    pub(crate) name: String,
    pub(crate) is_named_in_scene: bool,
}

/// The files that the scene of a deliverable needs, as far as it is known without asking its engine.
pub(crate) fn needed_files(common: &Common, loaded: &Loaded) -> Vec<ListedFile> {
    let mut files = Vec::new();
    if let Some(scene) = &common.scene {
        let path = Path::new(&scene.path);
        let facts = describe_kept(&common.engine, path, loaded, false);
        let names = facts.ok().flatten().and_then(|facts| facts.files);
        let folder = path.parent().unwrap_or(Path::new("/"));
        for name in names.unwrap_or_default() {
            files.push((folder.join(&name), own_name(&name)));
        }
    }
    let state = loaded.state_folder();
    for named in common.scene_files.iter() {
        files_of(Path::new(&named.path), state.path(), &mut files);
    }
    files.sort_by(|one, other| (&one.1, &one.0).cmp(&(&other.1, &other.0)));
    files.dedup();
    let mut in_scene = BTreeMap::new();
    if let (Some(scene), Some(names)) = (&common.scene, &common.engine.scene_file_names) {
        in_scene = named_in_scene(Path::new(&scene.path), names);
    }
    for (path, _) in &files {
        in_scene.remove(path);
    }
    let listed = |is_named_in_scene: bool| {
        move |(path, name)| ListedFile {
            path,
            name,
            is_named_in_scene,
        }
    };
    let in_scene = in_scene.into_iter();
    let in_scene = in_scene.map(|(path, name)| (path, own_name(&name)));
    files
        .into_iter()
        .map(listed(false))
        .chain(in_scene.map(listed(true)))
        .collect()
}

/// How a file is called that a scene names: where it lies on this machine is no part of it.
fn own_name(name: &str) -> String {
    let given = Path::new(name);
    if given.is_absolute() {
        last_part(given)
    } else {
        name.to_owned()
    }
}

/// The name of a file or folder, without what is above it.
pub(crate) fn last_part(path: &Path) -> String {
    let name = path.file_name().unwrap_or_default();
    name.to_string_lossy().into_owned()
}

/// The files that a path of the job stands for: itself, or all below the folder but for what this program keeps
/// there; each with its name.
fn files_of(path: &Path, state: &Path, files: &mut Vec<(PathBuf, String)>) {
    let mut open = vec![(path.to_owned(), last_part(path))];
    // Links may lead in a circle.
    let mut seen = HashSet::new();
    while let Some((path, name)) = open.pop() {
        let Ok(entries) = path.read_dir() else {
            files.push((path, name));
            continue;
        };
        if path.canonicalize().is_ok_and(|real| !seen.insert(real)) {
            continue;
        }
        for entry in entries {
            let Ok(entry) = entry else {
                // It has no content as a file, so that what needs the folder fails by its name.
                files.push((path.clone(), name.clone()));
                continue;
            };
            let (below, path) = (last_part(&entry.path()), entry.path());
            if path != state && !below.starts_with(OWN) {
                open.push((path, format!("{name}/{below}")));
            }
        }
    }
}
