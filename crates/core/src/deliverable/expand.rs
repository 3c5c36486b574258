//! From a job to its deliverables.

use std::collections::HashMap;
use std::sync::Arc;

use jiff::civil::DateTime;

use super::problem::{Problem, ProblemKind};
use super::resolve::{listed, template, wanted};
use super::root::absolute;
use super::{Common, Deliverable, PathTemplate, Person, ProjectValues, Selection};
use crate::engine::Profile;
use crate::job::{Job, Key, NamedTable, Value, Word};
use crate::layers::{Chain, Scope};
use crate::nearest::nearest;
use crate::source::{Place, Sourced};

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

pub(super) struct Expander<'j> {
    pub(super) job: &'j Job,
    pub(super) around: &'j Surroundings,
    pub(super) selection: &'j Selection,
    pub(super) project_values: Arc<ProjectValues>,
    pub(super) expansion: Expansion,
    /// Profiles made of `run` lines, by the line's place.
    pub(super) runs: Vec<(Place, Arc<Profile>)>,
    /// Templates that many deliverables share, by their places.
    pub(super) templates: HashMap<Place, Arc<PathTemplate>>,
}

impl<'j> Expander<'j> {
    /// Walks through variants, views and cameras of an output of a shot.
    fn output(&mut self, at: At<'j>) {
        let base = self.chain(at, Scope::default());
        for variant in listed(&base, Key::Variants) {
            let variant_name = Word::text_of(variant);
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
                if !Selection::takes(&self.selection.views, Word::text_of(view))
                    || !self.declared("view", &self.job.views, view)
                {
                    continue;
                }
                let scope = Scope {
                    view: Word::text_of(view),
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
            if !Selection::takes(&self.selection.cameras, Word::text_of(*camera)) {
                continue;
            }
            common.camera = camera.cloned();
            let common = Arc::new(common.clone());
            for pass in &passes {
                if !Selection::takes(&self.selection.passes, Word::text_of(*pass)) {
                    continue;
                }
                let scope = Scope {
                    pass: Word::text_of(*pass),
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
}
