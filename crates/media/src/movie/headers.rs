//! What the tables of a movie say of it, without decoding its pictures.

use std::path::Path;

use truepath_core::picture::Size;

use super::read::{FoundTrack, tracks};
use super::writer::MovieError;
use crate::regular_file::open_regular;

/// What the tables of a movie in MP4 or MOV say.
#[derive(Debug, Clone, PartialEq)]
pub struct MovieHeaders {
    /// How its pictures are coded, in the four letters of the file.
    pub coding: String,
    /// Their size in pixels; none where it is not there.
    pub size: Option<Size>,
    /// How many they are.
    pub frames: u64,
    /// How long it plays, in seconds.
    pub seconds: f64,
    /// How its sound is coded, where it has sound.
    pub sound: Option<String>,
}

impl MovieHeaders {
    /// Frames a second, in the mean; none of a movie without length.
    #[must_use]
    pub fn fps(&self) -> Option<f64> {
        (self.seconds > 0.0).then(|| self.frames as f64 / self.seconds)
    }
}

/// Reads the tables of a movie in MP4 or MOV, however it is coded.
///
/// # Errors
/// When they are not there or damaged.
pub fn movie_headers(path: &Path) -> Result<MovieHeaders, MovieError> {
    let tracks = tracks(&mut open_regular(path)?)?;
    let of = |handler: &[u8; 4]| tracks.iter().find(|track| &track.handler == handler);
    let pictures = of(b"vide");
    let pictures = pictures.ok_or_else(|| MovieError::Broken("it has no pictures".to_owned()))?;
    let coding = |track: &FoundTrack| String::from_utf8_lossy(&track.coding).trim().to_owned();
    let durations = pictures.durations.iter();
    Ok(MovieHeaders {
        coding: coding(pictures),
        size: pictures.size,
        frames: durations.map(|(count, _)| u64::from(*count)).sum(),
        seconds: pictures.seconds(),
        sound: of(b"soun").map(coding),
    })
}
