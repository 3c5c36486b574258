//! Makes one deliverable, and finds its scene and its engine; what stands in the way is told.

use std::sync::Arc;

use super::expand::{At, Expander, Walk};
use super::movie::OutputKind;
use super::problem::{Problem, ProblemKind};
use super::resolve::{picture, template};
use super::root::{Start, absolute, root_and_pattern};
use super::values::token;
use super::{Common, Deliverable, Made, PathTemplate, Picture, Plane, Scene};
use crate::engine::Profile;
use crate::job::{Key, NamedTable, Value, Word};
use crate::layers::Chain;
use crate::nearest::advice;
use crate::source::{Layer, Place, Sourced};
use crate::template::{ExpandError, TokenValue};

impl<'j> Expander<'j> {
    /// Makes the deliverable of a file: its name and its planes.
    pub(super) fn deliverable(
        &mut self,
        walk: Walk<'j, '_>,
        common: &Arc<Common>,
        (pass, planes): (Option<&Word>, Arc<[Plane]>),
        chain: &Chain<'j>,
    ) -> Option<Deliverable> {
        let at = walk.at;
        let Some(setting) = chain.get(Key::Path) else {
            let place = at.output.name_place.clone();
            self.problem(ProblemKind::Unset(Key::Path), place, 1);
            return None;
        };
        let path = match self.templates.get(&setting.value.place) {
            Some(known) => Arc::clone(known),
            None => {
                let path = template(setting).map(Arc::new)?;
                self.templates.insert(path.place.clone(), Arc::clone(&path));
                path
            }
        };
        let settings = chain.merged(Key::Settings);
        let (made, picture) = match self.kind(at.output) {
            OutputKind::Movie => match self.movie(walk, chain, common, &path) {
                Some((movie, picture)) => (Made::Movie(Arc::new(movie)), Some(picture)),
                None => return None,
            },
            OutputKind::Still => (Made::Still, picture(chain, &path.template, None)),
            OutputKind::Sequence => (Made::Sequence, picture(chain, &path.template, None)),
        };
        if let Some(picture) = &picture
            && !self.is_whole(chain, picture)
        {
            return None;
        }
        let movie = match &made {
            Made::Movie(movie) => Some(&**movie),
            Made::Sequence | Made::Still => None,
        };
        let value = |name: &str| token(name, common, pass, picture.as_ref(), movie, &settings);
        let pattern = match crate::template::expand(&path.template, &value) {
            Ok(pattern) => pattern,
            Err(errors) => {
                for error in errors {
                    self.token_problem(error, &path, common);
                }
                return None;
            }
        };
        let Some(picture) = picture.clone() else {
            self.problem(ProblemKind::NoFormat, path.place.clone(), 1);
            return None;
        };
        let subfolder = chain.text(Key::Subfolder).map(|subfolder| subfolder.value);
        let start = Start {
            job_folder: &self.around.job_folder,
            subfolder: subfolder.as_deref(),
        };
        match root_and_pattern(&path.template, pattern, &value, start) {
            Ok((root, pattern)) => Some(Deliverable {
                made: made.clone(),
                common: Arc::clone(common),
                pass: pass.cloned(),
                planes,
                picture,
                settings,
                template: path,
                pattern,
                root,
            }),
            Err(reason) => {
                self.problem(ProblemKind::Outside { reason }, path.place.clone(), 1);
                None
            }
        }
    }

    /// Whether scale and crop have a size that they are a part of.
    fn is_whole(&mut self, chain: &Chain<'j>, picture: &Picture) -> bool {
        let place = |key| chain.get(key).map(|setting| setting.value.place.clone());
        if let (Some(place), None) = (place(Key::Scale), &picture.size) {
            self.problem(ProblemKind::ScaleOfNothing, place, 1);
            return false;
        }
        let (Some(crop), Some(place)) = (&picture.crop, place(Key::Crop)) else {
            return true;
        };
        let reason = match &picture.size {
            Some(size) if crop.value.is_inside(size.value) => return true,
            Some(size) => format!("it is not inside the picture of {}", size.value),
            None => "the size of the whole picture is not said".to_owned(),
        };
        self.problem(ProblemKind::CropOutside { reason }, place, 1);
        false
    }

    /// A file that the job names by a template: its scene, or its sound.
    pub(super) fn scene(
        &mut self,
        path: &PathTemplate,
        common: &Common,
        count: u64,
    ) -> Option<Scene> {
        let value = |name: &str| match name {
            "frame" => TokenValue::Nothing,
            _ => token(name, common, None, None, None, &[]),
        };
        match crate::template::expand(&path.template, &value) {
            Ok(pattern) => Some(Scene {
                path: absolute(&self.around.job_folder, &pattern.path(0)),
                place: path.place.clone(),
            }),
            Err(errors) => {
                for error in errors {
                    self.token_problem(error, path, common);
                    if let Some(problem) = self.expansion.problems.last_mut() {
                        problem.deliverables = problem.deliverables.max(count);
                    }
                }
                None
            }
        }
    }

    pub(super) fn engine(
        &mut self,
        chain: &Chain<'j>,
        at: At<'j>,
        count: u64,
    ) -> Option<Arc<Profile>> {
        let run = chain.get(Key::Run);
        let engine = chain.get(Key::Engine);
        let layer = |setting: &crate::job::Setting| setting.value.layer;
        if let Some(run) = run
            && engine.is_none_or(|engine| layer(engine) <= layer(run))
            && let Value::Run(line) = &run.value.value
        {
            let place = &run.value.place;
            let mut profile = Profile::of_run(line, place);
            if let Some(in_order) = chain.truth(Key::InOrder) {
                profile.in_order = in_order;
            }
            if let Some(codes) = chain.value(Key::SuccessCodes, |value| match value {
                Value::Codes(codes) => Some(codes.clone()),
                _ => None,
            }) {
                profile.success_codes = codes.value;
            }
            let known = self.runs.iter().find(|known| {
                known.place == profile.place
                    && known.in_order == profile.in_order
                    && known.success_codes == profile.success_codes
            });
            if let Some(known) = known {
                return Some(Arc::clone(known));
            }
            let profile = Arc::new(profile);
            self.runs.push(Arc::clone(&profile));
            return Some(profile);
        }
        let Some(name) = chain.text(Key::Engine) else {
            if self.is_source_of_movie(at) {
                return Some(Arc::new(Profile::absent()));
            }
            self.problem(
                ProblemKind::Unset(Key::Engine),
                at.shot.name_place.clone(),
                count,
            );
            return None;
        };
        self.profile(name, count)
    }

    /// Whether a movie is put together from an output: its pictures may be there already.
    fn is_source_of_movie(&self, at: At<'j>) -> bool {
        self.job.outputs.iter().any(|output| {
            let from = output.table.get(Key::MovieFrom).map(|one| &one.value.value);
            let name = match from {
                Some(Value::Text(name)) => Some(name.as_str()),
                Some(Value::Words(words)) => words.first().map(|word| word.text.as_str()),
                _ => None,
            };
            name == Some(at.output.name.as_str())
        })
    }

    /// The program that puts a movie of an output together.
    pub(super) fn encoder(
        &mut self,
        chain: &Chain<'j>,
        output: &NamedTable,
    ) -> Option<Arc<Profile>> {
        let usual = || Sourced {
            value: Profile::USUAL_ENCODER.to_owned(),
            layer: Layer::BuiltIn,
            place: output.name_place.clone(),
        };
        self.profile(chain.text(Key::MovieEncoder).unwrap_or_else(usual), 1)
    }

    /// The profile of a name.
    fn profile(&mut self, name: Sourced<String>, count: u64) -> Option<Arc<Profile>> {
        let profiles = &self.around.profiles;
        if let Some(profile) = profiles.iter().find(|profile| profile.name == name.value) {
            return Some(Arc::clone(profile));
        }
        let names: Vec<&str> = profiles
            .iter()
            .map(|profile| profile.name.as_str())
            .collect();
        let kind = ProblemKind::UnknownEngine {
            advice: advice(&name.value, &names),
            name: name.value,
        };
        self.problem(kind, name.place, count);
        None
    }

    fn token_problem(&mut self, error: ExpandError, path: &PathTemplate, common: &Common) {
        let span = match &error {
            ExpandError::Unknown { span, .. }
            | ExpandError::NoValue { span, .. }
            | ExpandError::Refused { span, .. } => span.clone(),
        };
        let job = self.job;
        let elsewhere = |name: &str| {
            let place = name.strip_prefix("place.")?;
            job.places.iter().find(|known| known.name == place)
        };
        if let ExpandError::Unknown { name, .. } = &error
            && let Some(known) = elsewhere(name)
        {
            let kind = ProblemKind::PlaceElsewhere {
                name: known.name.clone(),
                system: self.around.system.word().to_owned(),
            };
            self.problem(kind, known.name_place.clone(), 1);
            return;
        }
        let values = &common.project_values;
        let known = crate::token::TOKENS
            .iter()
            .map(|facts| facts.name.to_owned())
            .filter(|name| !name.contains("NAME"))
            .chain(values.tokens.iter().map(|(name, _)| name.clone()))
            .chain(
                values
                    .places
                    .iter()
                    .map(|(name, _)| format!("place.{name}")),
            )
            .collect();
        let place = path.place.part(path.length, span);
        self.problem(ProblemKind::Token { error, known }, place, 1);
    }

    pub(super) fn problem(&mut self, kind: ProblemKind, place: Place, deliverables: u64) {
        let problem = Problem {
            kind,
            place,
            deliverables,
        };
        problem.among(&mut self.expansion.problems);
    }
}
