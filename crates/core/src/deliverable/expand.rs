//! From a job to its deliverables.

use std::collections::HashMap;
use std::sync::Arc;

use jiff::civil::DateTime;

use super::problem::{Problem, ProblemKind};
use super::resolve::{listed, name, picture, scaled, template, wanted};
use super::root::{Start, absolute, root_and_pattern};
use super::values::token;
use super::{Common, Deliverable, PathTemplate, Person, ProjectValues, Scene, Selection};
use crate::engine::Profile;
use crate::job::{Job, Key, NamedTable, Value, Word};
use crate::layers::{Chain, Scope};
use crate::nearest::{advice, nearest};
use crate::source::{Place, Sourced};
use crate::template::{ExpandError, TokenValue};

/// What a job must be told of the world around it.
#[derive(Debug, Clone)]
pub struct Surroundings {
    /// The absolute folder of the job file, with `/` between components.
    pub job_folder: String,
    /// The system that paths are made for: `linux`, `windows` or `macos`.
    pub system: String,
    /// Who makes it, and on which machine.
    pub person: Person,
    /// When the run began, in local time.
    pub instant: Option<DateTime>,
    /// The profiles that are known.
    pub profiles: Vec<Arc<Profile>>,
}

/// What a job comes to.
#[derive(Debug, Clone, Default)]
pub struct Expansion {
    /// What is to be made, in the order of the job.
    pub deliverables: Vec<Deliverable>,
    /// What could not be expanded; no mistake is told twice.
    pub problems: Vec<Problem>,
}

/// Expands a job.
#[must_use]
pub fn expand(job: &Job, around: &Surroundings, selection: &Selection) -> Expansion {
    let mut places: Vec<(String, String)> = job
        .places
        .iter()
        .filter_map(|place| {
            let folder = place.folder(&around.system)?;
            Some((
                place.name.clone(),
                absolute(&around.job_folder, &folder.value),
            ))
        })
        .collect();
    places.push(("job".to_owned(), around.job_folder.clone()));
    let project_values = Arc::new(ProjectValues {
        tokens: job
            .tokens
            .iter()
            .map(|(name, value)| (name.clone(), value.value.clone()))
            .collect(),
        places,
        person: around.person.clone(),
        instant: around.instant,
    });
    let mut expander = Expander {
        job,
        around,
        selection,
        project_values,
        expansion: Expansion::default(),
        runs: Vec::new(),
        templates: HashMap::new(),
    };
    for (shot_index, shot) in job.shots.iter().enumerate() {
        if !Selection::takes(&selection.shots, Some(&shot.name)) {
            continue;
        }
        for (output_index, output) in job.outputs.iter().enumerate() {
            if Selection::takes(&selection.outputs, Some(&output.name)) {
                expander.output(At {
                    shot_index,
                    shot,
                    output_index,
                    output,
                });
            }
        }
    }
    let mut expansion = expander.expansion;
    // A stable sort: of the same priority the order of the file holds.
    expansion
        .deliverables
        .sort_by_key(|one| std::cmp::Reverse(one.common.priority));
    expansion
}

/// An output of a shot.
#[derive(Clone, Copy)]
struct At<'j> {
    shot_index: usize,
    shot: &'j NamedTable,
    output_index: usize,
    output: &'j NamedTable,
}

struct Expander<'j> {
    job: &'j Job,
    around: &'j Surroundings,
    selection: &'j Selection,
    project_values: Arc<ProjectValues>,
    expansion: Expansion,
    /// Profiles made of `run` lines, by the line's place.
    runs: Vec<(Place, Arc<Profile>)>,
    /// Templates that many deliverables share, by their places.
    templates: HashMap<Place, Arc<PathTemplate>>,
}

impl<'j> Expander<'j> {
    /// Walks through variants, views and cameras of an output of a shot.
    fn output(&mut self, at: At<'j>) {
        let base = self.chain(at, Scope::default());
        for variant in listed(&base, Key::Variants) {
            let variant_name = name(variant);
            if !Selection::takes(&self.selection.variants, variant_name) {
                continue;
            }
            if !self.declared("variant", &self.job.variants, variant) {
                continue;
            }
            let scope = Scope {
                variant: variant_name,
                ..Scope::default()
            };
            for view in listed(&self.chain(at, scope), Key::Views) {
                if !Selection::takes(&self.selection.views, name(view))
                    || !self.declared("view", &self.job.views, view)
                {
                    continue;
                }
                let scope = Scope {
                    view: name(view),
                    ..scope
                };
                let preset = self.chain(at, scope).text(Key::Preset);
                if let Some(preset) = &preset {
                    let word = Word {
                        text: preset.value.clone(),
                        place: preset.place.clone(),
                    };
                    if !self.declared("preset", &self.job.presets, Some(&word)) {
                        continue;
                    }
                }
                let scope = Scope {
                    preset: preset.as_ref().map(|preset| preset.value.as_str()),
                    ..scope
                };
                self.cameras(at, scope, variant, view, preset.as_ref());
            }
        }
    }

    /// Walks through cameras and passes.
    fn cameras(
        &mut self,
        at: At<'j>,
        scope: Scope<'_>,
        variant: Option<&Word>,
        view: Option<&Word>,
        preset: Option<&Sourced<String>>,
    ) {
        let chain = self.chain(at, scope);
        if chain.truth(Key::Enabled) == Some(false) {
            return;
        }
        let passes = listed(&chain, Key::Passes);
        let cameras = listed(&chain, Key::Camera);
        let count = (passes.len() * cameras.len()) as u64;
        let Some(common) = self.common(at, &chain, count) else {
            return;
        };
        let mut common = Common {
            variant: variant.cloned(),
            view: view.cloned(),
            preset: preset.cloned(),
            ..common
        };
        if let Some(path) = chain.get(Key::Scene).and_then(template) {
            let Some(scene) = self.scene(&path, &common, count) else {
                return;
            };
            common.scene = Some(scene);
        }
        for camera in &cameras {
            if !Selection::takes(&self.selection.cameras, name(*camera)) {
                continue;
            }
            common.camera = camera.cloned();
            let common = Arc::new(common.clone());
            for pass in &passes {
                if !Selection::takes(&self.selection.passes, name(*pass)) {
                    continue;
                }
                let scope = Scope {
                    pass: name(*pass),
                    ..scope
                };
                let chain = self.chain(at, scope);
                if chain.truth(Key::Enabled) != Some(false) {
                    self.deliverable(&common, *pass, &chain, at.output);
                }
            }
        }
    }

    /// What the deliverables of a chain share; variant, view, preset, scene and camera are still
    /// to come.
    fn common(&mut self, at: At<'j>, chain: &Chain<'j>, count: u64) -> Option<Common> {
        let engine = self.engine(chain, at.shot, count)?;
        let frames = chain.value(Key::Frames, |value| match value {
            Value::Frames(frames) => Some(frames.clone()),
            _ => None,
        });
        let Some(frames) = frames else {
            let place = at.shot.name_place.clone();
            self.problem(ProblemKind::Unset(Key::Frames), place, count);
            return None;
        };
        let asked_for = wanted(chain, &frames.value);
        let chosen = match &self.selection.frames {
            None => asked_for,
            // Both sets were read from short texts, so what they share is never too intricate.
            Some(asked) => asked_for.intersection(asked).unwrap_or_default(),
        };
        Some(Common {
            shot_index: at.shot_index,
            output_index: at.output_index,
            shot: at.shot.name.clone(),
            output: at.output.name.clone(),
            project: chain.text(Key::Name).map(|name| name.value),
            camera: None,
            variant: None,
            view: None,
            preset: None,
            priority: chain.number(Key::Priority).unwrap_or(0),
            env: chain.merged(Key::Env),
            engine,
            scene: None,
            frames,
            chosen,
            version: chain.number(Key::Version),
            fps: chain.text(Key::Fps).map(|fps| fps.value),
            threads: chain.number(Key::Threads),
            frame_limit: chain
                .value(Key::FrameLimit, |value| match value {
                    Value::Duration(limit) => Some(*limit),
                    _ => None,
                })
                .map(|limit| limit.value),
            project_values: Arc::clone(&self.project_values),
        })
    }

    fn chain(&self, at: At<'j>, scope: Scope<'_>) -> Chain<'j> {
        Chain::of(self.job, at.shot, at.output, scope)
    }

    /// Whether a name is that of a table; one that is not is a slip of the hand.
    fn declared(&mut self, kind: &'static str, tables: &[NamedTable], word: Option<&Word>) -> bool {
        let Some(word) = word else { return true };
        if tables.iter().any(|table| table.name == word.text) {
            return true;
        }
        let names: Vec<&str> = tables.iter().map(|table| table.name.as_str()).collect();
        let advice = match nearest(&word.text, names.iter().copied()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("declare it: [{kind}.{}]", word.text),
        };
        let problem = ProblemKind::Undeclared {
            kind,
            name: word.text.clone(),
            advice,
        };
        self.problem(problem, word.place.clone(), 1);
        false
    }

    fn deliverable(
        &mut self,
        common: &Arc<Common>,
        pass: Option<&Word>,
        chain: &Chain<'j>,
        output: &NamedTable,
    ) {
        let Some(setting) = chain.get(Key::Path) else {
            self.problem(ProblemKind::Unset(Key::Path), output.name_place.clone(), 1);
            return;
        };
        let path = match self.templates.get(&setting.value.place) {
            Some(known) => Arc::clone(known),
            None => {
                let Some(path) = template(setting).map(Arc::new) else {
                    return;
                };
                self.templates.insert(path.place.clone(), Arc::clone(&path));
                path
            }
        };
        let settings = chain.merged(Key::Settings);
        let mut picture = picture(chain, &path.template);
        if let Some(scale) = chain.value(Key::Scale, |value| match value {
            Value::Scale(part, whole) => Some((*part, *whole)),
            _ => None,
        }) {
            match picture.as_mut().map(|picture| &mut picture.size) {
                Some(Some(size)) => size.value = scaled(size.value, scale.value),
                Some(None) => {
                    self.problem(ProblemKind::ScaleOfNothing, scale.place.clone(), 1);
                    return;
                }
                None => {}
            }
        }
        let value = |name: &str| token(name, common, pass, picture.as_ref(), &settings);
        let pattern = match crate::template::expand(&path.template, &value) {
            Ok(pattern) => pattern,
            Err(errors) => {
                for error in errors {
                    self.token_problem(error, &path, common);
                }
                return;
            }
        };
        let Some(picture) = picture.clone() else {
            self.problem(ProblemKind::NoFormat, path.place.clone(), 1);
            return;
        };
        let under = chain.text(Key::Under).map(|under| under.value);
        let start = Start {
            job_folder: &self.around.job_folder,
            under: under.as_deref(),
        };
        match root_and_pattern(&path.template, pattern, &value, start) {
            Ok((root, pattern)) => self.expansion.deliverables.push(Deliverable {
                common: Arc::clone(common),
                pass: pass.cloned(),
                picture,
                settings,
                template: path,
                pattern,
                root,
            }),
            Err(reason) => {
                self.problem(ProblemKind::Outside { reason }, path.place.clone(), 1);
            }
        }
    }

    fn scene(&mut self, path: &PathTemplate, common: &Common, count: u64) -> Option<Scene> {
        let value = |name: &str| match name {
            "scene" | "place.scene" | "frame" | "ext" => TokenValue::Nothing,
            _ => token(name, common, None, None, &[]),
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

    fn engine(&mut self, chain: &Chain<'j>, shot: &NamedTable, count: u64) -> Option<Arc<Profile>> {
        let run = chain.get(Key::Run);
        let engine = chain.get(Key::Engine);
        let layer = |setting: &crate::job::Setting| setting.value.layer;
        if let Some(run) = run
            && engine.is_none_or(|engine| layer(engine) <= layer(run))
            && let Value::Run(line) = &run.value.value
        {
            let place = &run.value.place;
            if let Some((_, profile)) = self.runs.iter().find(|(known, _)| known == place) {
                return Some(Arc::clone(profile));
            }
            let profile = Arc::new(Profile::of_run(line, place));
            self.runs.push((place.clone(), Arc::clone(&profile)));
            return Some(profile);
        }
        let Some(name) = chain.text(Key::Engine) else {
            self.problem(
                ProblemKind::Unset(Key::Engine),
                shot.name_place.clone(),
                count,
            );
            return None;
        };
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

    fn problem(&mut self, kind: ProblemKind, place: Place, deliverables: u64) {
        let problems = &mut self.expansion.problems;
        match problems
            .iter_mut()
            .find(|known| known.place == place && known.kind == kind)
        {
            Some(known) => known.deliverables += deliverables,
            None => problems.push(Problem {
                kind,
                place,
                deliverables,
            }),
        }
    }
}
