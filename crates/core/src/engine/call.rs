//! One process of an engine, and the values of the tokens in its profile.

use super::arguments::{ArgumentError, fill};
use super::source_files::SourceFiles;
use super::words::{picture_token, map_row};
use super::{Each, Naming, Profile};
use crate::deliverable::Deliverable;
use crate::frames::{Frame, FrameSet};
use crate::template::{PathPattern, Piece, TokenValue, expand};

/// One process: what it makes and where.
#[derive(Debug, Clone, Copy)]
pub struct Call<'a> {
    /// The engine.
    pub profile: &'a Profile,
    /// What it makes; at least one, all of this engine.
    pub deliverables: &'a [&'a Deliverable],
    /// The frames that it makes; not empty.
    pub frames: &'a FrameSet,
    /// The absolute staging folder.
    pub staging: &'a str,
    /// What was made of the scene beforehand, where the engine wants that.
    pub prepared: Option<&'a str>,
}

impl<'a> Call<'a> {
    /// A call that has no staging folder yet.
    #[must_use]
    pub fn planned(
        profile: &'a Profile,
        deliverables: &'a [&'a Deliverable],
        frames: &'a FrameSet,
    ) -> Self {
        Self {
            profile,
            deliverables,
            frames,
            staging: "",
            prepared: None,
        }
    }
}

impl Call<'_> {
    /// Every pass or every view that it makes, each once.
    pub(super) fn words(&self, each: Each) -> Vec<String> {
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
    #[must_use]
    pub fn token(&self, name: &str) -> TokenValue {
        let profile = self.profile;
        let deliverable = self.deliverables[0];
        let common = &deliverable.common;
        let text = |text: String| TokenValue::Text(text);
        let number = |number: Option<i64>| number.map_or(TokenValue::Nothing, TokenValue::Number);
        let clip = &common.clip;
        let scene = common.scene.as_ref();
        // Paths are held with `/`, and written as the system that they are for writes them.
        let path = |path: &str| text(common.project_values.system.written(path));
        match name {
            "scene.file" => scene.map_or(TokenValue::Nothing, |scene| path(&scene.path)),
            "scene.folder" => scene.map_or(TokenValue::Nothing, |scene| path(scene.folder())),
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
            "target" => path(&format!("{}/{}", self.staging, self.target_name())),
            "target.folder" => path(self.staging),
            "target.name" => text(self.target_name()),
            "target.stem" => text(self.target_stem()),
            "target.extension" => text(deliverable.picture.format.extensions[0].to_owned()),
            "target.printf" => path(&self.numbered("%04d")),
            "target.hashes" => path(&self.numbered("####")),
            "prepared" => self
                .prepared
                .map_or(TokenValue::Nothing, |path| text(path.to_owned())),
            "source.printf" | "source.first" => match self.source_files() {
                None => TokenValue::Nothing,
                Some(SourceFiles::Direct { printf, .. }) if name == "source.printf" => {
                    path(&printf)
                }
                Some(SourceFiles::Direct { first, .. }) => number(Some(first)),
                Some(SourceFiles::Linked { printf, .. }) if name == "source.printf" => {
                    path(&format!("{}/{printf}", self.staging))
                }
                Some(SourceFiles::Linked { .. }) => number(Some(1)),
            },
            _ => match name.strip_prefix("map.") {
                Some(table) => match map_row(profile, deliverable, table) {
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
    fn target_name(&self) -> String {
        let deliverable = self.deliverables[0];
        let extension = deliverable.picture.format.extensions[0];
        match self.profile.naming {
            Naming::Template(_) => format!("picture.{extension}"),
            Naming::Learned => {
                let (_, name) = deliverable.pattern.split();
                match self.frames.first() {
                    Some(frame) if self.frames.count() == 1 => name.path(frame),
                    _ => without_frame(&name),
                }
            }
        }
    }

    /// The target with digits for the frame, in some notation.
    fn numbered(&self, digits: &str) -> String {
        let name = self.target_name();
        let (stem, extension) = name.rsplit_once('.').unwrap_or((&name, ""));
        format!("{}/{stem}.{digits}.{extension}", self.staging)
    }

    /// The frames that a movie is put together from.
    fn source_files(&self) -> Option<SourceFiles> {
        let movie = self.deliverables[0].movie()?;
        movie.source.as_deref().map(SourceFiles::of)
    }

    fn target_stem(&self) -> String {
        let name = self.target_name();
        match name.rsplit_once('.') {
            Some((stem, _)) if !stem.is_empty() => stem.to_owned(),
            _ => name,
        }
    }

    /// How a deliverable's files are called in the staging folder; `None` when that is learned.
    ///
    /// # Errors
    /// When the profile's `output-name` asks for something that is not there.
    pub fn output_name(&self, deliverable: &Deliverable) -> Result<Option<PathPattern>, ArgumentError> {
        let (template, only_name) = match (&self.profile.naming, &self.profile.writes) {
            (Naming::Template(template), _) => (template, false),
            (Naming::Learned, Some(writes)) => (writes, true),
            (Naming::Learned, None) => return Ok(None),
        };
        let value = |name: &str| match name {
            "frame" => TokenValue::Frame,
            "pass" | "ext" => deliverable.token(name),
            _ => match self.token(name) {
                // Where the scene says, whole folders are among the values.
                TokenValue::Text(text) if only_name => TokenValue::Path(text),
                other => other,
            },
        };
        match expand(template, &value) {
            Ok(pattern) if only_name => Ok(Some(pattern.split().1)),
            Ok(pattern) => Ok(Some(pattern)),
            Err(mut errors) => Err(ArgumentError::Token(errors.remove(0))),
        }
    }

    /// Where the engine writes when it writes where the scene says.
    ///
    /// # Errors
    /// When the profile asks for something that is not there.
    pub fn writes(&self) -> Result<Option<PathPattern>, ArgumentError> {
        let Some(template) = &self.profile.writes else {
            return Ok(None);
        };
        let value = |name: &str| match (name, self.token(name)) {
            ("frame", _) => TokenValue::Frame,
            // A value may hold a whole path here.
            (_, TokenValue::Text(text)) => TokenValue::Path(text),
            (_, other) => other,
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
    pub fn links(&self) -> Result<Vec<(String, String)>, ArgumentError> {
        let mut links = Vec::new();
        if let Some(SourceFiles::Linked { links: frames, .. }) = self.source_files() {
            links = frames;
        }
        links.extend(self.links_of_profile()?);
        Ok(links)
    }

    /// The links that the profile says.
    pub(super) fn links_of_profile(&self) -> Result<Vec<(String, String)>, ArgumentError> {
        let mut links = Vec::new();
        for (name, template) in &self.profile.links {
            if let Some(target) = fill(template, &|name| self.token(name))? {
                links.push((name.clone(), target));
            }
        }
        Ok(links)
    }

    /// The folder that the engine works in; none for its staging folder.
    pub(super) fn folder(&self) -> Result<Option<String>, ArgumentError> {
        match &self.profile.folder {
            Some(template) => Ok(fill(template, &|name| self.token(name))?),
            None => Ok(None),
        }
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
