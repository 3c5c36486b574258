//! One process of an engine, and the values of the tokens in its profile.

use super::fill::{ArgumentError, fill};
use super::learn::target_name;
use super::picture_values::{map_row, picture_value};
use super::source_files::SourceFiles;
use crate::at_least_one::AtLeastOne;
use crate::deliverable::{Deliverable, LayerSource, Plane};
use crate::frames::{Frame, FrameSet};
use crate::job::PlacedText;
use crate::profile::{Naming, Profile};
use crate::template::{PathPattern, TokenValue, expand};
use crate::token::Token;

/// One process: what it makes and where.
#[derive(Debug, Clone, Copy)]
pub struct Invocation<'a> {
    /// The engine.
    pub profile: &'a Profile,
    /// What it makes, all of this engine.
    pub deliverables: &'a AtLeastOne<&'a Deliverable>,
    /// The frames that it makes; not empty.
    pub frames: &'a FrameSet,
    /// The absolute staging folder.
    pub staging: &'a str,
    /// What was made of the scene beforehand, where the engine wants that.
    pub prepared: Option<&'a str>,
    /// The threads that it is given where the job does not say it.
    pub threads: Option<i64>,
}

/// The values of the tokens of a picture that is taken from another file.
pub(super) struct LayerValues {
    /// What its layer is called in the new file; empty where that holds this picture alone.
    pub(super) name: String,
    /// The words of the name of its layer in the other file; empty where that holds it alone.
    pub(super) words: String,
    /// The other file.
    pub(super) file: String,
}

impl<'a> Invocation<'a> {
    /// An invocation that has no staging folder yet.
    #[must_use]
    pub fn planned(
        profile: &'a Profile,
        deliverables: &'a AtLeastOne<&'a Deliverable>,
        frames: &'a FrameSet,
    ) -> Self {
        Self {
            profile,
            deliverables,
            frames,
            staging: "",
            prepared: None,
            threads: None,
        }
    }
}

impl Invocation<'_> {
    /// Every pass that it makes, each once.
    pub(super) fn passes(&self) -> Vec<String> {
        self.words(|plane| plane.pass.as_ref())
    }

    /// Every view that it makes, each once.
    pub(super) fn views(&self) -> Vec<String> {
        self.words(|plane| plane.view.as_ref())
    }

    fn words(&self, word: impl Fn(&Plane) -> Option<&PlacedText>) -> Vec<String> {
        let mut words: Vec<String> = Vec::new();
        for plane in self.deliverables.iter().flat_map(|one| one.planes.iter()) {
            if let Some(word) = word(plane)
                && !words.contains(&word.text)
            {
                words.push(word.text.clone());
            }
        }
        words
    }

    /// The values of the tokens of each picture that is taken from another file, in the order of the file.
    pub(super) fn layers(&self) -> Vec<LayerValues> {
        let one = self.first();
        let system = one.common.project_values.system;
        let frame = self.frames.first().unwrap_or(0);
        let several = one.planes.len() > 1;
        let of = |(plane, source): (&Plane, &LayerSource)| {
            let words = [&plane.view, &plane.pass].into_iter().flatten();
            let words: Vec<&str> = words.map(|word| word.text.as_str()).collect();
            LayerValues {
                name: if several {
                    words.join(".")
                } else {
                    String::new()
                },
                words: source.words.join(" "),
                file: system.written(&source.deliverable.path(frame)),
            }
        };
        one.planes
            .iter()
            .zip(one.layer_sources.iter())
            .map(of)
            .collect()
    }

    /// The first of its deliverables.
    #[must_use]
    pub fn first(&self) -> &Deliverable {
        self.deliverables.first()
    }

    /// The value of a token in a profile.
    #[must_use]
    pub fn token(&self, name: &str) -> TokenValue {
        match Token::read(name) {
            None => self.first().token(name),
            Some((token, part)) => self.value(token, part),
        }
    }

    fn value(&self, token: Token, part: &str) -> TokenValue {
        let common = &self.first().common;
        let number = TokenValue::number;
        let clip = &common.frames.shot;
        // A movie is one file, and the engine that writes it is given all of its frames.
        let frames = match self.first().movie() {
            Some(_) => clip,
            None => self.frames,
        };
        let scene = common.scene.as_ref();
        // Paths are held with `/`, and written as the system that they are for writes them.
        let path = |path: &str| TokenValue::Text(common.project_values.system.written(path));
        match token {
            Token::SceneFile => scene.map_or(TokenValue::Nothing, |scene| path(&scene.path)),
            Token::SceneFolder => scene.map_or(TokenValue::Nothing, |scene| path(scene.folder())),
            Token::Threads => number(common.processes.threads.or(self.threads)),
            Token::Frame | Token::First => number(frames.first()),
            Token::Last => number(frames.last()),
            Token::Step => number(frames.ranges().first().map(|range| range.step())),
            Token::Frames => TokenValue::Text(frames.to_string()),
            Token::ClipFirst => number(clip.first()),
            Token::ClipLast => number(
                clip.first()
                    .zip(clip.last())
                    .map(|(first, last)| last.max(first + self.profile.shortest_clip - 1)),
            ),
            Token::Target => path(&format!("{}/{}", self.staging, self.target_name())),
            Token::TargetFolder => path(self.staging),
            Token::TargetName => TokenValue::Text(self.target_name()),
            Token::TargetStem => TokenValue::Text(self.target_stem()),
            Token::TargetPrintf => path(&self.numbered("%04d")),
            Token::TargetHashes => path(&self.numbered("####")),
            Token::Prepared => TokenValue::text(self.prepared),
            Token::SourcePrintf => match self.source_files() {
                None => TokenValue::Nothing,
                Some(SourceFiles::Direct { printf, .. }) => path(&printf),
                Some(SourceFiles::Linked { printf, .. }) => {
                    path(&format!("{}/{printf}", self.staging))
                }
            },
            Token::SourceFirst => number(self.source_files().map(|source| source.first())),
            Token::Map => match map_row(self.profile, self.first(), part) {
                None => TokenValue::Unknown,
                // An empty word says nothing to the engine.
                Some((_, None | Some(""))) => TokenValue::Nothing,
                Some((_, Some(word))) => TokenValue::Text(word.to_owned()),
            },
            _ => picture_value(self.first(), token, part),
        }
    }

    /// The name that the engine is asked to write: a plain one where its own way of naming is
    /// known, else the true name, without the frame when it makes several.
    fn target_name(&self) -> String {
        let deliverable = self.first();
        let extension = deliverable.picture.format.extension();
        match self.profile.naming {
            Naming::Template(_) => format!("picture.{extension}"),
            Naming::Learned => target_name(&deliverable.pattern.split().1, self.frames),
        }
    }

    /// The target with digits for the frame, in some notation.
    fn numbered(&self, digits: &str) -> String {
        let name = self.target_name();
        let (stem, extension) = name.rsplit_once('.').unwrap_or((&name, ""));
        format!("{}/{stem}.{digits}.{extension}", self.staging)
    }

    /// The frames that a movie is assembled from.
    fn source_files(&self) -> Option<SourceFiles> {
        let movie = self.first().movie()?;
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
    pub fn output_name(
        &self,
        deliverable: &Deliverable,
    ) -> Result<Option<PathPattern>, ArgumentError> {
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

    /// Variables of the environment, in the order of their names; secrets are not among them.
    pub(super) fn env(&self) -> Result<Vec<(String, String)>, ArgumentError> {
        let mut env = std::collections::BTreeMap::new();
        for (name, template) in &self.profile.environment {
            if let Some(value) = fill(template, &|name| self.token(name))? {
                env.insert(name.clone(), value);
            }
        }
        let processes = &self.first().common.processes;
        for (name, word) in processes.env.iter() {
            env.insert(name.clone(), word.text.clone());
        }
        for secret in processes.secret.iter() {
            env.remove(&secret.text);
        }
        Ok(env.into_iter().collect())
    }

    /// Variables whose values are secrets, with those that the job sets.
    pub(super) fn secrets(&self) -> Vec<(String, Option<String>)> {
        let processes = &self.first().common.processes;
        let value = |name: &str| {
            let set = processes.env.iter().find(|(known, _)| known == name);
            set.map(|(_, word)| word.text.clone())
        };
        let secrets = processes.secret.iter();
        secrets
            .map(|secret| (secret.text.clone(), value(&secret.text)))
            .collect()
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
        self.first().pattern.split().1.path(frame)
    }
}
