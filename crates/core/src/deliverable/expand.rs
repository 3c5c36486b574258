//! From a job to its deliverables.

use std::sync::Arc;

use super::context::Context;
use super::make::Maker;
use super::root::absolute;
use super::walk::requests;
use super::{Expansion, ProblemKind, ProjectValues, Selection, Share, Surroundings};
use crate::executor;
use crate::job::{Job, NamedTable};

/// A job has so many deliverables at most.
pub(crate) const MOST_DELIVERABLES: usize = 100_000;

/// So many shots are one piece of work.
const SHOTS_AT_A_TIME: usize = 100;

/// Expands a job.
#[must_use]
pub fn expand(job: &Job, around: &Surroundings, selection: &Selection) -> Expansion {
    let context = Context {
        job,
        around,
        selection,
        project_values: Arc::new(project_values(job, around)),
    };
    let shots: Vec<(usize, &NamedTable)> = job
        .shots
        .iter()
        .enumerate()
        .filter(|(_, shot)| Selection::takes(&selection.shots, Some(&shot.name)))
        .collect();
    let pieces: Vec<&[(usize, &NamedTable)]> = shots.chunks(SHOTS_AT_A_TIME).collect();
    let parts = executor::map(around.executor, pieces.len(), |piece| {
        let mut maker = Maker::new(&context);
        for shot in pieces[piece] {
            for request in requests(job, selection, *shot, &mut maker.expansion) {
                maker.make(&request);
            }
        }
        maker.expansion
    });
    let mut expansion = parts.into_iter().fold(Expansion::default(), Expansion::and);
    if expansion.deliverables.len() > MOST_DELIVERABLES {
        expansion.deliverables.truncate(MOST_DELIVERABLES);
        if let Some(output) = job.outputs.first() {
            expansion.report(ProblemKind::TooMany, output.name_place.clone(), 1);
        }
    }
    if let Some(part) = &job.part {
        expansion.keep_part(part);
    }
    if let Some(share) = Share::of_job(job) {
        share.keep(&mut expansion);
    }
    // A stable sort: of the same priority the order of the file holds.
    expansion
        .deliverables
        .sort_by_key(|one| std::cmp::Reverse(one.common.processes.priority));
    expansion
}

fn project_values(job: &Job, around: &Surroundings) -> ProjectValues {
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
    let tokens = job.tokens.iter();
    ProjectValues {
        tokens: tokens
            .map(|(name, value)| (name.clone(), value.value.clone()))
            .collect(),
        places,
        system: around.system,
        person: around.person.clone(),
        began: around.began,
    }
}
