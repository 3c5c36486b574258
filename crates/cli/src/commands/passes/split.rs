//! `truepath passes split`: one file for each layer.

use std::collections::HashSet;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_core::template::Template;
use truepath_media::{ChosenLayer, LayeredFile, layer_names};

use super::{flawed, path_of, write};
use crate::error::{CommandError, DONE};
use crate::show::{count, print, remark};

/// Take EXR files apart: one file for each layer
///
/// The channels lose the name of the layer, so that every program shows them: beauty.R is R in the file of beauty.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath passes split dawn.0001.exr\n  truepath passes split renders/*.exr --layer depth --layer shadow --to 'split/{layer}/{stem}.exr'"
)]
pub(super) struct Arguments {
    /// EXR files
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// The new files, with the tokens {folder}, {stem} and {layer}
    #[arg(
        long,
        value_name = "TEMPLATE",
        default_value = "{folder}/{stem}_{layer}.exr"
    )]
    to: Template,
    /// Only these layers; may be given several times
    #[arg(long, value_name = "NAME")]
    layer: Vec<String>,
    /// What channels without the name of a layer are called
    #[arg(long, value_name = "NAME", default_value = "main")]
    main: String,
}

pub(super) fn run(arguments: &Arguments) -> Result<ExitCode, CommandError> {
    // All names are known, by the headers, before the first file is written.
    let mut taken = HashSet::new();
    let mut planned = Vec::new();
    for path in &arguments.files {
        let layers = layer_names(path).map_err(|flaw| flawed(path, &flaw))?;
        let names: Vec<&str> = layers
            .iter()
            .map(|layer| name_of(layer, &arguments.main))
            .collect();
        for wanted in &arguments.layer {
            if !names.contains(&wanted.as_str()) {
                return Err(CommandError::Usage(format!(
                    "{} has no layer {wanted}; it has {}",
                    path.display(),
                    names.join(", ")
                )));
            }
        }
        for name in names.into_iter().filter(|name| is_wanted(arguments, name)) {
            if name.contains(['/', '\\']) || name.contains("..") {
                return Err(CommandError::Usage(format!(
                    "{}: the layer {name} has a name that no file can have",
                    path.display()
                )));
            }
            let to = PathBuf::from(path_of(&arguments.to, path, name)?);
            if to.symlink_metadata().is_ok() {
                return Err(CommandError::Usage(format!(
                    "{} is there already, and is not replaced",
                    to.display()
                )));
            }
            if !taken.insert(to.clone()) {
                return Err(CommandError::Usage(format!(
                    "several layers would get the name {}: put {{layer}} and {{stem}} into --to",
                    to.display()
                )));
            }
            planned.push((path.as_path(), name.to_owned(), to));
        }
    }
    let mut known: Option<LayeredFile> = None;
    for (path, name, to) in &planned {
        let file = match known.take().filter(|known| known.path() == *path) {
            Some(known) => known,
            None => LayeredFile::open(path).map_err(|flaw| flawed(path, &flaw))?,
        };
        let mut layers = file.layers().iter();
        let layer = layers
            .position(|layer| name_of(&layer.name, &arguments.main) == *name)
            .ok_or_else(|| {
                CommandError::Usage(format!("{} has changed while it was read", path.display()))
            })?;
        let chosen = ChosenLayer {
            file: 0,
            layer,
            name: String::new(),
        };
        let file = known.insert(file);
        write(std::slice::from_mut(file), &[chosen], None, to)?;
        print(&to.display().to_string())?;
    }
    remark(&format!(
        "{} of {}",
        count(planned.len() as u64, "layer", "layers"),
        count(arguments.files.len() as u64, "file", "files")
    ));
    Ok(ExitCode::from(DONE))
}

fn is_wanted(arguments: &Arguments, name: &str) -> bool {
    arguments.layer.is_empty() || arguments.layer.iter().any(|wanted| wanted == name)
}

fn name_of<'l>(layer: &'l str, main: &'l str) -> &'l str {
    if layer.is_empty() { main } else { layer }
}
