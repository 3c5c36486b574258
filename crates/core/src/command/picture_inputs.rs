//! What reaches an engine and can change its picture: no targets, chunks, threads, machines, people,
//! dates or folders. Two pictures with the same inputs are the same picture; other inputs make frames
//! stale.

use std::time::Duration;

use super::arguments::arguments;
use super::fill::{ArgumentError, text_of};
use super::invocation::Invocation;
use crate::at_least_one::AtLeastOne;
use crate::deliverable::Deliverable;
use crate::frames::FrameSet;
use crate::profile::{Content, Each, Profile};
use crate::source::Sourced;
use crate::template::{Part, Template};
use crate::token::can_change_picture;

/// A profile that says only what can change a picture: every other token stands as a text that is
/// always the same.
///
/// ```
/// # use truepath_core::{command::PictureInputs, profile::read_profile, source::{SourceKind, Sources}};
/// let text = r#"
/// engine = { name = "brass", program = "brass" }
/// arguments = ["--title={shot}", ["--out", "{target}"], ["--threads", "{threads}"]]
/// "#;
/// let profile = read_profile("brass.toml", text, SourceKind::File, &mut Sources::default()).unwrap();
/// // The target always reads `{target}`, and whether threads are set makes no difference.
/// let inputs = PictureInputs::of(&profile);
/// assert!(inputs.can_see("shot"));
/// assert!(!inputs.can_see("camera"));
/// ```
#[derive(Debug, Clone)]
pub struct PictureInputs {
    profile: Profile,
}

impl PictureInputs {
    /// Those of a profile.
    #[must_use]
    pub fn of(profile: &Profile) -> Self {
        let mut profile = profile.clone();
        let neutral: Vec<String> = profile
            .maps
            .iter()
            .filter(|table| !table.by.iter().all(|by| can_change_picture(by)))
            .map(|table| format!("map.{}", table.name))
            .collect();
        let fixed = |name: &str| !can_change_picture(name) || neutral.iter().any(|one| one == name);
        profile.arguments.retain(|one| one.changes_picture);
        for argument in &mut profile.arguments {
            argument.when.retain(|(token, _)| !fixed(token));
            for template in &mut argument.put {
                *template = template.with_texts(&fixed);
            }
        }
        for (_, template) in profile.environment.iter_mut().chain(&mut profile.links) {
            *template = template.with_texts(&fixed);
        }
        if let Some(step) = &mut profile.prepare {
            for template in &mut step.arguments {
                *template = template.with_texts(&fixed);
            }
        }
        if let Some(folder) = &mut profile.folder {
            *folder = folder.with_texts(&fixed);
        }
        for file in &mut profile.files {
            match &mut file.content {
                Content::Text(_, template) => *template = template.with_texts(&fixed),
                Content::Json(json) => json.each_template(&mut |one| *one = one.with_texts(&fixed)),
            }
        }
        // What the engine cannot take is rejected where it is called, with the true values.
        profile.rejects = None;
        Self { profile }
    }

    /// Whether the value of a token reaches the engine.
    #[must_use]
    pub fn can_see(&self, token: &str) -> bool {
        let lists = [("pass", "passes"), ("view", "views")];
        let list = lists.iter().find(|(one, _)| *one == token);
        let names = self.token_names();
        let mut names = names.iter();
        names.any(|name| name == token || list.is_some_and(|(_, all)| name == all))
    }

    /// The words of its line as the profile has them, with their tokens.
    #[must_use]
    pub fn line(&self) -> Vec<String> {
        let mut line = vec![self.profile.program.clone()];
        self.each_template(&mut |template| line.push(template.to_string()));
        line
    }

    /// The values of all tokens, settings and variables that reach the engine for a deliverable, by name:
    /// what people call what has changed.
    #[must_use]
    pub fn values(&self, deliverable: &Deliverable) -> Vec<(String, String)> {
        let common = &deliverable.common;
        let first = FrameSet::from_frames(common.frames.shot.first());
        let alone = AtLeastOne::one(deliverable);
        let invocation = Invocation::planned(&self.profile, &alone, &first);
        let mut names: Vec<String> = self.token_names();
        let by_each = |each: Each| {
            self.profile
                .arguments
                .iter()
                .any(|one| one.each == Some(each))
        };
        if by_each(Each::Settings) || names.iter().any(|name| name == "settings") {
            let settings = deliverable.settings.iter();
            names.extend(settings.map(|(name, _)| format!("settings.{name}")));
        }
        for (each, name) in [(Each::Passes, "pass"), (Each::Views, "view")] {
            if by_each(each) {
                names.push(name.to_owned());
            }
        }
        names.sort();
        names.dedup();
        let mut values: Vec<(String, String)> = Vec::new();
        for name in names {
            if let Some(value) = text_of(&invocation.token(&name)) {
                values.push((name, value));
            }
        }
        let picture = &deliverable.picture;
        let samples = picture.stop_samples.as_ref();
        values.extend(samples.map(|one| ("stop-at.samples".to_owned(), one.value.to_string())));
        let time = picture.stop_time.as_ref();
        let seconds = |time: &Sourced<Duration>| format!("{} s", time.value.as_secs_f64());
        values.extend(time.map(|time| ("stop-at.time".to_owned(), seconds(time))));
        let is_secret = |name: &str| {
            let mut secrets = common.processes.secret.iter();
            secrets.any(|secret| secret.text == name)
        };
        let variables = common.processes.env.iter();
        let variables = variables.filter(|(name, _)| !is_secret(name));
        values.extend(variables.map(|(name, word)| (format!("env.{name}"), word.text.clone())));
        values
    }

    /// The names of all tokens that reach the engine; of its own words those that choose them.
    fn token_names(&self) -> Vec<String> {
        let mut names = Vec::new();
        self.each_template(&mut |template| {
            for (token, _) in template.tokens() {
                match token.name.strip_prefix("map.") {
                    Some(word) => {
                        let tables = self.profile.maps.iter().filter(|table| table.name == word);
                        names.extend(tables.flat_map(|table| table.by.iter().cloned()));
                    }
                    None => names.push(token.name.clone()),
                }
            }
        });
        let conditions = self.profile.arguments.iter().flat_map(|one| &one.when);
        names.extend(conditions.map(|(name, _)| name.clone()));
        names
    }

    /// Goes through all templates.
    fn each_template(&self, act: &mut dyn FnMut(&Template)) {
        let profile = &self.profile;
        profile
            .arguments
            .iter()
            .flat_map(|one| &one.put)
            .for_each(&mut *act);
        let named = profile.environment.iter().chain(&profile.links);
        named.for_each(|(_, template)| act(template));
        let prepare = profile.prepare.iter().flat_map(|step| &step.arguments);
        prepare.chain(&profile.folder).for_each(&mut *act);
        for file in &profile.files {
            match &file.content {
                Content::Text(_, template) => act(template),
                Content::Json(json) => json.clone().each_template(&mut |one| act(one)),
            }
        }
    }

    /// What reaches the engine for the pictures of a deliverable, in order, each with what it is.
    /// Scenes and other files count by what they hold, which is not known here.
    ///
    /// # Errors
    /// When the profile asks for something that is not there.
    pub fn of_deliverable(
        &self,
        deliverable: &Deliverable,
    ) -> Result<Vec<(&'static str, String)>, ArgumentError> {
        let common = &deliverable.common;
        let first = FrameSet::from_frames(common.frames.shot.first());
        let alone = AtLeastOne::one(deliverable);
        let invocation = Invocation::planned(&self.profile, &alone, &first);
        let mut inputs = vec![
            ("engine", self.profile.name.clone()),
            // An engine may take it from the extension of its target.
            ("format", deliverable.picture.format.name.to_owned()),
        ];
        let arguments = arguments(&invocation)?;
        inputs.extend(arguments.into_iter().map(|one| ("argument", one)));
        for (name, value) in invocation.env()? {
            inputs.push(("variable", format!("{name}={value}")));
        }
        for file in &self.profile.files {
            inputs.push((
                "file",
                format!("{}\n{}", file.name, file.text(&invocation)?),
            ));
        }
        for (name, target) in invocation.links_of_profile()? {
            inputs.push(("link", format!("{name}\n{target}")));
        }
        if let Some((program, words)) = invocation.preparation()? {
            inputs.push(("prepare", program));
            inputs.extend(words.into_iter().map(|one| ("prepare", one)));
        }
        if let Some(folder) = invocation.folder()? {
            inputs.push(("folder", folder));
        }
        Ok(inputs)
    }
}

impl Template {
    /// The template with some tokens as the texts that name them.
    fn with_texts(&self, fixed: &dyn Fn(&str) -> bool) -> Self {
        let parts = self.parts().iter().map(|part| match part {
            Part::Token(token) if fixed(&token.name) => Part::Text(format!("{{{}}}", token.name)),
            Part::Optional(inner) => Part::Optional(inner.with_texts(fixed)),
            other => other.clone(),
        });
        Self::of_parts(parts.collect())
    }
}
