//! `truepath rename`: gives files other names, from one template to another, or the true names of a job.

mod matched;

use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use clap::Args;
use truepath_core::renaming::{Obstacle, Rename};
use truepath_core::visible::visible;
use truepath_runner::disk::RealDisk;
use truepath_runner::hand_over::renaming::{
    Hindrance, Journal, JournalError, Outcome, Plan, prepare,
};
use truepath_runner::look::user_folders::user_state;

use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::JobArguments;
use crate::show::{ERROR, FAINT, GOOD, WARNING, alert, files, remark};
use matched::Matched;

/// Rename files by templates, or to the names of a job
///
/// The files are those whose paths fit the first template; `{frame}` without a format takes any padding. What is to be
/// renamed is shown, and done only with --apply. No file is ever replaced: names that are wanted twice or taken are
/// refused before anything moves, and swapped names go through a temporary name. All of it is written
/// down beforehand, in a folder of yours: what is cut short is finished by the next call, and --undo takes it back.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath rename 'A{frame}.png' 'renders/{shot}_{frame:04}.png' --set shot=dawn\n  truepath rename 'old/{shot}.{frame}.exr' 'old/{shot}.{frame:06}.exr' --shift +1000 --apply\n  truepath rename 'night/{shot}_{pass}_{frame}.exr' --to-job --apply\n  truepath rename --undo\n\nThe exit code is 1 when something stands in the way."
)]
pub(crate) struct Arguments {
    /// What the names are like now
    #[arg(required_unless_present = "undo")]
    from: Option<String>,
    /// What they are to be like
    #[arg(required_unless_present_any = ["undo", "to_job"])]
    to: Option<String>,
    #[command(flatten)]
    job: JobArguments,
    /// Give them the true names of the job: the tokens of the names say of which output
    #[arg(long, conflicts_with = "to")]
    to_job: bool,
    /// Add this to every frame
    #[arg(
        long,
        value_name = "FRAMES",
        default_value_t = 0,
        allow_hyphen_values = true
    )]
    shift: i64,
    /// Rename them
    #[arg(long, short = 'a')]
    apply: bool,
    /// Give the files of the last call their old names
    #[arg(long, conflicts_with_all = ["from", "to", "to_job", "apply"])]
    undo: bool,
}

/// So many names are shown.
const MOST_SHOWN: usize = 12;

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let here = std::env::current_dir().map_err(CommandError::outside("the current folder"))?;
    let lists = user_state("renames").ok_or_else(|| {
        CommandError::Usage(
            "nothing is renamed without a folder of your own for the list of it: set HOME, or XDG_STATE_HOME"
                .to_owned(),
        )
    })?;
    if arguments.undo {
        let journal = Journal::open(&RealDisk, &here, &lists).map_err(refused)?;
        let outcome = journal.undo().map_err(refused)?;
        say(&outcome)?;
        return Ok(ExitCode::from(DONE));
    }
    if Journal::is_begun(&here, &lists) {
        let journal = Journal::open(&RealDisk, &here, &lists).map_err(refused)?;
        if journal.is_unfinished().map_err(refused)? {
            return go_on(&journal, arguments.apply);
        }
    }
    let matched = matched::matched(&arguments)?;
    for (name, why) in &matched.left {
        alert(&format!(
            "{WARNING}left{WARNING:#} {}: {why}",
            visible(name)
        ));
    }
    let renames: Vec<Rename> = matched
        .renames
        .iter()
        .filter(|one| one.from != one.to)
        .cloned()
        .collect();
    let plan = match prepare(&renames) {
        Ok(plan) => plan,
        Err(hindrances) => return refuse(&hindrances),
    };
    show(&matched, &renames, &plan)?;
    if renames.is_empty() {
        return Ok(ExitCode::from(if matched.left.is_empty() {
            DONE
        } else {
            FOUND
        }));
    }
    if !arguments.apply {
        remark("nothing was renamed; --apply does it");
        return Ok(ExitCode::from(DONE));
    }
    let journal = Journal::open(&RealDisk, &here, &lists).map_err(refused)?;
    let outcome = journal.rename(&plan).map_err(refused)?;
    say(&outcome)?;
    if arguments.to_job {
        remark("the next `truepath run` decodes them and takes them as adopted");
    }
    Ok(ExitCode::from(DONE))
}

/// Finishes what an earlier call began, and does nothing else; without `apply` it only says so.
fn go_on(journal: &Journal<'_>, apply: bool) -> Result<ExitCode, CommandError> {
    if !apply {
        alert(
            "an earlier call was cut short; the same call with --apply finishes it and does nothing else, and --undo takes it back. Nothing was renamed",
        );
        return Ok(ExitCode::from(FOUND));
    }
    remark("an earlier call was cut short; it is finished, and nothing else is done");
    if let Some(outcome) = journal.finish().map_err(refused)? {
        say(&outcome)?;
    }
    Ok(ExitCode::from(DONE))
}

fn refused(error: JournalError) -> CommandError {
    CommandError::Usage(format!(
        "{error}; the next call goes on, and `truepath rename --undo` takes back what was done"
    ))
}

fn say(outcome: &Outcome) -> Result<(), CommandError> {
    let text = match outcome {
        Outcome::Renamed(number) => format!(
            "{GOOD}renamed{GOOD:#} {}; `truepath rename --undo` takes it back",
            files(*number as u64)
        ),
        Outcome::Undone {
            files: number,
            gone,
        } => {
            for path in gone {
                alert(&format!("{path} is not there any more; it is left out"));
            }
            format!("{GOOD}undone{GOOD:#}: {} as before", files(*number as u64))
        }
    };
    Ok(crate::show::print(&text)?)
}

fn show(matched: &Matched, renames: &[Rename], plan: &Plan) -> Result<(), CommandError> {
    let mut out = crate::show::out();
    let here = matched.here.as_str();
    let short = |path: &str| {
        let below = path
            .strip_prefix(here)
            .unwrap_or(path)
            .trim_start_matches('/');
        visible(below).into_owned()
    };
    let width = renames
        .iter()
        .take(MOST_SHOWN)
        .map(|one| short(&one.from).chars().count());
    let width = width.max().unwrap_or(0);
    let is_long = renames.len() > MOST_SHOWN;
    for (at, one) in renames.iter().enumerate() {
        // The first ones and the last say what the rest is like.
        if is_long && at == MOST_SHOWN - 1 {
            writeln!(
                out,
                "  {FAINT}… {} more{FAINT:#}",
                renames.len() - MOST_SHOWN
            )?;
        }
        if !is_long || at < MOST_SHOWN - 1 || at == renames.len() - 1 {
            writeln!(
                out,
                "  {:<width$}  to  {}",
                short(&one.from),
                short(&one.to)
            )?;
        }
    }
    let right = matched.renames.len() - renames.len();
    let mut text = format!("{} to rename", files(renames.len() as u64));
    if right > 0 {
        text.push_str(&format!(", {right} have these names already"));
    }
    writeln!(out, "{text}")?;
    if let Some(first) = plan.linked.first() {
        writeln!(
            out,
            "{WARNING}linked{WARNING:#} {} of them, such as {}: they have further names, which stay",
            plan.linked.len(),
            short(first)
        )?;
    }
    Ok(out.flush()?)
}

fn refuse(hindrances: &[Hindrance]) -> Result<ExitCode, CommandError> {
    for one in hindrances.iter().take(MOST_SHOWN) {
        let text = match one {
            Hindrance::Name(Obstacle::SameName { first, second, to }) => {
                format!("{first} and {second} would both be {to}")
            }
            Hindrance::Name(Obstacle::Taken { from, to }) => {
                format!("{from} would be {to}, and there is a file of that name")
            }
            Hindrance::OtherFileSystem { from, to } => format!(
                "{from} would be {to}, which lies on another file system: copy the files there first"
            ),
            Hindrance::OneFile { first, second } => {
                format!("{first} and {second} are two names of one file")
            }
            Hindrance::Unreadable { path, error } => format!("{path}: {error}"),
        };
        alert(&format!("{ERROR}refused{ERROR:#} {}", visible(&text)));
    }
    if hindrances.len() > MOST_SHOWN {
        alert(&format!("and {} more", hindrances.len() - MOST_SHOWN));
    }
    alert("nothing was renamed");
    Ok(ExitCode::from(FOUND))
}

/// A path without a trailing slash.
fn text_of(path: &Path) -> String {
    path.display().to_string()
}
