//! From a job to its deliverables.

use std::collections::HashMap;
use std::sync::Arc;

use rayon::prelude::*;

use super::common::Asked;
use super::movie::OutputKind;
use super::planes::{FileOf, files, layers};
use super::problem::{Problem, ProblemKind};
use super::resolve::listed;
use super::root::absolute;
use super::share::Share;
use super::{Began, Expansion, PathTemplate, Person, ProjectValues, Selection};
use crate::engine::Profile;
use crate::frames::FrameSet;
use crate::job::{Job, Key, NamedTable, Word};
use crate::layers::{Chain, Scope};
use crate::nearest::nearest;
use crate::source::{Place, Sourced};
use crate::system::System;

/// What a job must be told of the world around it.
#[derive(Debug, Clone)]
pub struct Surroundings {
    /// The absolute folder of the job file, with `/` between components.
    pub job_folder: String,
    /// The system that paths are made for.
    pub system: System,
    /// Who makes it, and on which machine.
    pub person: Person,
    /// When the run began.
    pub began: Option<Began>,
    /// The profiles that are known.
    pub profiles: Vec<Arc<Profile>>,
    /// The frames of scenes, by their absolute paths, where somebody told: for shots that say none.
    pub scene_frames: HashMap<String, FrameSet>,
}

/// So many shots are worth a thread of their own.
const SHOTS_AT_A_TIME: usize = 100;

/// Expands a job.
#[must_use]
pub fn expand(job: &Job, around: &Surroundings, selection: &Selection) -> Expansion {
    let mut places: Vec<(String, String)> = job
        .places
        .iter()
        .filter(|place| place.name != "job")
        .filter_map(|place| {
            let folder = place.folder(around.system)?;
            let folder = around.system.inside(&folder.value);
            Some((place.name.clone(), absolute(&around.job_folder, &folder)))
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
        system: around.system,
        person: around.person.clone(),
        began: around.began.clone(),
    });
    let shots: Vec<(usize, &NamedTable)> = job
        .shots
        .iter()
        .enumerate()
        .filter(|(_, shot)| Selection::takes(&selection.shots, Some(&shot.name)))
        .collect();
    let of_shots = |shots: &[(usize, &NamedTable)]| {
        let mut expander = Expander {
            job,
            around,
            selection,
            project_values: Arc::clone(&project_values),
            expansion: Expansion::default(),
            runs: Vec::new(),
            templates: HashMap::new(),
        };
        for (index, shot) in shots {
            expander.shot(*index, shot);
        }
        expander.expansion
    };
    let mut expansion = if shots.len() <= SHOTS_AT_A_TIME {
        of_shots(&shots)
    } else {
        let parts: Vec<Expansion> = shots.par_chunks(SHOTS_AT_A_TIME).map(of_shots).collect();
        parts.into_iter().fold(Expansion::default(), Expansion::and)
    };
    if expansion.deliverables.len() > MOST_DELIVERABLES {
        expansion.deliverables.truncate(MOST_DELIVERABLES);
        let place = job.outputs.first().map(|one| one.name_place.clone());
        let problem = place.map(|place| Problem {
            kind: ProblemKind::TooMany,
            place,
            deliverables: 1,
        });
        expansion.problems.extend(problem);
    }
    if let Some(share) = Share::of_job(job) {
        share.keep(&mut expansion);
    }
    // A stable sort: of the same priority the order of the file holds.
    expansion
        .deliverables
        .sort_by_key(|one| std::cmp::Reverse(one.common.priority));
    expansion
}

/// A job has so many deliverables at most.
pub const MOST_DELIVERABLES: usize = 100_000;

/// An output of a shot.
#[derive(Clone, Copy)]
pub(super) struct At<'j> {
    pub(super) shot_index: usize,
    pub(super) shot: &'j NamedTable,
    pub(super) output_index: usize,
    pub(super) output: &'j NamedTable,
}

/// What the cameras of a walk share.
#[derive(Clone, Copy)]
pub(super) struct Shared<'j, 'v> {
    pub(super) variant: Option<&'j Word>,
    /// The view of the names.
    pub(super) view: Option<&'j Word>,
    /// The views that each file holds.
    pub(super) views: &'v [Option<&'j Word>],
    pub(super) preset: Option<&'v Sourced<String>>,
}

/// Where a walk through a job stands.
#[derive(Clone, Copy)]
pub(super) struct Walk<'j, 'v> {
    pub(super) at: At<'j>,
    pub(super) scope: Scope<'v>,
    pub(super) shared: Shared<'j, 'v>,
}

pub(super) struct Expander<'j> {
    pub(super) job: &'j Job,
    pub(super) around: &'j Surroundings,
    pub(super) selection: &'j Selection,
    pub(super) project_values: Arc<ProjectValues>,
    pub(super) expansion: Expansion,
    /// Profiles made of `run` lines, by the line's place.
    pub(super) runs: Vec<Arc<Profile>>,
    /// Templates that many deliverables share, by their places.
    pub(super) templates: HashMap<Place, Arc<PathTemplate>>,
}

impl<'j> Expander<'j> {
    fn shot(&mut self, shot_index: usize, shot: &'j NamedTable) {
        for (output_index, output) in self.job.outputs.iter().enumerate() {
            if Selection::takes(&self.selection.outputs, Some(&output.name)) {
                self.output(At {
                    shot_index,
                    shot,
                    output_index,
                    output,
                });
            }
        }
    }

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
            let chain = self.chain(at, scope);
            let views = listed(&chain, Key::Views);
            for view in &views {
                self.declared("view", &self.job.views, *view);
            }
            // Each view by itself, or one file of them all, which is none of them.
            let together = chain.truth(Key::ViewsTogether) == Some(true);
            let rounds = if together { vec![None] } else { views.clone() };
            for view in rounds {
                let held = if together { views.clone() } else { vec![view] };
                let chosen = |view: &Option<&Word>| {
                    Selection::takes(&self.selection.views, Word::text_of(*view))
                };
                let known = |view: &Option<&Word>| {
                    view.is_none_or(|word| self.job.views.iter().any(|one| one.name == word.text))
                };
                if !held.iter().any(chosen) || !held.iter().all(known) {
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
                let shared = Shared {
                    variant,
                    view,
                    views: &held,
                    preset: preset.as_ref(),
                };
                self.cameras(at, scope, shared);
            }
        }
    }

    /// Walks through cameras and files.
    fn cameras(&mut self, at: At<'j>, scope: Scope<'_>, shared: Shared<'j, '_>) {
        let chain = self.chain(at, scope);
        if chain.truth(Key::Enabled) == Some(false) {
            return;
        }
        let kind = self.kind(at.output);
        let passes = match kind {
            OutputKind::Movie => listed(&chain, Key::MoviePass),
            OutputKind::Sequence | OutputKind::Still => listed(&chain, Key::Passes),
        };
        let files = match kind {
            OutputKind::Movie => passes
                .iter()
                .map(|pass| FileOf {
                    name: *pass,
                    passes: vec![*pass],
                })
                .collect(),
            OutputKind::Sequence | OutputKind::Still => self.files(&chain, &passes),
        };
        let cameras = listed(&chain, Key::Camera);
        let count = (files.len() * cameras.len()) as u64;
        let asked = Asked { kind, count };
        let Some(mut common) = self.common(at, &chain, shared, asked) else {
            return;
        };
        for camera in &cameras {
            if !Selection::takes(&self.selection.cameras, Word::text_of(*camera)) {
                continue;
            }
            common.camera = camera.cloned();
            let common = Arc::new(common.clone());
            for file in &files {
                let chosen = |pass: &Option<&Word>| {
                    Selection::takes(&self.selection.passes, Word::text_of(*pass))
                };
                if self.expansion.deliverables.len() >= MOST_DELIVERABLES {
                    self.problem(ProblemKind::TooMany, at.output.name_place.clone(), 1);
                    return;
                }
                if !file.passes.iter().any(chosen) {
                    continue;
                }
                let scope = Scope {
                    pass: Word::text_of(file.name),
                    ..scope
                };
                let chain = self.chain(at, scope);
                if chain.truth(Key::Enabled) == Some(false) {
                    continue;
                }
                let planes = file.planes(shared.views);
                let walk = Walk { at, scope, shared };
                let made = self.deliverable(walk, &common, (file.name, planes), &chain);
                self.expansion.deliverables.extend(made);
            }
        }
    }

    /// The files of an output; a pass that a file names and no list has is told.
    fn files(&mut self, chain: &Chain<'j>, passes: &[Option<&'j Word>]) -> Vec<FileOf<'j>> {
        if !passes.contains(&None) {
            let names: Vec<&str> = passes
                .iter()
                .filter_map(|pass| Word::text_of(*pass))
                .collect();
            for word in layers(chain).iter().flat_map(|(_, passes)| passes) {
                if !names.contains(&word.text.as_str()) {
                    let kind =
                        ProblemKind::strange("pass in the list of passes", &word.text, &names);
                    self.problem(kind, word.place.clone(), 1);
                }
            }
        }
        files(chain, passes)
    }

    pub(super) fn chain(&self, at: At<'j>, scope: Scope<'_>) -> Chain<'j> {
        Chain::of(self.job, at.shot, at.output, scope)
    }

    /// Whether a name is that of a table; one that is not is a slip of the hand.
    fn declared(&mut self, kind: &'static str, tables: &[NamedTable], word: Option<&Word>) -> bool {
        let Some(word) = word else { return true };
        if tables.iter().any(|table| table.name == word.text) {
            return true;
        }
        let names: Vec<&str> = tables.iter().map(|table| table.name.as_str()).collect();
        let near = nearest(&word.text, names.iter().copied()).map(str::to_owned);
        let advice = match &near {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("declare it: [{kind}.{}]", word.text),
        };
        let problem = ProblemKind::Undeclared {
            kind,
            name: word.text.clone(),
            advice,
            near,
        };
        self.problem(problem, word.place.clone(), 1);
        false
    }
}
