//! `truepath clean`: what runs leave beside frames and state, and how it is removed.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use truepath_core::finding::count;
use truepath_runner::clean::{Leftovers, logs, set_aside};
use truepath_runner::disk::RealDisk;

use crate::job_arguments::NamedJob;
use crate::outcome::{CommandError, DONE};
use crate::show::{TITLE, bytes, files};

/// Show what runs have left beside the frames, and remove it
///
/// Without an option nothing is removed: it shows the logs of runs that are over, and what runs have set
/// aside beside the frames, with their sizes. Frames under their true names are never touched, nor what
/// belongs to a run that is at work or is still to be recovered.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath clean\n  truepath clean --logs\n  truepath clean --set-aside --dry-run"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// Remove the logs of runs that are over
    #[arg(long)]
    logs: bool,
    /// Remove what was set aside: files that were in the way, not asked for, broken, or not proven
    #[arg(long)]
    set_aside: bool,
    /// Only show what would be removed
    #[arg(long)]
    dry_run: bool,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.job().load_latest()?;
    let unreadable = || CommandError::outside("what runs have left cannot be looked through");
    let kinds = [
        ("logs", "logs", arguments.logs, logs(&chosen.loaded)),
        (
            "set aside",
            "set-aside",
            arguments.set_aside,
            set_aside(&chosen.chosen),
        ),
    ];
    let mut out = crate::show::out();
    let is_asked = arguments.logs || arguments.set_aside;
    for (title, option, is_chosen, left) in kinds {
        let left = left.map_err(unreadable())?;
        if is_asked && !is_chosen {
            continue;
        }
        let what = match (is_chosen, arguments.dry_run) {
            (true, false) => {
                left.remove(&RealDisk).map_err(unreadable())?;
                "removed".to_owned()
            }
            (true, true) => "would be removed".to_owned(),
            (false, _) if left.files > 0 => format!("removed by --{option}"),
            (false, _) => String::new(),
        };
        show(&mut out, title, &left, &what)?;
    }
    out.flush()?;
    Ok(ExitCode::from(DONE))
}

fn show(
    out: &mut impl Write,
    title: &str,
    left: &Leftovers,
    what: &str,
) -> Result<(), CommandError> {
    let size = format!("{}, {}", files(left.files), bytes(left.bytes));
    let what = if left.files == 0 { "" } else { what };
    writeln!(
        out,
        "{}",
        format!("{TITLE}{title:<9}{TITLE:#}  {size:<22}  {what}").trim_end()
    )?;
    const MOST: usize = 5;
    for folder in left.folders.iter().take(MOST) {
        writeln!(out, "  {}", folder.display())?;
    }
    if let Some(more) = left
        .folders
        .len()
        .checked_sub(MOST)
        .filter(|more| *more > 0)
    {
        writeln!(
            out,
            "  and {}",
            count(more as u64, "more folder", "more folders")
        )?;
    }
    Ok(())
}
