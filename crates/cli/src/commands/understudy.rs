//! `truepath understudy`: the simulated renderer, as a program of its own.

use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use serde_json::json;
use truepath_core::frames::FrameSet;
use truepath_core::picture::{Bits, Channels, Region, Size};
use truepath_understudy::{Request, SETTINGS, Scene, render};

use super::print_json;

use crate::error::{CommandError, DONE, FOUND};

/// Render a scene of the demo, as a simulated renderer
///
/// It names its files in its own way (STEM_PASS_f000012.png), writes a log to standard output, and
/// misbehaves where the scene asks for it in its table `mishap`.
#[derive(Debug, Args)]
#[command(
    after_help = "Example:\n  truepath understudy --scene scenes/dawn.toml --frames 1-4 --pass beauty --to /tmp/dawn"
)]
pub(crate) struct Arguments {
    /// The scene, in the understudy's own format
    #[arg(long, value_name = "FILE")]
    scene: PathBuf,
    /// The frames; unset, all of the scene
    #[arg(long, allow_hyphen_values = true)]
    frames: Option<FrameSet>,
    /// The start of the files' names
    #[arg(long, value_name = "STEM", required_unless_present = "describe")]
    to: Option<PathBuf>,
    /// Print what the scene has, as JSON, and render nothing
    #[arg(long)]
    describe: bool,
    /// What is burnt into the pictures; unset, the scene's title
    #[arg(long)]
    title: Option<String>,
    /// The camera; unset, the scene's own
    #[arg(long)]
    camera: Option<String>,
    /// A view; left and right stand a little to either side of the camera
    #[arg(long)]
    view: Vec<String>,
    /// A pass; may be given several times
    #[arg(long)]
    pass: Vec<String>,
    /// Put all passes and views into one file, as layers
    #[arg(long)]
    together: bool,
    /// Only a part of the picture, such as "64x48 at 10,20"
    #[arg(long, value_name = "PART")]
    crop: Option<Region>,
    /// The width of a pixel by its height
    #[arg(long, default_value_t = 1.0)]
    pixel_aspect: f32,
    /// Width and height in pixels; unset, the scene's own
    #[arg(long)]
    size: Option<Size>,
    /// png or exr
    #[arg(long, default_value = "png")]
    format: String,
    /// 8 or 16 for png, half or float for exr
    #[arg(long, value_parser = bits)]
    bits: Option<Bits>,
    /// gray, graya, rgb or rgba
    #[arg(long, value_parser = channels)]
    channels: Option<Channels>,
    /// none, rle, zips, zip or piz, for exr
    #[arg(long)]
    compression: Option<String>,
    /// A setting: exposure in stops, samples a pixel
    #[arg(long, value_name = "KEY=VALUE", value_parser = setting)]
    setting: Vec<(String, String)>,
    /// A frame is done with so many samples, in place of the setting
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u32).range(1..))]
    stop_samples: Option<u32>,
    /// A frame is done after so many seconds, with the samples that it has by then
    #[arg(long, value_name = "SECONDS")]
    stop_seconds: Option<f64>,
    /// Go on with frames that it was stopped at, from the small files that it left
    #[arg(long)]
    go_on: bool,
    /// Taken and not used: it always renders on one thread
    #[arg(long)]
    threads: Option<u32>,
}

fn bits(text: &str) -> Result<Bits, String> {
    Bits::from_name(text).ok_or_else(|| "one of 8, 16, half, float".to_owned())
}

fn channels(text: &str) -> Result<Channels, String> {
    Channels::from_name(text).ok_or_else(|| "one of gray, graya, rgb, rgba".to_owned())
}

fn setting(text: &str) -> Result<(String, String), String> {
    text.split_once('=')
        .map(|(key, value)| (key.to_owned(), value.to_owned()))
        .ok_or_else(|| "it takes KEY=VALUE".to_owned())
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if arguments.describe {
        return describe_scene(&arguments.scene);
    }
    let request = Request {
        scene: arguments.scene,
        frames: arguments.frames,
        to: arguments.to.unwrap_or_default(),
        title: arguments.title,
        camera: arguments.camera,
        views: arguments.view,
        passes: arguments.pass,
        together: arguments.together,
        crop: arguments.crop,
        pixel_aspect: arguments.pixel_aspect,
        size: arguments.size,
        format: arguments.format,
        bits: arguments.bits,
        channels: arguments.channels,
        compression: arguments.compression,
        settings: arguments.setting,
        stop_samples: arguments.stop_samples,
        stop_seconds: arguments.stop_seconds,
        go_on: arguments.go_on,
    };
    let mut log = io::stdout().lock();
    match render(&request, &mut log) {
        Ok(()) => Ok(ExitCode::from(DONE)),
        Err(error) => {
            // To the log, where whoever started it looks for it.
            writeln!(log, "error: {error}")?;
            Ok(ExitCode::from(FOUND))
        }
    }
}

fn describe_scene(path: &Path) -> Result<ExitCode, CommandError> {
    let name = path.display().to_string();
    let text = truepath_media::read_text(path).map_err(CommandError::outside(&*name))?;
    let scene = Scene::parse(&text).map_err(|error| CommandError::Usage(error.to_string()))?;
    let cameras: Vec<&String> = scene.camera.keys().collect();
    print_json(&json!({
        "frames": scene.frames,
        "size": scene.size,
        "cameras": cameras,
        "camera": scene.default_camera,
        "passes": scene.passes,
        "settings": SETTINGS,
        "files": [],
    }))?;
    Ok(ExitCode::from(DONE))
}
