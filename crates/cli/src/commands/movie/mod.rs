//! `truepath movie`: a movie of any pictures, and the engine `built-in`.
//!
//! - `format` says how it is coded.
//! - `source` finds the picture of each frame.
//! - `frames` decodes it, or draws what stands for one that is missing, with a text in a corner.
//! - This file puts them into a movie, which gets its name when it is whole, or decodes one again.

mod format;
mod frames;
mod source;

use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use rayon::prelude::*;
use truepath_core::frames::Frame;
use truepath_core::movie::Fps;
use truepath_core::picture::{PixelValues, TRANSFERS, TransferFacts, transfer};
use truepath_media::{MovieError, MovieFacts, MovieOptions, MovieWriter, Raster, examine_movie};

use self::format::{codec, is_quicktime, sound};
use self::frames::{FramePainter, Missing};
use self::source::{MovieSource, Numbered};
use crate::burn_in::BurnIn;
use crate::error::{CommandError, DONE, FOUND};
use crate::new_file::{NewFile, folder_of, taken};
use crate::picture_arguments::PictureArguments;
use crate::show::{WARNING, alert, count, print, remark};

/// Make a movie of pictures, without any other program
///
/// Of a folder with one sequence, of a template such as 'renders/dawn.{frame:04}.exr', of pictures in the order in
/// which they are named, or of one deliverable of the job. H.264 goes into .mp4 or .mov, Motion JPEG into .mov; light is
/// shown by the transfer function that is asked for, and transparent parts stand on black. Sound is stored without loss,
/// cut or filled with silence to the length of the pictures. If a frame is missing or broken, no movie is made,
/// unless --missing says what to show instead. The movie is decoded again before it gets its name, and no file is ever
/// replaced.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath movie renders/dawn/beauty --fps 24 --to dawn.mp4\n  truepath movie 'renders/dawn.{frame:04}.exr' --fps 23.976 --audio dawn.wav --to dawn.mov\n  truepath movie --shot dawn --output preview --missing hold --burn-in '{name} {frame:04}' --to dawn.mp4\n  truepath movie --verify dawn.mp4"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pictures: PictureArguments,
    /// The movie, as .mp4 or .mov
    #[arg(long, value_name = "FILE", required_unless_present = "verify")]
    to: Option<PathBuf>,
    /// Frames per second; unset, those of the job
    #[arg(long, value_name = "RATE", value_parser = rate)]
    fps: Option<Fps>,
    /// h264, or mjpeg: every frame by itself, and pictures of any size; unset, h264 where the pictures are not too large
    #[arg(long, value_name = "CODEC", value_parser = ["h264", "mjpeg"])]
    codec: Option<String>,
    /// draft, good or high
    #[arg(long, value_name = "QUALITY", default_value = "good", value_parser = ["draft", "good", "high"])]
    quality: String,
    /// A sound as WAV, FLAC, MP3, Ogg Vorbis or AIFF, cut or filled with silence to the length of the pictures; given several
    /// times, all are heard together
    #[arg(long, value_name = "FILE")]
    audio: Vec<PathBuf>,
    /// When the sound begins, in seconds from the first frame; negative, so much of its beginning is left out. Once for all
    /// sounds, or once for each in their order
    #[arg(long, value_name = "SECONDS", allow_hyphen_values = true, requires = "audio", value_parser = seconds)]
    audio_offset: Vec<f64>,
    /// flac in .mp4, pcm-16 or pcm-24 in .mov; unset, the first of them
    #[arg(long, value_name = "CODEC", value_parser = ["flac", "pcm-16", "pcm-24"], requires = "audio")]
    audio_codec: Option<String>,
    /// How light is shown: srgb, bt709, gamma-2.2, gamma-2.4 or gamma-2.6
    #[arg(long, value_name = "TRANSFER", default_value = "srgb", value_parser = curve)]
    transfer: &'static TransferFacts,
    /// What the values of pixels are: linear light, ready for a display, or data, which is shown from its least to its
    /// greatest value; unset, what the job says, else what is usual in the file format
    #[arg(long, value_name = "VALUES", value_parser = values)]
    values: Option<PixelValues>,
    /// What stands for a frame that is missing or broken
    #[arg(long, value_name = "WHAT", default_value = "refuse")]
    missing: Missing,
    #[command(flatten)]
    burn_in: BurnIn,
    /// Begin with so many frames of a slate: what the movie shows, in words; the sound begins after them
    #[arg(long, value_name = "FRAMES", default_value_t = 0, value_parser = clap::value_parser!(u32).range(0..=10_000))]
    slate: u32,
    /// Decode a movie again, and print how many frames it has, of which size, and how long it is
    #[arg(long, value_name = "FILE", conflicts_with_all = ["to", "paths"])]
    verify: Option<PathBuf>,
    #[command(flatten)]
    numbered: Numbered,
    /// Decode so many pictures at once; unset, as many as there are cores
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u16).range(1..))]
    threads: Option<u16>,
    /// Print the number of each frame when it is in the movie
    #[arg(long)]
    log: bool,
}

fn rate(text: &str) -> Result<Fps, String> {
    // As the profile writes those of television.
    let exact = text
        .strip_suffix("000/1001")
        .and_then(|whole| whole.parse::<f64>().ok());
    let text = exact.map_or(text.to_owned(), |whole| {
        format!("{:.3}", whole * 1000.0 / 1001.0)
    });
    text.parse::<Fps>().map_err(|error| error.to_string())
}

fn seconds(text: &str) -> Result<f64, String> {
    let (number, unit) = match text.strip_suffix("ms") {
        Some(number) => (number, 1e-3),
        None => (text.strip_suffix('s').unwrap_or(text), 1.0),
    };
    let seconds = number.parse::<f64>().ok().map(|number| number * unit);
    let seconds = seconds.filter(|seconds| seconds.abs() <= 86_400.0);
    seconds.ok_or_else(|| "it takes seconds, such as 0.5, -2 or 250ms".to_owned())
}

fn curve(text: &str) -> Result<&'static TransferFacts, String> {
    transfer(text).ok_or_else(|| {
        let names: Vec<&str> = TRANSFERS.iter().map(|one| one.name).collect();
        format!("one of {}", names.join(", "))
    })
}

fn values(text: &str) -> Result<PixelValues, String> {
    PixelValues::of_name(text).ok_or_else(|| {
        let names = PixelValues::ALL.map(PixelValues::name);
        format!("one of {}", names.join(", "))
    })
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if let Some(path) = &arguments.verify {
        return verify(path);
    }
    let to = arguments.to.clone().unwrap_or_default();
    let result = make(&arguments, &to);
    // The log of an engine is read line by line.
    if let (true, Err(error)) = (arguments.log, &result) {
        print(&format!("error: {error}"))?;
        return Ok(ExitCode::from(FOUND));
    }
    result
}

fn verify(path: &Path) -> Result<ExitCode, CommandError> {
    let MovieFacts {
        frames,
        size,
        seconds,
        sound_seconds,
    } = match examine_movie(path) {
        Ok(facts) => facts,
        Err(MovieError::Unverifiable(reason)) => {
            crate::show::alert(&format!(
                "{WARNING}unverifiable{WARNING:#} {}: {reason}",
                path.display()
            ));
            return Ok(ExitCode::from(FOUND));
        }
        Err(error) => return Err(outcome(path, error)),
    };
    print(&format!(
        "frames {frames}\nwidth {}\nheight {}\nseconds {seconds:.3}",
        size.width, size.height
    ))?;
    if let Some(seconds) = sound_seconds {
        print(&format!("sound {seconds:.3}"))?;
    }
    Ok(ExitCode::from(DONE))
}

/// How an error of a movie is reported.
fn outcome(path: &Path, error: MovieError) -> CommandError {
    match error {
        MovieError::Io(error) => CommandError::outside(path.display().to_string())(error),
        MovieError::Sound(error) => CommandError::Usage(error.to_string()),
        error => CommandError::Outside {
            what: path.display().to_string(),
            error: io::Error::other(error.to_string()),
        },
    }
}

fn make(arguments: &Arguments, to: &Path) -> Result<ExitCode, CommandError> {
    let is_quicktime = is_quicktime(to)?;
    let source = MovieSource::find(&arguments.pictures, &arguments.numbered)?;
    let fps = arguments
        .fps
        .or(source.fps)
        .ok_or_else(|| CommandError::Usage("set the frame rate, such as --fps 24".to_owned()))?;
    let painter = FramePainter::new(arguments, &source, fps)?;
    let size = painter.size;
    let codec = codec(arguments, size, is_quicktime)?;
    // It fits the pictures, and a slate stands before them.
    let slate = fps.seconds(arguments.slate.into());
    let sound = sound(arguments, is_quicktime, slate)?;
    let at = || CommandError::outside(to.display().to_string());
    // A name that is taken is found before anything is coded.
    let mut file = NewFile::begin(to).map_err(taken(to))?;
    let options = MovieOptions {
        size,
        fps,
        codec,
        sound,
        is_quicktime,
    };
    let mut writer =
        MovieWriter::new(folder_of(to), options).map_err(|error| outcome(to, error))?;
    put_frames(arguments, &painter, &source, &mut writer, to)?;

    // Whole and decoded again before it has its name.
    let mut out = BufWriter::with_capacity(1 << 20, file.file());
    writer
        .finish(&mut out)
        .map_err(|error| outcome(to, error))?;
    out.flush().map_err(at())?;
    drop(out);
    let facts = examine_movie(file.path()).map_err(|error| outcome(to, error))?;
    let frames = source.frames.len() as u64 + u64::from(arguments.slate);
    if facts.frames != frames || facts.size != size {
        let what = format!("{} of {frames} frames can be decoded again", facts.frames);
        return Err(at()(io::Error::other(what)));
    }
    file.finish().map_err(at())?;
    if !arguments.log {
        print(&to.display().to_string())?;
        let stand_ins = painter.stand_ins();
        remark(&format!(
            "{} of {size}, {:.3} seconds",
            count(frames, "frame", "frames"),
            facts.seconds
        ));
        if let Some((low, high)) = painter.range() {
            remark(&format!("black is {low:.3}, white is {high:.3}"));
        }
        if painter.picture != size {
            alert(&format!(
                "pictures of {}: the last row or column is left out",
                painter.picture
            ));
        }
        for doubt in &source.doubts {
            alert(doubt);
        }
        if stand_ins > 0 {
            alert(&format!(
                "{} missing or broken: something else stands there",
                count(stand_ins, "frame is", "frames are")
            ));
        }
    }
    Ok(ExitCode::from(DONE))
}

/// Decodes frames side by side while those before them are coded.
fn put_frames(
    arguments: &Arguments,
    painter: &FramePainter<'_>,
    source: &MovieSource,
    writer: &mut MovieWriter,
    to: &Path,
) -> Result<(), CommandError> {
    let threads = arguments
        .threads
        .map_or_else(rayon::current_num_threads, usize::from);
    let pool = rayon::ThreadPoolBuilder::new()
        .num_threads(threads.max(1))
        .build();
    let pool = pool
        .map_err(|error| CommandError::outside("threads for decoding")(io::Error::other(error)))?;
    for _ in 0..arguments.slate {
        writer
            .add(&painter.slate())
            .map_err(|error| outcome(to, error))?;
    }
    let mut before: Option<Raster> = None;
    let mut add = |frame: Frame, raster: Option<Raster>| -> Result<(), CommandError> {
        // A frame that is not there is that before it.
        let raster = raster
            .or_else(|| before.take())
            .unwrap_or_else(|| painter.black());
        let lettered = painter.lettered(&raster, frame);
        writer.add(&lettered).map_err(|error| outcome(to, error))?;
        before = Some(raster);
        if arguments.log {
            print(&format!("frame {frame}"))?;
        }
        Ok(())
    };
    let mut waiting: Vec<(Frame, Option<Raster>)> = Vec::new();
    for some in source.frames.chunks(threads.max(1) * 2) {
        let decode = || {
            let draw = |frame: &Frame| painter.draw(*frame).map(|raster| (*frame, raster));
            some.par_iter().map(draw).collect::<Result<Vec<_>, _>>()
        };
        let ready = std::mem::take(&mut waiting);
        let (added, decoded) = std::thread::scope(|scope| {
            let decoding = scope.spawn(|| pool.install(decode));
            let added = ready
                .into_iter()
                .try_for_each(|(frame, raster)| add(frame, raster));
            (added, decoding.join())
        });
        added?;
        waiting = match decoded {
            Ok(decoded) => decoded?,
            Err(_) => {
                return Err(CommandError::outside("decoding")(io::Error::other(
                    "a decoder gave up",
                )));
            }
        };
    }
    waiting
        .into_iter()
        .try_for_each(|(frame, raster)| add(frame, raster))
}
