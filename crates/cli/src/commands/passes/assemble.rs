//! `truepath passes assemble`: one file of chosen layers of others.

use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_media::{ChosenLayer, LayeredFile, choose_layer};

use super::{flawed, write};
use crate::error::{CommandError, DONE};
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
    let mut files: Vec<LayeredFile> = Vec::new();
    let mut layers = Vec::new();
    for ((name, words), path) in name.iter().zip(words).zip(file) {
        let number = match files.iter().position(|known| known.path() == path) {
            Some(known) => known,
            None => {
                files.push(LayeredFile::open(path).map_err(|flaw| flawed(path, &flaw))?);
                files.len() - 1
            }
        };
        let there = files[number].layers().iter();
        let names: Vec<&str> = there.map(|layer| layer.name.as_str()).collect();
        let words: Vec<&str> = words.split_whitespace().collect();
        let layer = choose_layer(&names, &words)
            .map_err(|error| CommandError::Usage(format!("{}: {error}", path.display())))?;
        layers.push(ChosenLayer {
            file: number,
            layer,
            name: name.clone(),
        });
    }
    let compression = arguments.compression.as_deref();
    write(&mut files, &layers, compression, &arguments.to)?;
    print(&arguments.to.display().to_string())?;
    Ok(ExitCode::from(DONE))
}
