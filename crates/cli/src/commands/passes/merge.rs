//! `truepath passes merge`: one file of several.

use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use truepath_media::{
    ChosenLayer, LayeredFile, OpenRasterError, OpenRasterLayer, write_open_raster,
};

use super::{flawed, write};
use crate::error::{CommandError, DONE};
use crate::new_file::{NewFile, taken};
use crate::show::{count, print, remark};

/// Put pictures together: one layer for each
///
/// Into an EXR file go EXR files: one that is named alone keeps its channels as they are, so that every program shows them;
/// NAME=FILE puts them into the layer of that name. Layers with other pixels than the first, such as another data window,
/// become parts of their own.
///
/// Into an OpenRaster file, .ora, for editors that take no EXR, go pictures of all formats, the lowest layer first. A PNG
/// stays as it is; what is linear is encoded by the curve of sRGB in 16 bits.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  truepath passes merge beauty.0001.exr depth=depth.0001.exr shadow=shadow.0001.exr --to dawn.0001.exr\n  truepath passes merge beauty=beauty.png shadow=shadow.png --to dawn.ora"
)]
pub(super) struct Arguments {
    /// FILE, or NAME=FILE
    #[arg(required = true, value_name = "LAYER")]
    layers: Vec<String>,
    /// The new file, as .exr or .ora
    #[arg(long, value_name = "FILE")]
    to: PathBuf,
}

pub(super) fn run(arguments: &Arguments) -> Result<ExitCode, CommandError> {
    let is_of = |wanted: &str| {
        let extension = arguments.to.extension();
        extension.is_some_and(|extension| extension.eq_ignore_ascii_case(wanted))
    };
    let count_of_layers = if is_of("exr") {
        as_exr(arguments)?
    } else if is_of("ora") {
        as_open_raster(arguments)?
    } else {
        return Err(CommandError::Usage(format!(
            "{} does not end in .exr or .ora",
            arguments.to.display()
        )));
    };
    print(&arguments.to.display().to_string())?;
    remark(&format!(
        "{} of {}",
        count(count_of_layers as u64, "layer", "layers"),
        count(arguments.layers.len() as u64, "file", "files")
    ));
    Ok(ExitCode::from(DONE))
}

/// The layer and the file of an argument. A file may have the sign in its name.
fn named(text: &str) -> (&str, &Path) {
    match text.split_once('=') {
        Some((name, path)) if !Path::new(text).exists() => (name, Path::new(path)),
        _ => ("", Path::new(text)),
    }
}

fn as_exr(arguments: &Arguments) -> Result<usize, CommandError> {
    let (mut files, mut chosen) = (Vec::new(), Vec::new());
    for (number, text) in arguments.layers.iter().enumerate() {
        let (name, path) = named(text);
        let file = LayeredFile::open(path).map_err(|flaw| flawed(path, &flaw))?;
        let layers = file.layers().iter().enumerate();
        chosen.extend(layers.map(|(at, layer)| {
            let name = [name, layer.name.as_str()].join(".");
            ChosenLayer {
                file: number,
                layer: at,
                name: name.trim_matches('.').to_owned(),
            }
        }));
        files.push(file);
    }
    write(&mut files, &chosen, None, &arguments.to)?;
    Ok(chosen.len())
}

fn as_open_raster(arguments: &Arguments) -> Result<usize, CommandError> {
    let layers: Vec<OpenRasterLayer> = arguments
        .layers
        .iter()
        .map(|text| {
            let (name, path) = named(text);
            let stem = path.file_stem().unwrap_or_default().to_string_lossy();
            OpenRasterLayer {
                name: if name.is_empty() {
                    stem.into_owned()
                } else {
                    name.to_owned()
                },
                path: path.to_owned(),
            }
        })
        .collect();
    let to = &arguments.to;
    let mut file = NewFile::begin(to).map_err(taken(to))?;
    let mut out = BufWriter::new(file.file());
    write_open_raster(&layers, &mut out).map_err(|error| match error {
        OpenRasterError::Write(error) => CommandError::outside(to.display().to_string())(error),
        error => CommandError::Usage(error.to_string()),
    })?;
    let at = || CommandError::outside(to.display().to_string());
    out.flush().map_err(at())?;
    drop(out);
    file.finish().map_err(at())?;
    Ok(layers.len())
}
