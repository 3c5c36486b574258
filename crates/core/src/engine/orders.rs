//! All that one process of an engine needs: what is laid into its folder, and how it is started.

use super::Profile;
use super::arguments::{ArgumentError, arguments_beside, fill};
use super::call::Call;
use super::standing::Standing;

/// All that one process needs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Orders {
    /// Links to lay into the staging folder: name and absolute target.
    pub links: Vec<(String, String)>,
    /// Files to write into it: name and text.
    pub files: Vec<(String, String)>,
    /// The folder that it works in; none for the staging folder.
    pub folder: Option<String>,
    /// Variables of its environment, those of the job over those of the profile.
    pub env: Vec<(String, String)>,
    /// The program as the profile names it.
    pub program: String,
    /// Its arguments.
    pub arguments: Vec<String>,
}

impl Call<'_> {
    /// All that the process needs.
    ///
    /// # Errors
    /// When the profile asks for something that is not there, or that the engine cannot take.
    pub fn orders(&self) -> Result<Orders, ArgumentError> {
        self.orders_beside(&Standing::of(self)?)
    }

    /// All that the process needs, of which some is known.
    ///
    /// # Errors
    /// When the profile asks for something that is not there, or that the engine cannot take.
    pub fn orders_beside(&self, standing: &Standing) -> Result<Orders, ArgumentError> {
        let profile = self.profile;
        let mut files = Vec::new();
        for file in &profile.files {
            files.push((file.name.clone(), file.text(self)?));
        }
        Ok(Orders {
            links: match &standing.links {
                Some(links) => links.clone(),
                None => self.links()?,
            },
            files,
            folder: self.folder()?,
            env: match &standing.env {
                Some(env) => env.clone(),
                None => self.env()?,
            },
            program: profile.program.clone(),
            arguments: arguments_beside(self, standing)?,
        })
    }

    /// Variables of the environment, in the order of their names.
    pub(super) fn env(&self) -> Result<Vec<(String, String)>, ArgumentError> {
        let mut env = std::collections::BTreeMap::new();
        for (name, template) in &self.profile.environment {
            if let Some(value) = fill(template, &|name| self.token(name))? {
                env.insert(name.clone(), value);
            }
        }
        for (name, word) in self.deliverables[0].common.env.iter() {
            env.insert(name.clone(), word.text.clone());
        }
        Ok(env.into_iter().collect())
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

impl Profile {
    /// Whether the program is a part of True Path itself.
    #[must_use]
    pub fn is_this_program(&self) -> bool {
        self.program == Self::THIS_PROGRAM
    }
}
