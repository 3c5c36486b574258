//! Frames of a job that are rendered a second time, to see whether a renderer repeats itself.

use std::collections::HashSet;
use std::path::Path;

use truepath_runner::follow::pictures::{PictureRow, pictures_of_job};

use super::matched::{Matched, there};
use crate::commands::run::{RunCall, RunOptions};
use crate::error::CommandError;
use crate::job_arguments::{Chosen, JobArguments};
use crate::show::remark;
use crate::signals;

/// Renders the chosen frames of a job again, into a folder beside the first; gives the names of both sides, and what
/// belongs together.
pub(super) fn rendered_again(job: &JobArguments) -> Result<([String; 2], Matched), CommandError> {
    let first = job.clone().load_latest()?;
    let unreadable = || CommandError::outside("the state of the job");
    let rows = |chosen: &Chosen| pictures_of_job(&chosen.loaded, &chosen.chosen);
    let first_rows = rows(&first).map_err(unreadable())?;
    // Movies are made of frames that are compared themselves, and what is not there cannot be compared.
    let rendered = first.chosen.clone();
    let pictures = rendered.deliverables.iter();
    let pictures = pictures.filter(|one| one.movie().is_none());
    let there = pictures
        .zip(&first_rows)
        .filter(|(_, row)| !there(row).is_empty());
    let mut outputs: Vec<String> = there
        .map(|(one, _)| one.common.names.output.clone())
        .collect();
    outputs.sort();
    outputs.dedup();
    if outputs.is_empty() {
        return Err(CommandError::Usage(
            "nothing of it is rendered yet, so there is nothing to compare a second rendering with"
                .to_owned(),
        ));
    }
    let job = job.of_outputs(outputs);
    let (folder, keys) = keys(&job, &first)?;
    let job = job.setting(keys);
    made_as_today(&job, &first_rows)?;
    let options = RunOptions::default();
    signals::listen()?;
    let ended = RunCall::without_summary(&options).job(&job);
    if ended.wanted == 0 || ended.valid < ended.wanted {
        return Err(CommandError::Usage(format!(
            "{} of {} frames were rendered a second time, into the folders {folder}, so nothing was compared{}",
            ended.valid,
            ended.wanted,
            if ended.reason.is_empty() {
                String::new()
            } else {
                format!(": {}", ended.reason)
            }
        )));
    }
    let second = job.load_latest()?;
    let second_rows = rows(&second).map_err(unreadable())?;
    let mut matched = Matched::default();
    for row in &second_rows {
        match first_rows.iter().find(|one| one.title == row.title) {
            // Only what was rendered again is compared.
            Some(one) => matched.add(&one.limited_to(&row.frames), row),
            None => matched.only.1.push(row.title.clone()),
        }
    }
    remark(&format!(
        "what was rendered a second time stays in the folders {folder}, beside the first"
    ));
    Ok(([first.name, folder], matched))
}

/// Refuses frames that are there and were made otherwise than they would be today: what differs then says nothing about the
/// renderer.
fn made_as_today(job: &JobArguments, first: &[PictureRow]) -> Result<(), CommandError> {
    let second = job.clone().load_latest()?;
    for one in &second.chosen.deliverables {
        let row = first.iter().find(|row| row.title == one.label());
        for frame in one.common.frames.selected.iter() {
            let state = row.and_then(|row| row.state(frame));
            if let Some(state) = state.filter(|state| *state != "missing") {
                return Err(CommandError::Usage(format!(
                    "{}: frame {frame} is {state}, so a second rendering says nothing about the renderer: render it anew first, or choose others with --frames",
                    one.label()
                )));
            }
        }
    }
    Ok(())
}

/// The folder of the second rendering, which is new in every place of the job, and the keys that lead there.
fn keys(job: &JobArguments, first: &Chosen) -> Result<(String, Vec<String>), CommandError> {
    for number in 1.. {
        let folder = format!("repeat-{number}");
        let mut keys = vec![format!("subfolder={folder}")];
        if !job.chooses_frames() {
            keys.push("only=first-middle-last".to_owned());
        }
        let second = job.setting(keys.clone()).load_latest()?;
        let before: HashSet<String> = paths(first).into_iter().collect();
        let now = paths(&second);
        if now.iter().any(|path| before.contains(path)) {
            return Err(CommandError::Usage(
                "the second rendering would get the names of the first".to_owned(),
            ));
        }
        let is_free = |path: &String| Path::new(path).symlink_metadata().is_err();
        if now.iter().all(is_free) {
            return Ok((folder, keys));
        }
    }
    Err(CommandError::Usage("no folder is free".to_owned()))
}

/// The chosen files of all deliverables.
fn paths(chosen: &Chosen) -> Vec<String> {
    let all = chosen.chosen.deliverables.iter();
    let frames = all.flat_map(|one| {
        let frames = one.common.frames.selected.iter();
        frames.map(|frame| one.path(frame))
    });
    frames.collect()
}
