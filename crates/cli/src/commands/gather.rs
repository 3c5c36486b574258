//! `truepath gather`: the frames of bundles come home.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_core::finding::grouped;
use truepath_core::frames::{Frame, FrameSet};
use truepath_runner::disk::RealDisk;
use truepath_runner::hand_over::bundle::{
    GatherError, GatherOptions, GatherReport, Gathered, gather,
};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::JobArguments;
use crate::shapes::gather::{BundleShape, GatherShape};
use crate::show::{ERROR, GOOD, TITLE, WARNING, files, frames_of};

/// Collect rendered frames from bundles
///
/// Each frame is compared with its record on the other machine and with the settings of the job as it is now, decoded,
/// copied beside its true name, and renamed without replacing. Frames of other settings are reported and not taken; what
/// is missing can be packed again with `truepath pack --missing`. Called again, it changes nothing more.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath gather /media/stick/orrery-v003-part1of4\n  truepath gather bundles/*\n  truepath gather orrery-v003-part2of4.tar.zst\n\nThe exit code is 0 when every frame of these bundles is home."
)]
pub(crate) struct Arguments {
    /// The folders of the bundles, or archives of them as .tar.zst or .tar
    #[arg(required = true, value_name = "BUNDLE")]
    bundles: Vec<PathBuf>,
    #[command(flatten)]
    job: JobArguments,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.load_latest()?;
    let options = GatherOptions {
        disk: &RealDisk,
        shipped: crate::profiles::SHIPPED,
    };
    let expansion = chosen.wanted()?.clone();
    let reports = gather(&chosen.loaded, &expansion, &arguments.bundles, &options);
    let reports = reports.map_err(|error| match error {
        GatherError::Disk { path, error } => CommandError::outside(path)(error),
        GatherError::Session(error) => CommandError::Usage(error.to_string()),
    })?;
    let is_complete = reports.iter().all(GatherReport::is_complete);
    if arguments.format == OutputFormat::Json {
        print_json(&GatherShape::of(
            reports.iter().map(BundleShape::of).collect(),
        ))?;
    } else {
        print(&reports)?;
    }
    Ok(ExitCode::from(if is_complete { DONE } else { FOUND }))
}

fn print(reports: &[GatherReport]) -> Result<(), CommandError> {
    let mut out = crate::show::out();
    let mut brought = 0_u64;
    for report in reports {
        writeln!(out, "{TITLE}{}{TITLE:#}", report.bundle.display())?;
        if !report.edited.is_empty() {
            let names = report.edited.join(", ");
            writeln!(
                out,
                "  {WARNING}edited{WARNING:#}   {names}: not as it was packed"
            )?;
        }
        let all = match &report.result {
            Err(why) => {
                writeln!(out, "  {ERROR}refused{ERROR:#}  {why}")?;
                continue;
            }
            Ok(all) => all,
        };
        let sum = |of: fn(&Gathered) -> usize| all.iter().map(of).sum::<usize>() as u64;
        let came = sum(|one| one.brought.len());
        let there = sum(|one| one.there.len());
        brought += came;
        writeln!(
            out,
            "  {GOOD}brought{GOOD:#}  {}, {} there already",
            files(came),
            grouped(there)
        )?;
        for one in all {
            details(&mut out, one)?;
        }
    }
    writeln!(out, "\n{} brought home", files(brought))?;
    if !reports.iter().all(GatherReport::is_complete) {
        writeln!(
            out,
            "not all is home: `truepath pack --missing --to FOLDER` packs what is missing once more"
        )?;
    }
    Ok(out.flush()?)
}

fn details(out: &mut impl Write, one: &Gathered) -> Result<(), CommandError> {
    let label = &one.label;
    let set = |frames: &[Frame]| frames_of(&FrameSet::from_frames(frames.iter().copied()));
    for (frames, style, word, why) in [
        (&one.missing, ERROR, "missing", ""),
        (
            &one.stale,
            WARNING,
            "stale",
            ": made with other settings than the job's of today, and not taken",
        ),
        (
            &one.unrecorded,
            WARNING,
            "adopted",
            ": no run has recorded what made them",
        ),
    ] {
        if !frames.is_empty() {
            writeln!(
                out,
                "  {style}{word:<8}{style:#} {label}: {}{why}",
                set(frames)
            )?;
        }
    }
    let mut reasons: Vec<(&str, Vec<Frame>)> = Vec::new();
    for (why, frame) in &one.refused {
        match reasons.iter_mut().find(|(known, _)| known == why) {
            Some((_, frames)) => frames.push(*frame),
            None => reasons.push((why, vec![*frame])),
        }
    }
    for (why, frames) in reasons {
        writeln!(
            out,
            "  {ERROR}refused{ERROR:#}  {label}: {}\n           {why}",
            set(&frames)
        )?;
    }
    Ok(())
}
