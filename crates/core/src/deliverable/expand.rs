//! From a job to its deliverables.

use std::sync::Arc;

use super::problem::{Problem, ProblemKind};
use super::root::{absolute, root_and_pattern};
use super::values::token;
use super::{Common, Deliverable, PathTemplate, Picture, ProjectValues, Scene, Selection};
use crate::engine::Profile;
use crate::job::{Job, Key, NamedTable, Value, Word};
use crate::layers::Chain;
use crate::nearest::advice;
use crate::picture::{FormatFacts, format_of_extension};
use crate::source::Place;
use crate::template::{ExpandError, Part, Template, TokenValue};

/// What a job must be told of the world around it.
#[derive(Debug, Clone)]
pub struct Surroundings {
    /// The absolute folder of the job file, with `/` between components.
    pub job_folder: String,
    /// The system that paths are made for: `linux`, `windows` or `macos`.
    pub system: String,
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
    });
    let mut expander = Expander {
        job,
        around,
        selection,
        project_values,
        expansion: Expansion::default(),
        runs: Vec::new(),
    };
    for (shot_index, shot) in job.shots.iter().enumerate() {
        if !Selection::takes(&selection.shots, Some(&shot.name)) {
            continue;
        }
        for (output_index, output) in job.outputs.iter().enumerate() {
            if Selection::takes(&selection.outputs, Some(&output.name)) {
                expander.output(shot_index, shot, output_index, output);
            }
        }
    }
    expander.expansion
}

struct Expander<'j> {
    job: &'j Job,
    around: &'j Surroundings,
    selection: &'j Selection,
    project_values: Arc<ProjectValues>,
    expansion: Expansion,
    /// Profiles made of `run` lines, by the line's place.
    runs: Vec<(Place, Arc<Profile>)>,
}

impl<'j> Expander<'j> {
    fn output(
        &mut self,
        shot_index: usize,
        shot: &'j NamedTable,
        output_index: usize,
        output: &'j NamedTable,
    ) {
        let chain = Chain::of(self.job, shot, output, None);
        let passes: Vec<Option<&Word>> = match chain.words(Key::Passes) {
            Some(words) if !words.is_empty() => words.iter().map(Some).collect(),
            _ => vec![None],
        };
        let cameras: Vec<Option<&Word>> = match chain.words(Key::Camera) {
            Some(words) if !words.is_empty() => words.iter().map(Some).collect(),
            _ => vec![None],
        };
        let count = (passes.len() * cameras.len()) as u64;
        let Some(engine) = self.engine(&chain, shot, count) else {
            return;
        };
        let frames = chain.value(Key::Frames, |value| match value {
            Value::Frames(frames) => Some(frames.clone()),
            _ => None,
        });
        let Some(frames) = frames else {
            self.problem(
                ProblemKind::Unset(Key::Frames),
                shot.name_place.clone(),
                count,
            );
            return;
        };
        let chosen = match &self.selection.frames {
            None => frames.value.clone(),
            // Both sets were read from short texts, so what they share is never too intricate.
            Some(asked) => frames.value.intersection(asked).unwrap_or_default(),
        };
        let mut common = Common {
            shot_index,
            output_index,
            shot: shot.name.clone(),
            output: output.name.clone(),
            project: chain.text(Key::Name).map(|name| name.value),
            camera: None,
            cameras: cameras.len(),
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
        };
        if let Some(path) = template(&chain, Key::Scene) {
            let Some(scene) = self.scene(&path, &common, count) else {
                return;
            };
            common.scene = Some(scene);
        }
        for camera in &cameras {
            if !Selection::takes(
                &self.selection.cameras,
                camera.map(|word| word.text.as_str()),
            ) {
                continue;
            }
            common.camera = camera.cloned();
            let common = Arc::new(common.clone());
            for pass in &passes {
                let name = pass.map(|word| word.text.as_str());
                if Selection::takes(&self.selection.passes, name) {
                    let chain = Chain::of(self.job, shot, output, name);
                    self.deliverable(&common, *pass, &chain, output);
                }
            }
        }
    }

    fn deliverable(
        &mut self,
        common: &Arc<Common>,
        pass: Option<&Word>,
        chain: &Chain<'j>,
        output: &NamedTable,
    ) {
        let Some(path) = template(chain, Key::Path) else {
            self.problem(ProblemKind::Unset(Key::Path), output.name_place.clone(), 1);
            return;
        };
        let settings = chain.settings();
        let picture = picture(chain, &path.template);
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
        match root_and_pattern(&path.template, pattern, &value, &self.around.job_folder) {
            Ok((root, pattern)) => self.expansion.deliverables.push(Deliverable {
                common: Arc::clone(common),
                pass: pass.cloned(),
                picture,
                settings,
                template: Arc::new(path),
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

fn template(chain: &Chain<'_>, key: Key) -> Option<PathTemplate> {
    let setting = chain.get(key)?;
    match &setting.value.value {
        Value::Template(template, length) => Some(PathTemplate {
            template: template.clone(),
            place: setting.value.place.clone(),
            length: *length,
        }),
        _ => None,
    }
}

/// The picture that is wanted; `None` when neither a key nor the extension tells the format.
fn picture(chain: &Chain<'_>, path: &Template) -> Option<Picture> {
    let format = chain.value(Key::Format, |value| match value {
        Value::Format(format) => Some(*format),
        _ => None,
    });
    let (format, format_place) = match format {
        Some(format) => (format.value, Some(format.place)),
        None => (format_of_path(path)?, None),
    };
    Some(Picture {
        format,
        format_place,
        channels: chain.value(Key::Channels, |value| match value {
            Value::Channels(channels) => Some(*channels),
            _ => None,
        }),
        bits: chain.value(Key::Bits, |value| match value {
            Value::Bits(bits) => Some(*bits),
            _ => None,
        }),
        compression: chain.text(Key::Compression),
        size: chain.value(Key::Size, |value| match value {
            Value::Size(size) => Some(*size),
            _ => None,
        }),
    })
}

fn format_of_path(path: &Template) -> Option<&'static FormatFacts> {
    match path.parts().last()? {
        Part::Text(text) => format_of_extension(text.rsplit_once('.')?.1),
        Part::Token(_) | Part::Optional(_) => None,
    }
}
