//! The files that scenes name in their own text, and that lie where the name leads.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use truepath_core::profile::{SceneFileFinder, SceneFileNames};
use truepath_media::{MOST_TEXT, read_regular};

/// Where a file with a zero byte is no text.
const TEXT_IS_SEEN_BY: usize = 8 << 10;

/// A guard against folders in which every file names another.
const MOST_FILES: usize = 20_000;

/// The files that a scene names and that are there, with their names. A name that leads nowhere is none of a file beside
/// the scene: the engine may have it in a library of its own.
pub(crate) fn named_in_scene(scene: &Path, names: &SceneFileNames) -> BTreeMap<PathBuf, String> {
    let finder = names.finder();
    let folder = scene.parent().unwrap_or(Path::new("/"));
    let mut found = BTreeMap::new();
    let mut unread = vec![scene.to_owned()];
    while let Some(file) = unread.pop() {
        for name in names_in_file(&file, &finder) {
            let beside = file.parent().unwrap_or(folder);
            let mut places = [folder, beside].into_iter().map(|place| place.join(&name));
            let Some(path) = places.find(|path| path.is_file()) else {
                continue;
            };
            if path == scene || found.contains_key(&path) || found.len() >= MOST_FILES {
                continue;
            }
            if names.follow {
                unread.push(path.clone());
            }
            found.insert(path, name);
        }
    }
    found
}

/// The names in a file; none in one that is no text or cannot be read.
fn names_in_file(file: &Path, finder: &SceneFileFinder) -> impl Iterator<Item = String> + use<> {
    let bytes = read_regular(file, MOST_TEXT).unwrap_or_default();
    let is_text = !bytes.iter().take(TEXT_IS_SEEN_BY).any(|byte| *byte == 0);
    let text = if is_text {
        String::from_utf8_lossy(&bytes)
    } else {
        "".into()
    };
    finder.names(&text).into_iter()
}

#[cfg(test)]
mod tests {
    use std::fs;

    use super::*;

    fn includes(follow: bool) -> SceneFileNames {
        let find = vec![r#"include "(?P<file>[^"]+)""#.to_owned()];
        SceneFileNames { find, follow }
    }

    fn names(scene: &Path, follow: bool) -> Vec<String> {
        let found = named_in_scene(scene, &includes(follow));
        let mut names: Vec<String> = found.into_values().collect();
        names.sort();
        names
    }

    #[test]
    fn files_name_further_files_from_their_own_folder_or_that_of_the_scene() {
        let folder = tempfile::tempdir().unwrap();
        let write = |name: &str, text: &str| {
            let path = folder.path().join(name);
            fs::create_dir_all(path.parent().unwrap()).unwrap();
            fs::write(&path, text).unwrap();
            path
        };
        let scene = write(
            "kiln.pov",
            "include \"parts/lamp.inc\"\ninclude \"library.inc\"\n",
        );
        write(
            "parts/lamp.inc",
            "include \"bulb.inc\"\ninclude \"brass.inc\"\ninclude \"kiln.pov\"\n",
        );
        write("parts/bulb.inc", "include \"parts/lamp.inc\"\n");
        write("brass.inc", "");
        assert_eq!(names(&scene, false), ["parts/lamp.inc"]);
        assert_eq!(
            names(&scene, true),
            ["brass.inc", "bulb.inc", "parts/lamp.inc"]
        );
    }

    #[test]
    fn what_is_no_text_names_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let scene = folder.path().join("kiln.bin");
        fs::write(folder.path().join("brass.inc"), "").unwrap();
        fs::write(&scene, b"\0 include \"brass.inc\"").unwrap();
        assert_eq!(names(&scene, true), [""; 0]);
        assert_eq!(names(&folder.path().join("missing.pov"), true), [""; 0]);
    }
}
