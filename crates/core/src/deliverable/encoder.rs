//! Which encoder puts a movie together where the job names none, and what the one inside this program cannot do.

use std::sync::Arc;

use super::{Movie, Picture};
use crate::movie::{BUILT_IN, BUILT_IN_CODECS, built_in_codec, built_in_sounds};
use crate::profile::{Profile, Profiles};
use crate::source::Place;

/// Why the encoder inside this program cannot make a movie.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct BeyondBuiltIn {
    /// Where the job says what it cannot do.
    pub(crate) place: Option<Place>,
    /// What it cannot do, as a sentence without a subject.
    pub(crate) what: String,
    /// What it can do.
    pub(crate) can: String,
}

/// The encoder of a movie that names none: the one inside this program where it can make the movie, so that no other
/// program is needed.
pub(super) fn usual_encoder(
    movie: &Movie,
    picture: &Picture,
    profiles: &Profiles,
) -> Option<Arc<Profile>> {
    if beyond_built_in(movie, picture).is_some() {
        return None;
    }
    profiles.find(BUILT_IN)
}

/// What the encoder inside this program cannot do of a movie; none where it can make it.
pub(crate) fn beyond_built_in(movie: &Movie, picture: &Picture) -> Option<BeyondBuiltIn> {
    let beyond = |place: Option<&Place>, what: String, can: String| {
        let place = place.cloned();
        Some(BeyondBuiltIn { place, what, can })
    };
    let codec = movie.codec.as_ref()?;
    let Some(row) = built_in_codec(codec.value.name) else {
        let names: Vec<&str> = BUILT_IN_CODECS.iter().map(|row| row.codec).collect();
        let what = format!("does not code {}", codec.value.name);
        return beyond(
            Some(&codec.place),
            what,
            format!("it codes {}", names.join(", ")),
        );
    };
    let container = movie.container.name();
    if !row.containers.contains(&container) {
        let what = format!("does not put {} into {container}", row.codec);
        let can = format!("it puts it into {}", row.containers.join(", "));
        return beyond(Some(&codec.place), what, can);
    }
    if let Some(pixels) = movie
        .pixels
        .as_ref()
        .filter(|one| one.value.name != row.pixels)
    {
        let what = format!("does not store pixels as {}", pixels.value.name);
        return beyond(
            Some(&pixels.place),
            what,
            format!("it stores {}", row.pixels),
        );
    }
    if let Some(rate) = &movie.rate {
        let what = "keeps to no bit rate".to_owned();
        return beyond(Some(&rate.place), what, "it keeps to a quality".to_owned());
    }
    if let Some(quality) = movie.quality.as_ref().filter(|one| one.value == "lossless") {
        let what = "makes no lossless movies".to_owned();
        return beyond(
            Some(&quality.place),
            what,
            "it makes draft, good and high".to_owned(),
        );
    }
    let sounds = built_in_sounds(container);
    let has_sound = !movie.sounds().is_empty();
    if let Some(sound) = movie.audio_codec.as_ref().filter(|_| has_sound)
        && !sounds.contains(&sound.value.name)
    {
        let what = format!("does not put {} into {container}", sound.value.name);
        return beyond(
            Some(&sound.place),
            what,
            format!("it puts {} there", sounds.join(", ")),
        );
    }
    let size = picture.file_size()?;
    if !row.fits(size) {
        let what = format!("makes no {} of {size}", row.codec);
        let can = format!("at most {}x{}, or upright", row.most.0, row.most.1);
        return beyond(picture.size.as_ref().map(|size| &size.place), what, can);
    }
    None
}
