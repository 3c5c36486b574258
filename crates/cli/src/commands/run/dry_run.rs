//! What a run would do: the processes, their frames, where they go, and how long it may take.

use std::collections::BTreeMap;
use std::io::Write;

use truepath_core::deliverable::Expansion;
use truepath_core::finding::grouped;
use truepath_core::forecast::Forecast;
use truepath_core::frames::FrameSet;
use truepath_core::plan::plan;
use truepath_runner::run::Jobs;
use truepath_runner::status::Follower;

use super::cores;

use crate::job_arguments::Chosen;
use crate::outcome::CommandError;
use crate::show::pace::rough;
use crate::show::{FAINT, TITLE, count, files};

/// Shows it. Nothing is started, and nothing written.
pub(super) fn print(chosen: &Chosen, rendered: &Expansion, jobs: Jobs) -> Result<(), CommandError> {
    let mut follower = Follower::new(&chosen.loaded, rendered);
    let status = follower
        .look()
        .map_err(CommandError::outside("the state folder"))?;
    let missing: Vec<FrameSet> = status
        .rows
        .iter()
        .map(|row| {
            let states = &row.states;
            // What is of other settings or has changed stays unless that is asked for.
            let kept = [
                &states.done,
                &states.stale,
                &states.changed,
                &states.unverifiable,
            ];
            kept.iter().fold(states.wanted.clone(), |left, known| {
                left.difference(known).unwrap_or(left)
            })
        })
        .collect();
    let processes = plan(rendered, &|index| missing[index].clone());
    let mut out = crate::show::out();
    let mut of: BTreeMap<usize, u64> = BTreeMap::new();
    for process in &processes {
        *of.entry(*process.deliverables.first()).or_default() += 1;
    }
    for (index, one) in rendered.deliverables.iter().enumerate() {
        let frames = &missing[index];
        if frames.is_empty() {
            continue;
        }
        let first = one.path(frames.first().unwrap_or(0));
        writeln!(out, "{TITLE}{}{TITLE:#}", one.label())?;
        let what = match one.movie() {
            Some(_) => "the movie".to_owned(),
            None => format!("{}: {frames}", count(frames.count(), "frame", "frames")),
        };
        let by = match of.get(&index) {
            Some(number) => format!(
                ", {} of {}",
                count(*number, "process", "processes"),
                one.common.engine.name
            ),
            None => ", in the same processes".to_owned(),
        };
        writeln!(out, "  {what}{by}")?;
        writeln!(out, "  {FAINT}to {first}{FAINT:#}")?;
    }
    let total: u64 = missing.iter().map(FrameSet::count).sum();
    let at_once = match jobs {
        Jobs::Fixed(jobs) => jobs,
        Jobs::Auto => cores(),
    };
    let time = match Forecast::new(&follower.expected(), &missing, at_once).left(0.0) {
        Some(seconds) if total > 0 => format!("about {}, by what it took before", rough(seconds)),
        _ if total > 0 => "nothing was measured yet, so how long it takes is not known".to_owned(),
        _ => "nothing to do".to_owned(),
    };
    let wanted: u64 = rendered
        .deliverables
        .iter()
        .map(|one| one.common.frames.selected.count())
        .sum();
    writeln!(
        out,
        "{} of {} to make in {}; {time}",
        grouped(total),
        files(wanted),
        match jobs {
            Jobs::Fixed(jobs) => format!(
                "{}, {jobs} at once",
                count(processes.len() as u64, "process", "processes")
            ),
            Jobs::Auto =>
                "as many processes as keep all cores busy, cut by what is measured".to_owned(),
        }
    )?;
    Ok(out.flush()?)
}
