//! `truepath passes assemble`: one file of chosen layers of others.

use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use truepath_media::{PictureLayer, choose_layer, read_layers};

use super::{flawed, write};
use crate::outcome::{CommandError, DONE};
use crate::show::print;

/// Make one EXR file of chosen layers of others; outputs of a job that say `from` are made by it
///
/// Each layer is given by three options, in this order: its name in the new file (empty for the picture itself), the words
/// of its name in the file that it is taken from (empty for the picture itself), and that file. Every sample stays as it
/// is, bit for bit.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  truepath passes assemble --name depth --words 'left depth' --file dawn.0001.exr --to depth.0001.exr"
)]
pub(super) struct Arguments {
    /// The name of a layer in the new file
    #[arg(long, required = true, value_name = "NAME")]
    name: Vec<String>,
    /// The words of its name in the file that it is taken from
    #[arg(long, required = true, value_name = "WORDS")]
    words: Vec<String>,
    /// That file
    #[arg(long, required = true, value_name = "FILE")]
    file: Vec<PathBuf>,
    /// How the new file is compressed; as the first layer was, where it is not given
    #[arg(long, value_name = "NAME", value_parser = ["none", "rle", "zips", "zip", "piz"])]
    compression: Option<String>,
    /// The new file
    #[arg(long, value_name = "FILE")]
    to: PathBuf,
}

pub(super) fn run(arguments: &Arguments) -> Result<ExitCode, CommandError> {
    let Arguments {
        name, words, file, ..
    } = arguments;
    if name.len() != words.len() || name.len() != file.len() {
        return Err(CommandError::Usage(
            "--name, --words and --file are given once each for every layer".to_owned(),
        ));
    }
    let mut of_file: Option<(&Path, Vec<PictureLayer>)> = None;
    let mut layers = Vec::new();
    for ((name, words), path) in name.iter().zip(words).zip(file) {
        let known = match of_file.take().filter(|(known, _)| known == path) {
            Some(known) => known,
            None => (
                path.as_path(),
                read_layers(path).map_err(|flaw| flawed(path, &flaw))?,
            ),
        };
        let (_, there) = of_file.insert(known);
        let names: Vec<&str> = there.iter().map(|layer| layer.name.as_str()).collect();
        let words: Vec<&str> = words.split_whitespace().collect();
        let chosen = choose_layer(&names, &words)
            .map_err(|error| CommandError::Usage(format!("{}: {error}", path.display())))?;
        let mut layer = there[chosen].clone();
        layer.name.clone_from(name);
        layers.push(layer);
    }
    if let Some(compression) = &arguments.compression {
        for layer in &mut layers {
            layer.compress(compression);
        }
    }
    write(&layers, &arguments.to)?;
    print(&arguments.to.display().to_string())?;
    Ok(ExitCode::from(DONE))
}
