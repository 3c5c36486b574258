//! The arguments of one process, written out on demand.

use super::{Argument, Each, Naming, Profile};
use crate::deliverable::Deliverable;
use crate::frames::{Frame, FrameSet};
use crate::template::{ExpandError, PathPattern, Piece, Template, TokenValue, expand};

/// One process: what it makes and where.
#[derive(Debug, Clone, Copy)]
pub struct Call<'a> {
    /// What it makes; at least one, all of one engine.
    pub deliverables: &'a [&'a Deliverable],
    /// The frames that it makes; not empty.
    pub frames: &'a FrameSet,
    /// The absolute staging folder.
    pub staging: &'a str,
}

/// Why arguments cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ArgumentError {
    /// A template of the profile asks for something that is not there.
    #[error("an argument of the engine cannot be written: {0}")]
    Token(#[from] ExpandError),
    /// The engine cannot take such an argument.
    #[error("the engine cannot take the argument `{argument}`: {why}")]
    Refused {
        /// The argument.
        argument: String,
        /// Why.
        why: String,
    },
}

/// The arguments, in order. With `only_picture` those are left out that do not change the picture.
///
/// # Errors
/// When a token is unknown or an argument holds what the engine cannot take.
pub fn arguments(
    profile: &Profile,
    call: &Call<'_>,
    only_picture: bool,
) -> Result<Vec<String>, ArgumentError> {
    let mut all = Vec::new();
    for argument in &profile.arguments {
        if only_picture && !argument.changes_picture {
            continue;
        }
        if argument.when.iter().all(|(name, values)| {
            text_of(&call.token(profile, name)).is_some_and(|value| values.contains(&value))
        }) {
            emit(profile, call, argument, &mut all)?;
        }
    }
    if let Some(refusal) = &profile.refuses {
        for argument in &all {
            let refused = argument
                .chars()
                .any(|c| refusal.characters.contains(c) || (refusal.non_ascii && !c.is_ascii()));
            if refused {
                return Err(ArgumentError::Refused {
                    argument: argument.clone(),
                    why: refusal.why.clone(),
                });
            }
        }
    }
    Ok(all)
}

fn emit(
    profile: &Profile,
    call: &Call<'_>,
    argument: &Argument,
    all: &mut Vec<String>,
) -> Result<(), ArgumentError> {
    let text = |text: &str| TokenValue::Text(text.to_owned());
    match argument.each {
        None => all.extend(put(&argument.put, &|name| call.token(profile, name))?),
        Some(Each::Settings) => {
            for (key, word) in call.deliverables[0].settings.iter() {
                all.extend(put(&argument.put, &|name| match name {
                    "key" => text(key),
                    "value" => text(&word.text),
                    _ => call.token(profile, name),
                })?);
            }
        }
        Some(each @ (Each::Passes | Each::Views)) => {
            let asked = match each {
                Each::Views => "view",
                Each::Passes | Each::Settings => "pass",
            };
            for word in call.words(each) {
                all.extend(put(&argument.put, &|name| match name {
                    name if name == asked => text(&word),
                    _ => call.token(profile, name),
                })?);
            }
        }
    }
    Ok(())
}

/// All arguments of one entry, or none when a token in them has no value.
fn put(
    templates: &[Template],
    value: &dyn Fn(&str) -> TokenValue,
) -> Result<Vec<String>, ExpandError> {
    let mut out = Vec::new();
    for template in templates {
        match fill(template, value) {
            Ok(Some(argument)) => out.push(argument),
            Ok(None) => return Ok(Vec::new()),
            Err(error) => return Err(error),
        }
    }
    Ok(out)
}

/// A template as a single text; `None` when a token in it has no value. Values may hold anything
/// here: an argument is no part of a path.
///
/// # Errors
/// When a token is unknown.
pub fn fill(
    template: &Template,
    value: &dyn Fn(&str) -> TokenValue,
) -> Result<Option<String>, ExpandError> {
    let whole = |name: &str| match value(name) {
        TokenValue::Text(text) => TokenValue::Path(text),
        other => other,
    };
    match expand(template, &whole) {
        Ok(pattern) => Ok(Some(pattern.path(0))),
        Err(errors) => {
            let worse = errors
                .into_iter()
                .find(|error| !matches!(error, ExpandError::NoValue { .. }));
            worse.map_or(Ok(None), Err)
        }
    }
}

fn text_of(value: &TokenValue) -> Option<String> {
    match value {
        TokenValue::Text(text) | TokenValue::Path(text) => Some(text.clone()),
        TokenValue::Number(number) => Some(number.to_string()),
        TokenValue::Date(date) => Some(date.to_string()),
        TokenValue::Frame | TokenValue::Nothing | TokenValue::Unknown => None,
    }
}

/// The engine's own word for what a deliverable asks for: the words that chose the row, and the
/// row, which is missing when the engine cannot do that. Nothing asked chooses no row.
#[must_use]
pub fn word_row<'p>(
    profile: &'p Profile,
    deliverable: &Deliverable,
    table: &str,
) -> Option<(String, Option<&'p str>)> {
    let table = profile.words.iter().find(|words| words.name == table)?;
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
fn picture_token(deliverable: &Deliverable, name: &str) -> TokenValue {
    let picture = &deliverable.picture;
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

impl Call<'_> {
    /// Every pass or every view that it makes, each once.
    fn words(&self, each: Each) -> Vec<String> {
        let mut words: Vec<String> = Vec::new();
        for plane in self.deliverables.iter().flat_map(|one| one.planes.iter()) {
            let word = match each {
                Each::Views => &plane.view,
                Each::Passes | Each::Settings => &plane.pass,
            };
            if let Some(word) = word
                && !words.contains(&word.text)
            {
                words.push(word.text.clone());
            }
        }
        words
    }

    /// The value of a token in a profile.
    fn token(&self, profile: &Profile, name: &str) -> TokenValue {
        let deliverable = self.deliverables[0];
        let common = &deliverable.common;
        let text = |text: String| TokenValue::Text(text);
        let number = |number: Option<i64>| number.map_or(TokenValue::Nothing, TokenValue::Number);
        let clip = &common.clip;
        let scene = common.scene.as_ref();
        match name {
            "scene.file" => scene.map_or(TokenValue::Nothing, |scene| text(scene.path.clone())),
            "scene.folder" => {
                scene.map_or(TokenValue::Nothing, |scene| text(scene.folder().to_owned()))
            }
            "threads" => number(common.threads),
            "frame" | "first" => number(self.frames.first()),
            "last" => number(self.frames.last()),
            "step" => number(self.frames.strands().first().map(|strand| strand.step())),
            "frames" => text(self.frames.to_string()),
            "clip.first" => number(clip.first()),
            "clip.last" => number(
                clip.first()
                    .zip(clip.last())
                    .map(|(first, last)| last.max(first + profile.shortest_clip - 1)),
            ),
            "target" => text(format!("{}/{}", self.staging, self.target_name(profile))),
            "target.folder" => text(self.staging.to_owned()),
            "target.name" => text(self.target_name(profile)),
            "target.stem" => text(self.target_stem(profile)),
            _ => match name.strip_prefix("word.") {
                Some(table) => match word_row(profile, deliverable, table) {
                    None => TokenValue::Unknown,
                    // An empty word says nothing to the engine.
                    Some((_, None | Some(""))) => TokenValue::Nothing,
                    Some((_, Some(word))) => text(word.to_owned()),
                },
                None => picture_token(deliverable, name),
            },
        }
    }

    /// The name that the engine is asked to write: a plain one where its own way of naming is
    /// known, else the true name, without the frame when it makes several.
    fn target_name(&self, profile: &Profile) -> String {
        let deliverable = self.deliverables[0];
        let extension = deliverable.picture.format.extensions[0];
        match profile.naming {
            Naming::Native(_) => format!("picture.{extension}"),
            Naming::Learned => {
                let (_, name) = deliverable.pattern.split();
                match self.frames.first() {
                    Some(frame) if self.frames.count() == 1 => name.path(frame),
                    _ => without_frame(&name),
                }
            }
        }
    }

    fn target_stem(&self, profile: &Profile) -> String {
        let name = self.target_name(profile);
        match name.rsplit_once('.') {
            Some((stem, _)) if !stem.is_empty() => stem.to_owned(),
            _ => name,
        }
    }

    /// How a deliverable's files are called in the staging folder; `None` when that is learned.
    ///
    /// # Errors
    /// When the profile's `native` asks for something that is not there.
    pub fn native(
        &self,
        profile: &Profile,
        deliverable: &Deliverable,
    ) -> Result<Option<PathPattern>, ArgumentError> {
        let Naming::Native(template) = &profile.naming else {
            return Ok(None);
        };
        let value = |name: &str| match name {
            "frame" => TokenValue::Frame,
            "pass" | "ext" => deliverable.token(name),
            _ => self.token(profile, name),
        };
        match expand(template, &value) {
            Ok(pattern) => Ok(Some(pattern)),
            Err(mut errors) => Err(ArgumentError::Token(errors.remove(0))),
        }
    }

    /// The links to lay into the staging folder: name and absolute target.
    ///
    /// # Errors
    /// When the profile asks for something that is not there.
    pub fn links(&self, profile: &Profile) -> Result<Vec<(String, String)>, ArgumentError> {
        let mut links = Vec::new();
        for (name, template) in &profile.links {
            if let Some(target) = fill(template, &|name| self.token(profile, name))? {
                links.push((name.clone(), target));
            }
        }
        Ok(links)
    }

    /// The true name, without its folder, of a frame of the first deliverable.
    #[must_use]
    pub fn true_name(&self, frame: Frame) -> String {
        self.deliverables[0].pattern.split().1.path(frame)
    }
}

/// `kiln_front.png` for `kiln_front.{frame:04}.png`.
fn without_frame(name: &PathPattern) -> String {
    let mut out = String::new();
    for piece in name.pieces() {
        match piece {
            Piece::Frame(_) => {
                let kept = out.trim_end_matches(['.', '_', '-', ' ']).len();
                out.truncate(kept);
            }
            Piece::Text(text) => out.push_str(text),
        }
    }
    out
}
