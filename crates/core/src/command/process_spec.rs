//! All that one process of an engine needs: what is laid into its folder, and how it is started.

use super::arguments::arguments_beside;
use super::fill::{ArgumentError, fill};
use super::invocation::Invocation;
use super::shared_parts::SharedParts;

/// All that one process needs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ProcessSpec {
    /// Links to lay into the staging folder: name and absolute target.
    pub links: Vec<(String, String)>,
    /// Files to write into it: name and text.
    pub files: Vec<(String, String)>,
    /// The folder that it works in; none for the staging folder.
    pub folder: Option<String>,
    /// Variables of its environment, those of the job over those of the profile.
    pub env: Vec<(String, String)>,
    /// Variables of it whose values are secrets, with those that the job sets; the others are in the environment of the run.
    pub secrets: Vec<(String, Option<String>)>,
    /// The program as the profile names it.
    pub program: String,
    /// Its arguments.
    pub arguments: Vec<String>,
}

impl Invocation<'_> {
    /// All that the process needs.
    ///
    /// # Errors
    /// When the profile asks for something that is not there, or that the engine cannot take.
    pub fn spec(&self) -> Result<ProcessSpec, ArgumentError> {
        self.spec_beside(&SharedParts::of(self)?)
    }

    /// All that the process needs, where some of it is shared with others.
    ///
    /// # Errors
    /// When the profile asks for something that is not there, or that the engine cannot take.
    pub(crate) fn spec_beside(&self, shared: &SharedParts) -> Result<ProcessSpec, ArgumentError> {
        let profile = self.profile;
        let mut files = Vec::new();
        for file in &profile.files {
            files.push((file.name.clone(), file.text(self)?));
        }
        Ok(ProcessSpec {
            links: match &shared.links {
                Some(links) => links.clone(),
                None => self.links()?,
            },
            files,
            folder: self.folder()?,
            env: match &shared.env {
                Some(env) => env.clone(),
                None => self.env()?,
            },
            secrets: self.secrets(),
            program: profile.program.clone(),
            arguments: arguments_beside(self, &shared.arguments)?,
        })
    }

    /// The preparing step: program, arguments, and the name of what it makes.
    ///
    /// # Errors
    /// When the profile asks for something that is not there.
    pub fn preparation(&self) -> Result<Option<(String, Vec<String>)>, ArgumentError> {
        let Some(step) = &self.profile.prepare else {
            return Ok(None);
        };
        let mut words = Vec::new();
        for template in &step.arguments {
            words.extend(fill(template, &|name| self.token(name))?);
        }
        let program = step.program.clone();
        Ok(Some((
            program.unwrap_or(self.profile.program.clone()),
            words,
        )))
    }

    /// The name of what the preparing step makes.
    ///
    /// # Errors
    /// When the profile asks for something that is not there.
    pub fn prepared_name(&self) -> Result<Option<String>, ArgumentError> {
        match &self.profile.prepare {
            Some(step) => Ok(fill(&step.makes, &|name| self.token(name))?),
            None => Ok(None),
        }
    }
}
