//! `truepath run`: checks, renders, verifies, publishes; continues where it was stopped.

mod stopping;
mod summary;

use std::io::{self, Write};
use std::num::NonZeroUsize;
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::Expansion;
use truepath_core::finding::{Finding, Weight};
use truepath_runner::answers::can_ask;
use truepath_runner::disk::RealDisk;
use truepath_runner::run::{Existing, Options, Policy, run as render};

use super::check::{findings_asking, has_errors};
use crate::job_arguments::JobArguments;
use crate::outcome::{DONE, FOUND, INTERRUPTED, Trouble};
use crate::show::count;
use crate::show::finding::{summary, tell_all};
use crate::show::progress::Progress;
use crate::this_program;

/// Check the job, then render what is missing
///
/// Every frame is rendered into a staging folder, decoded and held against the job, and only then
/// brought to its true name; nothing is ever replaced. What is there and whole is kept. Stopped or
/// killed at any moment, the next call goes on where this one ended.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath run\n  truepath run --shot dawn --frames 1,48,96\n  truepath run --pass-over TP105"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// Render although this error was found; may be said several times
    #[arg(long, value_name = "CODE", value_delimiter = ',')]
    pass_over: Vec<String>,
    /// How many processes run at once
    #[arg(long, short, value_name = "NUMBER", default_value = "1")]
    jobs: NonZeroUsize,
    /// Render frames again that other settings made; each stays until its successor is verified
    #[arg(long, help_heading = FILES, conflicts_with = "accept")]
    renew: bool,
    /// Take frames that other settings made as they are
    #[arg(long, help_heading = FILES)]
    accept: bool,
    /// Render frames again that no run has recorded, in place of decoding and taking them
    #[arg(long, help_heading = FILES)]
    distrust: bool,
    #[command(flatten)]
    stopping: stopping::Stopping,
}

/// What options about files that are there stand under in the help.
const FILES: &str = "Files that are there";

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let chosen = arguments.job.load()?;
    let passed_over = |one: &Finding| arguments.pass_over.iter().any(|code| code == one.code);
    let grave = |found: &[Finding]| -> Vec<Finding> {
        let errors = found.iter().filter(|one| one.weight == Weight::Error);
        errors.filter(|one| !passed_over(one)).cloned().collect()
    };
    // What can be known without starting anything comes first.
    let mut found = findings_asking(&chosen, false);
    if grave(&found).is_empty() && can_ask(&chosen.chosen) {
        found = findings_asking(&chosen, true);
    }
    tell_all(&mut anstream::stderr(), &chosen.loaded.job.sources, &found);
    let grave = grave(&found);
    if has_errors(&grave) {
        anstream::eprintln!("{}; nothing was rendered", summary(&grave, &chosen.name));
        return Ok(ExitCode::from(FOUND));
    }
    let rendered = chosen.chosen.runnable();
    let mut progress = Progress::new(&rendered.deliverables);
    let options = Options {
        this_program: &this_program::path().map_err(Trouble::outside("this program"))?,
        interrupt: stopping::listen()?,
        whole: chosen.whole,
        disk: &RealDisk,
        jobs: arguments.jobs.get(),
        until: arguments.stopping.until(),
        policy: Policy {
            existing: Existing::of(&chosen.loaded.job),
            renew: arguments.renew,
            accept: arguments.accept,
            distrust: arguments.distrust,
        },
    };
    let report = render(&chosen.loaded, &rendered, &options, &mut progress);
    progress.finish();
    let report = report?;
    remark_on_direct_movies(&chosen.chosen);
    let mut out = io::BufWriter::new(anstream::stdout().lock());
    summary::tell(&mut out, &rendered.deliverables, &report, &chosen.name)?;
    out.flush()?;
    Ok(ExitCode::from(match &report {
        report if report.is_complete() => DONE,
        report if report.halt.as_ref().is_some_and(|halt| halt.interrupted) => INTERRUPTED,
        _ => FOUND,
    }))
}

/// Says plainly what nobody has made or looked at.
pub(super) fn remark_on_direct_movies(expansion: &Expansion) {
    let movies = expansion
        .deliverables
        .iter()
        .filter(|one| one.movie().is_some_and(|movie| movie.is_direct()));
    let number = movies.count() as u64;
    if number > 0 {
        anstream::eprintln!(
            "{} that an engine writes itself: named and checked, but not run by this version",
            count(number, "movie", "movies")
        );
    }
}
