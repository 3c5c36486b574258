//! `truepath passes merge`: one file of several.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use truepath_media::{PictureLayer, read_layers};

use super::{flawed, write};
use crate::outcome::{CommandError, DONE};
use crate::show::{count, print, remark};

/// Put EXR files together: one layer for each
///
/// A file that is named alone keeps its channels as they are, so that every program shows them; NAME=FILE puts them into
/// the layer of that name. Layers with other pixels than the first, such as another data window, become parts of their
/// own.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  truepath passes merge beauty.0001.exr depth=depth.0001.exr shadow=shadow.0001.exr --to dawn.0001.exr"
)]
pub(super) struct Arguments {
    /// FILE, or NAME=FILE
    #[arg(required = true, value_name = "LAYER")]
    layers: Vec<String>,
    /// The new file, as .exr
    #[arg(long, value_name = "FILE")]
    to: PathBuf,
}

pub(super) fn run(arguments: &Arguments) -> Result<ExitCode, CommandError> {
    if arguments
        .to
        .extension()
        .is_none_or(|extension| !extension.eq_ignore_ascii_case("exr"))
    {
        return Err(CommandError::Usage(format!(
            "{} does not end in .exr",
            arguments.to.display()
        )));
    }
    let mut layers: Vec<PictureLayer> = Vec::new();
    for text in &arguments.layers {
        // A file may have the sign in its name.
        let (name, path) = match text.split_once('=') {
            Some((name, path)) if !Path::new(text).exists() => (name, Path::new(path)),
            _ => ("", Path::new(text.as_str())),
        };
        for mut layer in read_layers(path).map_err(|flaw| flawed(path, &flaw))? {
            layer.name = [name, layer.name.as_str()]
                .join(".")
                .trim_matches('.')
                .to_owned();
            layers.push(layer);
        }
    }
    write(&layers, &arguments.to)?;
    print(&arguments.to.display().to_string())?;
    remark(&format!(
        "{} of {}",
        count(layers.len() as u64, "layer", "layers"),
        count(arguments.layers.len() as u64, "file", "files")
    ));
    Ok(ExitCode::from(DONE))
}
