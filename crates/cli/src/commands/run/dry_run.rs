//! What a run would do: the processes, their frames, where they go, what becomes of files that are there, and how long it
//! may take.

use std::collections::BTreeMap;
use std::io::{self, Write};

use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::finding::grouped;
use truepath_core::forecast::Forecast;
use truepath_core::frames::FrameSet;
use truepath_core::plan::plan;
use truepath_runner::follow::status::Follower;
use truepath_runner::make::run::{Foreseen, Jobs, Policy, RunError, foresee};

use super::cores;
use crate::commands::{OutputFormat, print_json};
use crate::error::CommandError;
use crate::job_arguments::Chosen;
use crate::shapes::dry_run::DryRunShape;
use crate::show::pace::rough;
use crate::show::{FAINT, TITLE, WARNING, count, files, frames_of};

/// Shows what the run itself would decide. Nothing is started, and nothing written.
pub(super) fn print(
    chosen: &Chosen,
    rendered: &Expansion,
    policy: Policy,
    (jobs, format): (Jobs, OutputFormat),
) -> Result<(), CommandError> {
    let foreseen = foresee(&chosen.loaded, rendered, policy)
        .map_err(CommandError::outside("the state folder"))?;
    if format == OutputFormat::Json {
        return print_json(&DryRunShape::of(&rendered.deliverables, &foreseen));
    }
    refuse(rendered, &foreseen)?;
    let to_make: Vec<FrameSet> = foreseen.iter().map(Foreseen::to_make).collect();
    let processes = plan(rendered, &|index| to_make[index].clone());
    let mut out = crate::show::out();
    let mut of: BTreeMap<DeliverableId, u64> = BTreeMap::new();
    for process in &processes {
        *of.entry(*process.deliverables.first()).or_default() += 1;
    }
    for (index, one) in DeliverableId::with_each(&rendered.deliverables) {
        let by = match of.get(&index) {
            Some(number) => format!(
                ", {} of {}",
                count(*number, "process", "processes"),
                one.common.engine.name
            ),
            None => ", in the same processes".to_owned(),
        };
        print_deliverable(&mut out, one, &foreseen[index], &by)?;
    }
    let total: u64 = to_make.iter().map(FrameSet::count).sum();
    let at_once = match jobs {
        Jobs::Fixed(jobs) => jobs,
        Jobs::Auto => cores(),
    };
    let mut follower = Follower::new(&chosen.loaded, rendered);
    follower
        .look()
        .map_err(CommandError::outside("the state folder"))?;
    let time = match Forecast::new(&follower.expected(), &to_make, at_once).left(0.0) {
        Some(seconds) if total > 0 => format!("about {}, by what it took before", rough(seconds)),
        _ if total > 0 => "nothing was measured yet, so how long it takes is not known".to_owned(),
        _ => "nothing to do".to_owned(),
    };
    let deliverables = rendered.deliverables.iter();
    let wanted: u64 = deliverables.map(|one| one.files().count()).sum();
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

/// A run that would not begin says so here as well.
fn refuse(rendered: &Expansion, foreseen: &[Foreseen]) -> Result<(), CommandError> {
    let refused = rendered.deliverables.iter().zip(foreseen);
    let mut refused = refused.filter(|(_, one)| !one.refused.is_empty());
    let Some((first, frames)) = refused.next() else {
        return Ok(());
    };
    let frame = frames.refused.first().unwrap_or(0);
    Err(CommandError::Run(RunError::Refused {
        count: foreseen.iter().map(|one| one.refused.count()).sum(),
        first: first.path(frame),
    }))
}

/// What would be done about the files of a deliverable; nothing where all are kept.
fn print_deliverable(
    out: &mut impl Write,
    one: &Deliverable,
    foreseen: &Foreseen,
    by: &str,
) -> io::Result<()> {
    let to_make = foreseen.to_make();
    if to_make.is_empty() && foreseen.reported.is_empty() && foreseen.not_made.is_empty() {
        return Ok(());
    }
    let named = |frames: &FrameSet| match one.movie() {
        Some(_) => "the movie".to_owned(),
        None => frames_of(frames),
    };
    writeln!(out, "{TITLE}{}{TITLE:#}", one.label())?;
    if let Some(first) = to_make.first() {
        let what = match one.movie() {
            Some(_) => "the movie".to_owned(),
            None => format!("{}: {to_make}", count(to_make.count(), "frame", "frames")),
        };
        writeln!(out, "  {what}{by}")?;
        writeln!(out, "  {FAINT}to {}{FAINT:#}", one.path(first))?;
        if let Some(split) = one.split_words() {
            writeln!(out, "  {FAINT}split: {split}{FAINT:#}")?;
        }
    }
    for (frames, what) in [
        (
            &foreseen.replaced,
            "the file that is there is removed once the new one is verified",
        ),
        (
            &foreseen.set_aside,
            "the file that is there is kept in the folder set-aside beside it",
        ),
    ] {
        if !frames.is_empty() {
            writeln!(out, "  {}: {what}", named(frames))?;
        }
    }
    if !foreseen.reported.is_empty() {
        writeln!(
            out,
            "  {WARNING}{}{WARNING:#}: kept, and not valid; `truepath status` says why",
            named(&foreseen.reported)
        )?;
    }
    for (reason, frames) in &foreseen.not_made {
        writeln!(
            out,
            "  {WARNING}{}{WARNING:#}: not made: {reason}",
            named(frames)
        )?;
    }
    Ok(())
}
