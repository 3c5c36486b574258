//! `truepath report`: one page with all pictures, their states and what they took.

mod page;
mod proxies;

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_core::times::{GroupBy, TimesRow, slowest, summarize};
use truepath_runner::times::ended;

use crate::new_file::NewFile;
use crate::outcome::{CommandError, DONE};
use crate::picture_arguments::{ChosenPictures, PictureArguments};
use crate::show::{bytes, count, remark};
use page::Page;
use proxies::{Budget, shown_rows};

/// Write a page with all pictures, their states and what they took, to be handed on
///
/// One HTML file that opens from disk in any browser and loads nothing from elsewhere. It has a tile for each
/// deliverable with its states, a player (keys: space, arrows, Home, End, N for the next frame that is not as it should
/// be), two sequences side by side under a wipe, and the seconds of each frame. A link such as
/// report.html#row=1&frame=17 leads to a frame. No file is ever replaced.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath report --to monday.html\n  truepath report --shot dawn --size 60 --to dawn.html\n  truepath report renders/v002 renders/v003 --to versions.html"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pictures: PictureArguments,
    /// The page
    #[arg(long, value_name = "FILE")]
    to: PathBuf,
    /// Megabytes of the page at most: pictures become smaller, and then fewer, until it fits
    #[arg(long, value_name = "MEGABYTES", default_value_t = 30, value_parser = clap::value_parser!(u64).range(1..=2000))]
    size: u64,
    /// Frames per second of the player
    #[arg(long, value_name = "FPS", default_value_t = 24.0)]
    fps: f64,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if !(1.0..=240.0).contains(&arguments.fps) {
        return Err(CommandError::Usage(
            "--fps takes a number from 1 to 240".to_owned(),
        ));
    }
    let ChosenPictures { title, rows, job } = arguments.pictures.load()?;
    let processes = match job {
        Some(job) => ended(&job.loaded, &job.chosen)
            .map_err(CommandError::outside("the state of the job"))?,
        None => Vec::new(),
    };
    let budget = Budget {
        bytes: arguments.size * 1_000_000,
        fps: arguments.fps,
    };
    let (shown, note) = shown_rows(&rows, budget);
    let times: Vec<TimesRow> = summarize(&processes, GroupBy::Label);
    let page = Page {
        title: &title,
        rows: &shown,
        note: note.as_deref(),
        times: &times,
        slowest: &slowest(&processes),
    };
    let text = page.html();
    let write = || -> std::io::Result<()> {
        let mut file = NewFile::begin(&arguments.to)?;
        file.file().write_all(text.as_bytes())?;
        file.finish()
    };
    write().map_err(CommandError::outside(arguments.to.display().to_string()))?;
    crate::show::print(&arguments.to.display().to_string())?;
    if let Some(note) = &note {
        remark(note);
    }
    remark(&format!(
        "{} of {}, {}",
        count(
            shown.iter().map(|row| row.frames.len() as u64).sum(),
            "frame",
            "frames"
        ),
        count(shown.len() as u64, "sequence", "sequences"),
        bytes(text.len() as u64)
    ));
    Ok(ExitCode::from(DONE))
}
