//! Renders frames the way renderers do: one after another, with a log, in names of its own.

use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

use truepath_core::frames::{Frame, FrameSet};
use truepath_core::picture::{Bits, Channels, Region, Size};
use truepath_media::{Canvas, EncodeError, write_exr};

use crate::draw::{Shot, draw};
use crate::mishap::RandomMishap;
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
    /// The views: `left` and `right` stand a little to either side of the camera.
    pub views: Vec<String>,
    /// The passes; none, the scene's first.
    pub passes: Vec<String>,
    /// Whether all passes and views go into one file, each as a layer.
    pub together: bool,
    /// The part of the picture that is wanted.
    pub crop: Option<Region>,
    /// The width of a pixel by its height.
    pub pixel_aspect: f32,
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
    /// The samples that a frame is done with, in place of the setting.
    pub stop_samples: Option<u32>,
    /// The seconds after which a frame is done, with the samples that it has by then.
    pub stop_seconds: Option<f64>,
    /// Whether it goes on with frames that it was stopped at.
    pub go_on: bool,
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

/// The settings that it knows.
pub const SETTINGS: [&str; 2] = ["exposure", "samples"];

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
    let camera = scene.camera(request.camera.as_deref())?;
    let title = request.title.as_deref().unwrap_or(&scene.title);
    if request.views.len() > 1 && !request.together {
        let message = "several views are rendered into one file, or one at a time";
        return Err(RenderError::Request(message.to_owned()));
    }
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
    let wanted = setting("samples", 1.0)?.max(1.0).round() as u32;
    let wanted = request.stop_samples.unwrap_or(wanted).max(1);
    let most = scene.mishap.most_samples.unwrap_or(wanted);
    let side = |samples: u32| f64::from(samples).sqrt().round() as u32;
    let has_samples =
        request.stop_samples.is_some() || request.settings.iter().any(|(key, _)| key == "samples");
    for (key, _) in &request.settings {
        if !SETTINGS.contains(&key.as_str()) {
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
        let part = file_name(request, None, frame).with_extension("part");
        let chance = scene.mishap.chance();
        if scene.mishap.skip_at == Some(frame) || chance == Some(RandomMishap::Skip) {
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
        let draw_plane = |view: Option<&str>, pass: Option<&str>, exposure: f32, samples: u32| {
            let mut shot = Shot {
                scene: &scene,
                camera,
                title: &view.map_or(title.to_owned(), |view| format!("{title} {view}")),
                pass: pass.unwrap_or(scene.passes.first().map_or("beauty", String::as_str)),
                frame,
                time: (frame - first) as f32 / (last - first).max(1) as f32,
                exposure,
                samples: side(samples),
            };
            shot.camera.turn += match view {
                Some("left") => -APART,
                Some("right") => APART,
                _ => 0.0,
            };
            let canvas = draw(&shot, size, request.channels.unwrap_or(Channels::Rgba));
            match request.crop {
                Some(region) => canvas.part(region),
                None => Ok(canvas),
            }
        };
        // Layers of one file, or a file each without layers.
        let write_files = |exposure: f32, samples: u32| -> Result<Vec<PathBuf>, RenderError> {
            let mut files: Vec<(Option<&str>, Vec<NamedPlane>)> = Vec::new();
            for view in named(&request.views) {
                for pass in named(&request.passes) {
                    let canvas = draw_plane(view, pass, exposure, samples);
                    let canvas = canvas.map_err(|error| RenderError::Write {
                        path: request.to.display().to_string(),
                        error,
                    })?;
                    let layer: Vec<&str> = [view, pass].into_iter().flatten().collect();
                    match files.first_mut() {
                        Some((_, planes)) if request.together => {
                            planes.push((layer.join("."), canvas));
                        }
                        _ if request.together => {
                            files.push((None, vec![(layer.join("."), canvas)]));
                        }
                        _ => files.push((pass, vec![(String::new(), canvas)])),
                    }
                }
            }
            let mut paths = Vec::new();
            for (pass, planes) in files {
                let path = file_name(request, pass, frame);
                write(request, &planes, &path).map_err(|error| RenderError::Write {
                    path: path.display().to_string(),
                    error,
                })?;
                paths.push(path);
            }
            Ok(paths)
        };
        if scene.mishap.rough {
            write_files(exposure / 2.0, 1)?;
        }
        let samples = has_samples.then_some(wanted);
        let share = misbehave(request, &scene, frame, samples, &part, log)?;
        let reached = (f64::from(wanted.min(most)) * share).floor().max(1.0) as u32;
        if chance == Some(RandomMishap::Fail) {
            return Err(RenderError::Mishap(frame));
        }
        for path in write_files(exposure, reached)? {
            spoil(&scene, frame, chance, &path)?;
            if has_samples {
                writeln!(log, "samples {reached} of {wanted}")?;
            }
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

/// A layer of a file: its name and its picture.
type NamedPlane = (String, Canvas);

/// Each name, or a single nothing.
fn named(names: &[String]) -> Vec<Option<&str>> {
    match names {
        [] => vec![None],
        names => names.iter().map(|name| Some(name.as_str())).collect(),
    }
}

fn write(request: &Request, planes: &[NamedPlane], path: &Path) -> Result<(), EncodeError> {
    let mut out = BufWriter::new(File::create(path)?);
    match (request.format.as_str(), planes) {
        ("png", [(_, canvas)]) => {
            canvas.write_png(&mut out, request.bits.unwrap_or(Bits::Eight))?;
        }
        ("exr", planes) => write_exr(
            planes,
            &mut out,
            request.bits.unwrap_or(Bits::Half),
            request.compression.as_deref().unwrap_or("zip"),
            request.pixel_aspect,
        )?,
        ("png", _) => {
            return Err(EncodeError::Cannot(
                "a png file holds one picture".to_owned(),
            ));
        }
        (other, _) => return Err(EncodeError::Cannot(format!("it does not write {other}"))),
    }
    out.flush()?;
    Ok(())
}

/// What goes wrong before a frame; gives how much of it is rendered when it is done, from 0 to 1.
fn misbehave(
    request: &Request,
    scene: &Scene,
    frame: Frame,
    samples: Option<u32>,
    part: &Path,
    log: &mut dyn Write,
) -> Result<f64, RenderError> {
    let mishap = &scene.mishap;
    for number in 0..mishap.noisy {
        writeln!(log, "warning: lamp {number} of frame {frame} flickers")?;
    }
    let share = take_time(request, scene, samples, part, log)?;
    if mishap.fail_at == Some(frame) {
        return Err(RenderError::Mishap(frame));
    }
    if mishap.hang_at == Some(frame) {
        log.flush()?;
        loop {
            std::thread::park();
        }
    }
    Ok(share)
}

/// A slow frame takes its time in this many parts.
const PARTS: u32 = 10;

/// Takes the time that a slow frame takes, as far as it may; after each part of it a small file says how far it is, and
/// what is done by then need not be done again.
fn take_time(
    request: &Request,
    scene: &Scene,
    samples: Option<u32>,
    part: &Path,
    log: &mut dyn Write,
) -> Result<f64, RenderError> {
    if scene.mishap.slow == 0 {
        return Ok(1.0);
    }
    let kept = std::fs::read_to_string(part).ok().filter(|_| request.go_on);
    let mut done = kept
        .and_then(|text| text.trim().parse::<u32>().ok())
        .unwrap_or(0);
    if done > 0 {
        writeln!(log, "going on from part {done} of {PARTS}")?;
    }
    let each = scene.mishap.pause() / PARTS;
    // By the parts, so that the same call makes the same picture.
    let most = request.stop_seconds.map_or(PARTS, |seconds| {
        (seconds / each.as_secs_f64()).clamp(1.0, f64::from(PARTS)) as u32
    });
    while done < most {
        std::thread::sleep(each);
        done += 1;
        if scene.mishap.parts {
            std::fs::write(part, format!("{done}\n"))?;
            match samples {
                Some(samples) => {
                    let left = (each * (PARTS - done)).as_secs();
                    writeln!(
                        log,
                        "progress {} of {samples} samples, {}:{:02} left",
                        samples * done / PARTS,
                        left / 60,
                        left % 60
                    )?;
                }
                None => writeln!(log, "progress {} %", done * 100 / PARTS)?,
            }
            log.flush()?;
        }
    }
    // One that is stopped may go on another time.
    if scene.mishap.parts && done >= PARTS {
        std::fs::remove_file(part)?;
    }
    Ok(f64::from(done) / f64::from(PARTS))
}

/// What goes wrong with a file that was written.
fn spoil(scene: &Scene, frame: Frame, chance: Option<RandomMishap>, path: &Path) -> io::Result<()> {
    let truncates = chance == Some(RandomMishap::Truncate);
    let length = if scene.mishap.truncate_at == Some(frame) || truncates {
        std::fs::metadata(path)?.len() / 2
    } else if scene.mishap.empty_at == Some(frame) {
        0
    } else {
        return Ok(());
    };
    File::options().write(true).open(path)?.set_len(length)
}
