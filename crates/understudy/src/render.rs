//! Renders frames the way renderers do: one after another, with a log, in names of its own.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::{Canvas, EncodeError};

use crate::draw::{Shot, draw};
use crate::scene::{Scene, SceneError};

/// What the understudy is asked to render.
#[derive(Debug, Clone)]
pub struct Request {
    /// The scene's file.
    pub scene: PathBuf,
    /// The frames; unset, all of the scene.
    pub frames: Option<FrameSet>,
    /// The start of the files' names, with a folder or without.
    pub to: PathBuf,
    /// What is burnt in; unset, the scene's title.
    pub title: Option<String>,
    /// The camera; unset, the scene's own.
    pub camera: Option<String>,
    /// The view: `left` and `right` stand a little to either side of the camera.
    pub view: Option<String>,
    /// The passes; none, the scene's first.
    pub passes: Vec<String>,
    /// The size; unset, the scene's own.
    pub size: Option<Size>,
    /// `png` or `exr`.
    pub format: String,
    /// The bits; unset, 8 for PNG and half for EXR.
    pub bits: Option<Bits>,
    /// The channels; unset, rgba.
    pub channels: Option<Channels>,
    /// The compression of EXR; unset, zip.
    pub compression: Option<String>,
    /// Settings: `exposure` in stops, `samples` a pixel.
    pub settings: Vec<(String, String)>,
}

/// Why the understudy stopped.
#[derive(Debug, thiserror::Error)]
pub enum RenderError {
    /// The scene cannot be used.
    #[error(transparent)]
    Scene(#[from] SceneError),
    /// The request makes no sense.
    #[error("{0}")]
    Request(String),
    /// The scene asked for it.
    #[error("the scene fails at frame {0}")]
    Mishap(Frame),
    /// A picture cannot be written.
    #[error("{path}: {error}")]
    Write {
        /// The file.
        path: String,
        /// Why.
        error: EncodeError,
    },
    /// A file cannot be read, or the log cannot be written.
    #[error("{0}")]
    Io(#[from] io::Error),
}

/// How far an eye is from the middle, in turns around the sun.
const APART: f32 = 0.01;

/// Renders; the log goes to `log`.
///
/// # Errors
/// When the scene, the request or the disk stands in the way.
pub fn render(request: &Request, log: &mut dyn Write) -> Result<(), RenderError> {
    let text = std::fs::read_to_string(&request.scene)?;
    let scene = Scene::parse(&text)?;
    let clip: FrameSet = scene
        .frames
        .parse()
        .map_err(|error| RenderError::Request(format!("frames of the scene: {error}")))?;
    let frames = request.frames.as_ref().unwrap_or(&clip);
    let size = match request.size {
        Some(size) => size,
        None => scene
            .size
            .parse()
            .map_err(|error| RenderError::Request(format!("size of the scene: {error}")))?,
    };
    let mut camera = scene.camera(request.camera.as_deref())?;
    let title = request.title.as_deref().unwrap_or(&scene.title);
    let title = match request.view.as_deref() {
        None => title.to_owned(),
        Some(view) => {
            camera.turn += match view {
                "left" => -APART,
                "right" => APART,
                _ => 0.0,
            };
            format!("{title} {view}")
        }
    };
    for pass in &request.passes {
        scene.check_pass(pass)?;
    }
    let setting =
        |name: &str, otherwise: f32| match request.settings.iter().find(|(key, _)| key == name) {
            None => Ok(otherwise),
            Some((_, value)) => value
                .parse::<f32>()
                .map_err(|_| RenderError::Request(format!("`{value}` is no number for `{name}`"))),
        };
    let exposure = setting("exposure", 0.0)?.exp2();
    let samples = setting("samples", 1.0)?.max(1.0).sqrt().round() as u32;
    for (key, _) in &request.settings {
        if key != "exposure" && key != "samples" {
            writeln!(log, "warning: the scene has no setting `{key}`")?;
        }
    }
    let (first, last) = (clip.first().unwrap_or(1), clip.last().unwrap_or(1));
    writeln!(
        log,
        "understudy: {} of {size}, {} frames",
        scene.title,
        frames.count()
    )?;
    for frame in frames.iter() {
        writeln!(log, "frame {frame}")?;
        log.flush()?;
        misbehave(&scene, frame, log)?;
        if scene.mishap.skip_at == Some(frame) {
            continue;
        }
        let size = if scene.mishap.wrong_size_at == Some(frame) {
            Size {
                width: size.width.div_ceil(2),
                height: size.height.div_ceil(2),
            }
        } else {
            size
        };
        let named: Vec<Option<&str>> = match &request.passes[..] {
            [] => vec![None],
            passes => passes.iter().map(|pass| Some(pass.as_str())).collect(),
        };
        for pass in named {
            let shot = Shot {
                scene: &scene,
                camera,
                title: &title,
                pass: pass.unwrap_or(scene.passes.first().map_or("beauty", String::as_str)),
                frame,
                time: (frame - first) as f32 / (last - first).max(1) as f32,
                exposure,
                samples,
            };
            let canvas = draw(&shot, size, request.channels.unwrap_or(Channels::Rgba));
            let path = file_name(request, pass, frame);
            write(request, &canvas, &path).map_err(|error| RenderError::Write {
                path: path.display().to_string(),
                error,
            })?;
            spoil(&scene, frame, &path)?;
            writeln!(log, "wrote {}", path.display())?;
            log.flush()?;
        }
    }
    writeln!(log, "done")?;
    Ok(())
}

/// `stem_pass_f000012.png`
fn file_name(request: &Request, pass: Option<&str>, frame: Frame) -> PathBuf {
    let mut name = request.to.as_os_str().to_owned();
    if let Some(pass) = pass {
        name.push(format!("_{pass}"));
    }
    let sign = if frame < 0 { "-" } else { "" };
    name.push(format!(
        "_f{sign}{:06}.{}",
        frame.unsigned_abs(),
        request.format
    ));
    PathBuf::from(name)
}

fn write(request: &Request, canvas: &Canvas, path: &Path) -> Result<(), EncodeError> {
    let mut out = BufWriter::new(File::create(path)?);
    match request.format.as_str() {
        "png" => canvas.write_png(&mut out, request.bits.unwrap_or(Bits::Eight))?,
        "exr" => canvas.write_exr(
            &mut out,
            request.bits.unwrap_or(Bits::Half),
            request.compression.as_deref().unwrap_or("zip"),
        )?,
        other => return Err(EncodeError::Cannot(format!("it does not write {other}"))),
    }
    out.flush()?;
    Ok(())
}

/// What goes wrong before a frame.
fn misbehave(scene: &Scene, frame: Frame, log: &mut dyn Write) -> Result<(), RenderError> {
    let mishap = &scene.mishap;
    for number in 0..mishap.noisy {
        writeln!(log, "warning: lamp {number} of frame {frame} flickers")?;
    }
    if mishap.slow > 0 {
        std::thread::sleep(mishap.pause());
    }
    if mishap.fail_at == Some(frame) {
        return Err(RenderError::Mishap(frame));
    }
    if mishap.hang_at == Some(frame) {
        log.flush()?;
        loop {
            std::thread::park();
        }
    }
    Ok(())
}

/// What goes wrong with a file that was written.
fn spoil(scene: &Scene, frame: Frame, path: &Path) -> io::Result<()> {
    let length = if scene.mishap.truncate_at == Some(frame) {
        std::fs::metadata(path)?.len() / 2
    } else if scene.mishap.empty_at == Some(frame) {
        0
    } else {
        return Ok(());
    };
    File::options().write(true).open(path)?.set_len(length)
}
