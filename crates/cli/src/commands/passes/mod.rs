//! `truepath passes`: the layers of EXR files, taken apart and put together.

mod assemble;
mod list;
mod merge;
mod split;

use std::path::Path;
use std::process::ExitCode;

use clap::{Args, Subcommand};
use truepath_core::template::{Template, TokenValue};
use truepath_media::{
    ChosenLayer, ExpectedPicture, Flaw, LayeredFile, recognise, verify, write_layers,
};

use crate::error::CommandError;
use crate::new_file::{NewFile, taken};

/// List, split and join the layers of EXR files
///
/// Layers are the groups of channels before a dot, such as depth.Z, and the parts of a file. Every sample stays as it is,
/// bit for bit, with the data window and the compression of its file. A file gets its name when it is whole and was
/// decoded again; no file is ever replaced.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath passes list renders/dawn.0001.exr\n  truepath passes split renders/dawn.*.exr --to 'split/{layer}/{stem}.exr'\n  truepath passes merge beauty.0001.exr depth=depth.0001.exr --to dawn.0001.exr"
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    action: Action,
}

#[derive(Debug, Subcommand)]
enum Action {
    List(list::Arguments),
    Split(split::Arguments),
    Merge(merge::Arguments),
    Assemble(assemble::Arguments),
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    match arguments.action {
        Action::List(arguments) => list::run(&arguments),
        Action::Split(arguments) => split::run(&arguments),
        Action::Merge(arguments) => merge::run(&arguments),
        Action::Assemble(arguments) => assemble::run(&arguments),
    }
}

/// What is wrong with a file that was named.
fn flawed(path: &Path, flaw: &Flaw) -> CommandError {
    CommandError::Usage(format!("{}: {flaw}", path.display()))
}

/// Writes layers into a new file, which is decoded again before it has its name.
fn write(
    files: &mut [LayeredFile],
    layers: &[ChosenLayer],
    compression: Option<&str>,
    to: &Path,
) -> Result<(), CommandError> {
    let at = || CommandError::outside(to.display().to_string());
    if let Some(folder) = to.parent() {
        std::fs::create_dir_all(folder).map_err(at())?;
    }
    let mut file = NewFile::begin(to).map_err(taken(to))?;
    let mut out = std::io::BufWriter::new(file.file());
    write_layers(files, layers, compression, &mut out)
        .map_err(|error| CommandError::Usage(format!("{}: {error}", to.display())))?;
    std::io::Write::flush(&mut out).map_err(at())?;
    drop(out);
    let format = recognise(file.path()).map_err(at())?;
    let whole = format.map(|format| verify(file.path(), &ExpectedPicture::of_format(format)));
    if !matches!(whole, Some(Ok(_))) {
        return Err(at()(std::io::Error::other("it cannot be decoded again")));
    }
    file.finish().map_err(at())
}

/// A text of a template of files with its tokens {folder}, {stem} and {layer}.
fn path_of(template: &Template, file: &Path, layer: &str) -> Result<String, CommandError> {
    let text = |part: Option<&std::ffi::OsStr>| {
        let part = part.unwrap_or_default().to_string_lossy().into_owned();
        TokenValue::Text(part)
    };
    let folder = crate::new_file::folder_of(file).display().to_string();
    let value = |name: &str| match name {
        "folder" => TokenValue::Path(folder.clone()),
        "stem" => text(file.file_stem()),
        "layer" => TokenValue::Text(layer.to_owned()),
        _ => TokenValue::Unknown,
    };
    let filled = truepath_core::command::fill(template, &value);
    let filled = filled.map_err(|error| {
        CommandError::Usage(format!(
            "--to: {error}; it takes {{folder}}, {{stem}} and {{layer}}"
        ))
    })?;
    Ok(filled.unwrap_or_default())
}
