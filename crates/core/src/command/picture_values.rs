//! The values of the tokens that only profiles know and that every process of a deliverable shares, and
//! the maps of a profile.

use super::burn_in::burn_in_text;
use super::fill::text_of;
use crate::deliverable::{Deliverable, Movie};
use crate::profile::Profile;
use crate::template::TokenValue;
use crate::token::Token;

/// The row of a map that a deliverable chooses: the job's words that chose it, and the engine's word,
/// which is missing when the engine cannot do that. Where nothing is asked for, no row is chosen.
#[must_use]
pub fn map_row<'p>(
    profile: &'p Profile,
    deliverable: &Deliverable,
    map: &str,
) -> Option<(String, Option<&'p str>)> {
    let map = profile.maps.iter().find(|one| one.name == map)?;
    let asked: Vec<String> = map
        .by
        .iter()
        .filter_map(|name| match Token::read(name) {
            Some((token, part)) => text_of(&picture_value(deliverable, token, part)),
            None => text_of(&deliverable.token(name)),
        })
        .collect();
    let asked = asked.join(" ");
    let row = map.rows.iter().find(|(row, _)| *row == asked);
    Some((asked, row.map(|(_, word)| word.as_str())))
}

/// The value of a token of a profile, as far as it does not depend on the process.
pub(super) fn picture_value(deliverable: &Deliverable, token: Token, part: &str) -> TokenValue {
    let picture = &deliverable.picture;
    let movie = deliverable.movie();
    let whole = picture.size.as_ref().map(|size| size.value);
    let crop = picture.crop.as_ref().map(|crop| crop.value);
    let number = TokenValue::number;
    let pixels = |pixels: Option<u32>| number(pixels.map(i64::from));
    let text = TokenValue::text::<&str>;
    match token {
        Token::TargetExtension => text(Some(picture.format.extension())),
        Token::Format => text(Some(picture.format.name)),
        Token::Channels => text(picture.channels.as_ref().map(|one| one.value.word())),
        Token::Bits => text(picture.bits.as_ref().map(|bits| bits.value.word())),
        Token::Compression => text(picture.compression.as_ref().map(|one| one.value.as_str())),
        Token::Quality => number(picture.quality.as_ref().map(|one| one.value)),
        Token::PixelAspect => {
            let aspect = picture.pixel_aspect.as_ref();
            TokenValue::text(aspect.map(|aspect| aspect.value.decimal().to_string()))
        }
        // The engine is given the whole picture and the part of it; files are as large as the part.
        Token::Width => pixels(whole.map(|size| size.width)),
        Token::Height => pixels(whole.map(|size| size.height)),
        Token::CropLeft => pixels(crop.map(|crop| crop.left)),
        Token::CropTop => pixels(crop.map(|crop| crop.top)),
        Token::CropWidth => pixels(crop.map(|crop| crop.size.width)),
        Token::CropHeight => pixels(crop.map(|crop| crop.size.height)),
        Token::Together => text(Some(yes_or_no(deliverable.planes.len() > 1))),
        Token::Transfer => text(picture.color.transfer.as_ref().map(|one| one.value.name)),
        Token::PixelValues => {
            let pixels = picture.color.pixels.as_ref();
            text(pixels.map(|pixels| pixels.value.name()))
        }
        Token::Pixels => text(movie.and_then(|movie| Some(movie.pixels.as_ref()?.value.name))),
        Token::MovieQuality => {
            text(movie.and_then(|movie| Some(movie.quality.as_ref()?.value.as_str())))
        }
        Token::Rate => number(movie.and_then(|movie| Some(movie.rate.as_ref()?.value))),
        Token::Audio => {
            let system = deliverable.common.project_values.system;
            let audio = movie.and_then(|movie| movie.audio.as_ref());
            TokenValue::text(audio.map(|audio| system.written(&audio.value)))
        }
        Token::StopSamples => number(picture.stop_samples.as_ref().map(|one| one.value)),
        Token::StopSeconds => {
            let time = picture.stop_time.as_ref();
            TokenValue::text(time.map(|time| format!("{}", time.value.as_secs_f64())))
        }
        Token::AudioDelay => audio_offset(movie, 1),
        Token::AudioSkip => audio_offset(movie, -1),
        Token::BurnIn => TokenValue::text(burn_in_text(deliverable).ok().flatten()),
        Token::BurnInCorner => text(movie.and_then(|movie| {
            movie.burn_in.as_ref()?;
            Some(movie.burn_in_corner.as_ref()?.value.word())
        })),
        Token::Slate => number(movie.and_then(|movie| Some(movie.slate.as_ref()?.value))),
        // Silence needs no codec.
        Token::AudioCodec => text(movie.and_then(|movie| {
            movie.sounds().first()?;
            Some(movie.audio_codec.as_ref()?.value.name)
        })),
        Token::FpsFraction => TokenValue::text(deliverable.common.fps.map(|fps| fps.fraction())),
        // Encoders round it to whole frames.
        Token::Seconds => {
            let frames = deliverable.common.frames.shot.count();
            let fps = deliverable.common.fps;
            TokenValue::text(fps.map(|fps| format!("{:.6}", fps.seconds(frames))))
        }
        Token::SourceFormat
        | Token::SourceCount
        | Token::SourceValues
        | Token::SourceAlpha
        | Token::SourceTransfer => match movie.and_then(|movie| movie.source.as_deref()) {
            Some(source) => source_value(deliverable, source, token),
            None => TokenValue::Nothing,
        },
        Token::Project
        | Token::Place
        | Token::Shot
        | Token::Scene
        | Token::Variant
        | Token::View
        | Token::Pass
        | Token::Camera
        | Token::Preset
        | Token::Engine
        | Token::Output
        | Token::Version
        | Token::Frame
        | Token::First
        | Token::Last
        | Token::Count
        | Token::Fps
        | Token::Ext
        | Token::Codec
        | Token::Container
        | Token::User
        | Token::Artist
        | Token::Host
        | Token::Date
        | Token::Setting => deliverable.value(token, part),
        // These depend on the process, or stand in files that are given only.
        Token::SceneFile
        | Token::SceneFolder
        | Token::Frames
        | Token::FramesList
        | Token::Step
        | Token::ClipFirst
        | Token::ClipLast
        | Token::Target
        | Token::TargetFolder
        | Token::TargetName
        | Token::TargetStem
        | Token::TargetPrintf
        | Token::TargetHashes
        | Token::Passes
        | Token::Views
        | Token::Settings
        | Token::SettingKey
        | Token::SettingValue
        | Token::Threads
        | Token::Prepared
        | Token::SourcePrintf
        | Token::SourceFirst
        | Token::LayerName
        | Token::LayerWords
        | Token::LayerFile
        | Token::SoundFile
        | Token::SoundOffset
        | Token::Map => TokenValue::Unknown,
    }
}

/// The value of a token of the sequence that a movie is assembled from.
fn source_value(movie: &Deliverable, source: &Deliverable, token: Token) -> TokenValue {
    match token {
        Token::SourceFormat => TokenValue::Text(source.picture.format.name.to_owned()),
        Token::SourceCount => {
            TokenValue::number(i64::try_from(source.common.frames.shot.count()).ok())
        }
        Token::SourceValues => picture_value(source, Token::PixelValues, ""),
        Token::SourceAlpha => {
            let channels = source.picture.channels.as_ref();
            let alpha = channels.is_some_and(|channels| channels.value.has_alpha());
            TokenValue::Text(yes_or_no(alpha).to_owned())
        }
        // Light that is to be made ready for display: set to be linear, or of a format for light.
        Token::SourceTransfer if source.picture.is_light() => {
            picture_value(movie, Token::Transfer, "")
        }
        _ => TokenValue::Nothing,
    }
}

fn yes_or_no(truth: bool) -> &'static str {
    if truth { "yes" } else { "no" }
}

/// The offset of the sound in milliseconds, where it has this sign.
fn audio_offset(movie: Option<&Movie>, sign: i64) -> TokenValue {
    let offset = movie.and_then(|movie| {
        movie.audio.as_ref()?;
        Some(movie.audio_offset.as_ref()?.value * sign)
    });
    TokenValue::number(offset.filter(|offset| *offset > 0))
}
