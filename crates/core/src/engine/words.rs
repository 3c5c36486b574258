//! The engine's own words, and the tokens that only engines know.

use super::Profile;
use super::arguments::text_of;
use crate::deliverable::Deliverable;
use crate::template::TokenValue;

/// The engine's own word for what a deliverable asks for: the words that chose the row, and the
/// row, which is missing when the engine cannot do that. Nothing asked chooses no row.
#[must_use]
pub fn map_row<'p>(
    profile: &'p Profile,
    deliverable: &Deliverable,
    table: &str,
) -> Option<(String, Option<&'p str>)> {
    let table = profile.maps.iter().find(|words| words.name == table)?;
    let asked: Vec<String> = table
        .by
        .iter()
        .filter_map(|name| text_of(&picture_token(deliverable, name)))
        .collect();
    let asked = asked.join(" ");
    let row = table.rows.iter().find(|(row, _)| *row == asked);
    Some((asked, row.map(|(_, word)| word.as_str())))
}

/// Tokens that only engines know, besides those of templates.
pub(super) fn picture_token(deliverable: &Deliverable, name: &str) -> TokenValue {
    let picture = &deliverable.picture;
    let movie = deliverable.movie();
    let whole = picture.size.as_ref().map(|size| size.value);
    let crop = picture.crop.as_ref().map(|crop| crop.value);
    let number = |number: Option<i64>| number.map_or(TokenValue::Nothing, TokenValue::Number);
    let text = |text: Option<&str>| {
        text.map_or(TokenValue::Nothing, |text| {
            TokenValue::Text(text.to_owned())
        })
    };
    match name {
        "format" => text(Some(picture.format.name)),
        "channels" => text(
            picture
                .channels
                .as_ref()
                .map(|channels| channels.value.word()),
        ),
        "bits" => text(picture.bits.as_ref().map(|bits| bits.value.word())),
        "compression" => text(picture.compression.as_ref().map(|one| one.value.as_str())),
        "quality" => number(picture.quality.as_ref().map(|one| one.value)),
        "pixel-aspect" => text(
            picture
                .pixel_aspect
                .as_ref()
                .map(|one| ratio(one.value))
                .as_deref(),
        ),
        // The engine is told the whole picture and the part of it; files are as large as the part.
        "width" => number(whole.map(|size| i64::from(size.width))),
        "height" => number(whole.map(|size| i64::from(size.height))),
        "crop.left" => number(crop.map(|crop| i64::from(crop.left))),
        "crop.top" => number(crop.map(|crop| i64::from(crop.top))),
        "crop.width" => number(crop.map(|crop| i64::from(crop.size.width))),
        "crop.height" => number(crop.map(|crop| i64::from(crop.size.height))),
        // Of a movie.
        "pixels" => text(movie.and_then(|movie| Some(movie.pixels.as_ref()?.value.name))),
        "movie-quality" => {
            text(movie.and_then(|movie| Some(movie.quality.as_ref()?.value.as_str())))
        }
        "rate" => number(movie.and_then(|movie| Some(movie.rate.as_ref()?.value))),
        "audio" => text(
            movie
                .and_then(|movie| movie.audio.as_ref())
                .map(|audio| {
                    deliverable
                        .common
                        .project_values
                        .system
                        .written(&audio.value)
                })
                .as_deref(),
        ),
        // Silence needs no codec.
        "audio-codec" => text(movie.and_then(|movie| {
            movie.audio.as_ref()?;
            Some(movie.audio_codec.as_ref()?.value.name)
        })),
        "transfer" => text(picture.color.transfer.as_ref().map(|one| one.value.name)),
        "pixel-values" => {
            text(picture.color.linear.as_ref().map(
                |linear| {
                    if linear.value { "linear" } else { "display" }
                },
            ))
        }
        "fps.fraction" => text(deliverable.common.fps.as_deref().map(fraction).as_deref()),
        "seconds" => text(seconds(deliverable).as_deref()),
        _ if name.starts_with("source.") => source_token(deliverable, name),
        "together" => text(Some(if deliverable.planes.len() > 1 {
            "yes"
        } else {
            "no"
        })),
        _ => deliverable.token(name),
    }
}

/// Width by height as a decimal number.
fn ratio((part, whole): (u32, u32)) -> String {
    (f64::from(part) / f64::from(whole)).to_string()
}

/// Frames a second as a fraction where it is one of television's: 23.976 stands for 24000/1001
/// (SMPTE ST 12-1), and 29.97 and the like in the same way.
fn fraction(fps: &str) -> String {
    let told: f64 = fps.parse().unwrap_or(0.0);
    let near = |whole: &i32| {
        let exact = f64::from(*whole) * 1000.0 / 1001.0;
        (exact - told).abs() < 0.005 && told.fract() != 0.0
    };
    match [24, 30, 48, 60, 120].iter().find(|whole| near(whole)) {
        Some(whole) => format!("{whole}000/1001"),
        None => fps.to_owned(),
    }
}

/// How long a movie is; encoders round it to whole frames.
fn seconds(deliverable: &Deliverable) -> Option<String> {
    let fps: f64 = deliverable.common.fps.as_deref()?.parse().ok()?;
    let frames = deliverable.common.clip.count() as f64;
    Some(format!("{:.6}", frames / fps))
}

/// Tokens of the sequence that a movie is put together from.
fn source_token(deliverable: &Deliverable, name: &str) -> TokenValue {
    let source = deliverable.movie().and_then(|movie| movie.source.as_ref());
    match (source, name) {
        (Some(source), "source.format") => TokenValue::Text(source.picture.format.name.to_owned()),
        (Some(source), "source.count") => i64::try_from(source.common.clip.count())
            .map_or(TokenValue::Nothing, TokenValue::Number),
        (Some(source), "source.values") => picture_token(source, "pixel-values"),
        (Some(source), "source.alpha") => TokenValue::Text(
            match &source.picture.channels {
                Some(channels) if channels.value.has_alpha() => "yes",
                _ => "no",
            }
            .to_owned(),
        ),
        // Light that is to be lifted for display: said to be linear, or of a format for light.
        (Some(source), "source.transfer") => {
            let light = source.picture.is_light();
            let transfer = deliverable.picture.color.transfer.as_ref().filter(|_| light);
            transfer.map_or(TokenValue::Nothing, |one| {
                TokenValue::Text(one.value.name.to_owned())
            })
        }
        (
            None,
            "source.format" | "source.count" | "source.alpha" | "source.values" | "source.transfer",
        ) => TokenValue::Nothing,
        _ => TokenValue::Unknown,
    }
}
