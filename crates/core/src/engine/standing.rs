//! What every process of the same deliverables is told alike, worked out once for all of them.

use super::arguments::{ArgumentError, emitted, refuse};
use super::call::Call;
use super::{Argument, Profile};
use crate::template::Template;

/// What does not depend on the frames or the staging folder of a process.
#[derive(Debug, Clone, Default)]
pub struct Standing {
    /// What each entry of the profile's arguments comes to; none where it has to be asked again.
    pub(super) arguments: Vec<Option<Vec<String>>>,
    /// The links, where they stand.
    pub(super) links: Option<Vec<(String, String)>>,
    /// The environment, where it stands.
    pub(super) env: Option<Vec<(String, String)>>,
    /// Whether the files have the same names in every staging folder.
    pub output_name: bool,
}

impl Standing {
    /// What stands for all processes of a call's deliverables.
    ///
    /// # Errors
    /// When the profile asks for something that is not there, or that the engine cannot take.
    pub fn of(call: &Call<'_>) -> Result<Self, ArgumentError> {
        let profile = call.profile;
        let mut arguments = Vec::with_capacity(profile.arguments.len());
        for argument in &profile.arguments {
            arguments.push(if is_moving(profile, argument) {
                None
            } else {
                let words = emitted(call, argument)?;
                refuse(profile, &words)?;
                Some(words)
            });
        }
        let stand = |mut templates: std::slice::Iter<'_, (String, Template)>| {
            templates.all(|(_, template)| !moves(template))
        };
        let is_movie = call.deliverables[0].movie().is_some();
        let names = match &profile.naming {
            super::Naming::Template(template) => Some(template),
            super::Naming::Learned => profile.writes.as_ref(),
        };
        Ok(Self {
            arguments,
            links: match !is_movie && stand(profile.links.iter()) {
                true => Some(call.links()?),
                false => None,
            },
            env: match stand(profile.environment.iter()) {
                true => Some(call.env()?),
                false => None,
            },
            output_name: names.is_none_or(|template| {
                let mut tokens = template.tokens().into_iter();
                tokens.all(|(token, _)| token.name == "frame" || !is_moving_token(&token.name))
            }),
        })
    }
}

/// Whether a token has another value in another process of the same deliverables.
fn is_moving_token(name: &str) -> bool {
    matches!(name, "frame" | "first" | "last" | "step" | "prepared")
        || ["frames", "target", "source."]
            .iter()
            .any(|start| name.starts_with(start))
}

fn moves(template: &Template) -> bool {
    let mut tokens = template.tokens().into_iter();
    tokens.any(|(token, _)| is_moving_token(&token.name))
}

/// Whether an argument says something else in another process of the same deliverables.
fn is_moving(profile: &Profile, argument: &Argument) -> bool {
    let in_words = profile
        .maps
        .iter()
        .any(|table| table.by.iter().any(|name| is_moving_token(name)));
    in_words
        || argument.when.iter().any(|(name, _)| is_moving_token(name))
        || argument.put.iter().any(moves)
}
