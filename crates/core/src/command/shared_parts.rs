//! What every process of the same deliverables is started with alike, worked out once for all of them.

use super::arguments::{entry_arguments, reject};
use super::fill::ArgumentError;
use super::invocation::Invocation;
use crate::profile::{Argument, Naming, Profile};
use crate::template::Template;
use crate::token::{Token, varies_by_process};

/// What does not depend on the frames or the staging folder of a process.
#[derive(Debug, Clone, Default)]
pub struct SharedParts {
    /// The arguments of each entry of the profile; none where they vary.
    pub(super) arguments: Vec<Option<Vec<String>>>,
    /// The links, where they do not vary.
    pub(super) links: Option<Vec<(String, String)>>,
    /// The environment, where it does not vary.
    pub(super) env: Option<Vec<(String, String)>>,
    /// Whether the files have the same names in every staging folder.
    pub output_names: bool,
}

impl SharedParts {
    /// What all processes of an invocation's deliverables share.
    ///
    /// # Errors
    /// When the profile asks for something that is not there, or that the engine cannot take.
    pub fn of(invocation: &Invocation<'_>) -> Result<Self, ArgumentError> {
        let profile = invocation.profile;
        let mut arguments = Vec::with_capacity(profile.arguments.len());
        for argument in &profile.arguments {
            arguments.push(if varies(profile, argument) {
                None
            } else {
                let words = entry_arguments(invocation, argument)?;
                reject(profile, &words)?;
                Some(words)
            });
        }
        let is_shared =
            |named: &[(String, Template)]| named.iter().all(|(_, one)| !has_varying_token(one));
        let is_movie = invocation.first().movie().is_some();
        let names = match &profile.naming {
            Naming::Template(template) => Some(template),
            Naming::Learned => profile.writes.as_ref(),
        };
        let links = (!is_movie && is_shared(&profile.links)).then(|| invocation.links());
        let env = is_shared(&profile.environment).then(|| invocation.env());
        Ok(Self {
            arguments,
            links: links.transpose()?,
            env: env.transpose()?,
            output_names: names.is_none_or(|template| {
                template
                    .tokens()
                    .into_iter()
                    .map(|(token, _)| token.name.as_str())
                    .all(|name| name == Token::Frame.facts().name || !varies_by_process(name))
            }),
        })
    }
}

fn has_varying_token(template: &Template) -> bool {
    let mut tokens = template.tokens().into_iter();
    tokens.any(|(token, _)| varies_by_process(&token.name))
}

/// Whether an entry gives other arguments in another process of the same deliverables.
fn varies(profile: &Profile, argument: &Argument) -> bool {
    let in_maps = profile
        .maps
        .iter()
        .any(|map| map.by.iter().any(|name| varies_by_process(name)));
    in_maps
        || argument
            .when
            .iter()
            .any(|(name, _)| varies_by_process(name))
        || argument.put.iter().any(has_varying_token)
}
