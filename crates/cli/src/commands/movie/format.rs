//! What a movie is coded as: what was asked for, as far as the container holds it.

use std::path::Path;

use truepath_core::movie::{built_in_codec, built_in_sounds};
use truepath_core::picture::Size;
use truepath_media::{MovieCodec, SoundFormat, SoundSource};

use super::Arguments;
use crate::error::CommandError;

/// Whether a file is a QuickTime movie, by its extension.
pub(super) fn is_quicktime(to: &Path) -> Result<bool, CommandError> {
    let extension = to
        .extension()
        .unwrap_or_default()
        .to_string_lossy()
        .to_lowercase();
    match extension.as_str() {
        "mp4" => Ok(false),
        "mov" => Ok(true),
        _ => Err(CommandError::Usage(format!(
            "{} ends neither in .mp4 nor in .mov",
            to.display()
        ))),
    }
}

/// How pictures of a size are coded.
pub(super) fn codec(
    arguments: &Arguments,
    size: Size,
    is_quicktime: bool,
) -> Result<MovieCodec, CommandError> {
    let container = if is_quicktime { "mov" } else { "mp4" };
    let fits = |name: &str| built_in_codec(name).is_some_and(|row| row.fits(size));
    let holds =
        |name: &str| built_in_codec(name).is_some_and(|row| row.containers.contains(&container));
    let usual = if fits("h264") || !is_quicktime {
        "h264"
    } else {
        "mjpeg"
    };
    let name = arguments.codec.as_deref().unwrap_or(usual);
    if !holds(name) {
        return Err(CommandError::Usage(format!(
            "{container} does not hold {name}: write a .mov"
        )));
    }
    if !fits(name) {
        return Err(CommandError::Usage(format!(
            "pictures of {size} are too large for {name}: write a .mov with --codec mjpeg, or let a job name another movie.encoder"
        )));
    }
    let quality = arguments.quality.as_str();
    Ok(if name == "h264" {
        let quantizer = match quality {
            "draft" => 32,
            "high" => 18,
            _ => 24,
        };
        MovieCodec::H264 { quantizer }
    } else {
        let quality = match quality {
            "draft" => 75,
            "high" => 97,
            _ => 90,
        };
        MovieCodec::MotionJpeg { quality }
    })
}

/// The sounds, which begin after a slate of so many seconds, and how they are stored.
pub(super) fn sound(
    arguments: &Arguments,
    is_quicktime: bool,
    slate: f64,
) -> Result<Option<(Vec<SoundSource>, SoundFormat)>, CommandError> {
    let (sounds, offsets) = (&arguments.audio, &arguments.audio_offset);
    if sounds.is_empty() {
        return Ok(None);
    }
    if offsets.len() > 1 && offsets.len() != sounds.len() {
        return Err(CommandError::Usage(format!(
            "--audio-offset is given once for all sounds, or once for each: {} for {} sounds are neither",
            offsets.len(),
            sounds.len()
        )));
    }
    let offset = |at: usize| offsets.get(at).or(offsets.first()).copied().unwrap_or(0.0);
    let sources: Vec<SoundSource> = sounds
        .iter()
        .enumerate()
        .map(|(at, path)| SoundSource {
            path: path.clone(),
            offset: offset(at) + slate,
        })
        .collect();
    let container = if is_quicktime { "mov" } else { "mp4" };
    let sounds = built_in_sounds(container);
    let name = arguments
        .audio_codec
        .as_deref()
        .or(sounds.first().copied())
        .unwrap_or_default();
    if !sounds.contains(&name) {
        return Err(CommandError::Usage(format!(
            "{container} takes {}, not {name}",
            sounds.join(" or ")
        )));
    }
    let format = match name {
        "pcm-16" => SoundFormat::Pcm16,
        "pcm-24" => SoundFormat::Pcm24,
        _ => SoundFormat::Flac,
    };
    Ok(Some((sources, format)))
}
