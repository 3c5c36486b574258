//! `truepath passes list`: which layers files have.

use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_core::visible::visible;
use truepath_media::LayeredFile;

use super::flawed;
use crate::commands::{OutputFormat, print_json};
use crate::error::{CommandError, DONE};
use crate::shapes::passes::{LayerShape, PassesShape};
use crate::show::{FAINT, TITLE, print};

/// List the layers of EXR files: channels, bits, size and data window
#[derive(Debug, Args)]
#[command(after_help = "Example:\n  truepath passes list renders/dawn.0001.exr")]
pub(super) struct Arguments {
    /// EXR files
    #[arg(required = true)]
    files: Vec<PathBuf>,
    /// For people or for programs
    #[arg(long, value_name = "FORMAT", default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: &Arguments) -> Result<ExitCode, CommandError> {
    let mut listed = PassesShape::new(Vec::new());
    for path in &arguments.files {
        let file = LayeredFile::open(path).map_err(|flaw| flawed(path, &flaw))?;
        let of_file = file.layers().iter().map(|layer| LayerShape {
            file: path.display().to_string(),
            layer: layer.name.clone(),
            samples: layer
                .samples
                .iter()
                .map(|word| (*word).to_owned())
                .collect(),
            channels: layer.channel_names().map(str::to_owned).collect(),
            size: layer.size.to_string(),
            display: layer.display.to_string(),
            left: layer.place.0,
            top: layer.place.1,
        });
        listed.layers.extend(of_file);
    }
    if arguments.format == OutputFormat::Json {
        print_json(&listed)?;
        return Ok(ExitCode::from(DONE));
    }
    let mut file = "";
    for layer in &listed.layers {
        if layer.file != file {
            file = &layer.file;
            print(&format!(
                "{TITLE}{}{TITLE:#}  {}",
                visible(file),
                layer.display
            ))?;
        }
        let name = if layer.layer.is_empty() {
            "(main)"
        } else {
            &layer.layer
        };
        let mut words = layer.samples.clone();
        words.dedup();
        let window = if layer.size == layer.display && (layer.left, layer.top) == (0, 0) {
            String::new()
        } else {
            format!(
                "  {FAINT}{} at {},{}{FAINT:#}",
                layer.size, layer.left, layer.top
            )
        };
        print(&format!(
            "  {:<20} {:<16} {}{window}",
            visible(name),
            visible(&layer.channels.join(" ")),
            words.join(" ")
        ))?;
    }
    Ok(ExitCode::from(DONE))
}
