//! What all deliverables of a job are resolved with, and the files that templates name.

use std::sync::Arc;

use super::root::absolute;
use super::values::KnownValues;
use super::{
    Common, Expansion, PathTemplate, ProblemKind, ProjectValues, Scene, Selection, Surroundings,
};
use crate::job::Job;
use crate::source::Place;
use crate::template::{ExpandError, TokenValue};
use crate::token::Token;

/// What all deliverables of a job are resolved with.
#[derive(Clone)]
pub(super) struct Context<'j> {
    pub(super) job: &'j Job,
    pub(super) around: &'j Surroundings,
    pub(super) selection: &'j Selection,
    pub(super) project_values: Arc<ProjectValues>,
}

impl Context<'_> {
    /// A file that the job names by a template: its scene, or its sound.
    pub(super) fn file(
        &self,
        path: &PathTemplate,
        common: &Common,
        count: u64,
        expansion: &mut Expansion,
    ) -> Option<Scene> {
        let known = KnownValues::of(common);
        let value = |name: &str| match known.token(name) {
            TokenValue::Frame => TokenValue::Nothing,
            other => other,
        };
        match crate::template::expand(&path.template, &value) {
            Ok(pattern) => Some(Scene {
                path: absolute(&self.around.job_folder, &pattern.path(0)),
                place: path.place.clone(),
            }),
            Err(errors) => {
                for error in errors {
                    let (kind, place) = self.token_problem(error, path);
                    expansion.report(kind, place, count);
                }
                None
            }
        }
    }

    /// What is wrong with a token of a template, and where.
    pub(super) fn token_problem(
        &self,
        error: ExpandError,
        path: &PathTemplate,
    ) -> (ProblemKind, Place) {
        let place = path.place.part(path.length, error.span());
        if let ExpandError::Unknown { name, .. } = &error
            && let Some((Token::Place, named)) = Token::read(name)
            && let Some(known) = self.job.places.iter().find(|known| known.name == named)
        {
            let kind = ProblemKind::PlaceElsewhere {
                name: known.name.clone(),
                system: self.around.system.word().to_owned(),
            };
            return (kind, known.name_place.clone());
        }
        let values = &self.project_values;
        let places = values.places.iter();
        let known = Token::of_templates()
            .map(|(name, _)| name.to_owned())
            .filter(|name| !name.contains("NAME"))
            .chain(values.tokens.iter().map(|(name, _)| name.clone()))
            .chain(places.map(|(name, _)| format!("place.{name}")))
            .collect();
        (ProblemKind::Token { error, known }, place)
    }
}
