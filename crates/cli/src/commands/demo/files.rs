//! The files of the demo project.

use std::fs;
use std::io;
use std::path::Path;

use super::write_new;
use crate::error::CommandError;
use truepath_media::{MOST_TEXT, read_regular};

/// The job file.
pub(super) const JOB_FILE: (&str, &[u8]) = (
    "truepath.toml",
    include_bytes!("../../../demo/truepath.toml"),
);

/// The files of the demo project.
pub(super) const FILES: [(&str, &[u8]); 10] = [
    JOB_FILE,
    (
        "raytraced.toml",
        include_bytes!("../../../demo/raytraced.toml"),
    ),
    (
        "scenes/dawn.toml",
        include_bytes!("../../../demo/scenes/dawn.toml"),
    ),
    (
        "scenes/transit.toml",
        include_bytes!("../../../demo/scenes/transit.toml"),
    ),
    (
        "scenes/eclipse.toml",
        include_bytes!("../../../demo/scenes/eclipse.toml"),
    ),
    (
        "scenes/model.pov",
        include_bytes!("../../../demo/scenes/model.pov"),
    ),
    (
        "scripted.toml",
        include_bytes!("../../../demo/scripted.toml"),
    ),
    (
        "scenes/gears.py",
        include_bytes!("../../../demo/scenes/gears.py"),
    ),
    (
        "scenes/dawn.wav",
        include_bytes!("../../../demo/scenes/dawn.wav"),
    ),
    (
        "scenes/model-brass.inc",
        include_bytes!("../../../demo/scenes/model-brass.inc"),
    ),
];

/// Writes the files; a folder with anything in it is left alone.
pub(super) fn write_project(folder: &Path) -> Result<(), CommandError> {
    let refused = |error| CommandError::Outside {
        what: folder.display().to_string(),
        error,
    };
    match fs::read_dir(folder) {
        Ok(mut entries) => {
            if entries.next().is_some() {
                let shown = folder.display();
                let is_demo = read_regular(&folder.join(JOB_FILE.0), MOST_TEXT)
                    .is_ok_and(|text| text == JOB_FILE.1);
                return Err(CommandError::Usage(if is_demo {
                    format!(
                        "{shown} is not empty: it holds a demo already. Go on there with `cd {shown} && truepath run`, \
                         or begin another with `truepath demo ANOTHER-FOLDER`"
                    )
                } else {
                    format!(
                        "{shown} is not empty, and nothing in it is to be lost; name another folder"
                    )
                }));
            }
        }
        Err(error) if error.kind() == io::ErrorKind::NotFound => {}
        Err(error) => return Err(refused(error)),
    }
    fs::create_dir_all(folder.join("scenes")).map_err(refused)?;
    for (name, text) in FILES {
        write_new(&folder.join(name), text)?;
    }
    Ok(())
}
