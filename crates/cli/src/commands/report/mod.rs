//! `truepath report`: one page with all pictures, their states and what they took.

mod page;
mod proxies;

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_core::times::{EndedProcess, GroupBy, TimesRow, slowest, summarize};
use truepath_runner::follow::looked_back::log_warnings;
use truepath_runner::follow::pictures::judged_pictures;
use truepath_runner::follow::times::ended;
use truepath_runner::make::run::Warning;

use crate::burn_in::BurnIn;
use crate::commands::command_lines::first_lines;
use crate::data_view::DataView;
use crate::error::{CommandError, DONE};
use crate::findings::{findings, has_errors};
use crate::job_arguments::Chosen;
use crate::new_file::NewFile;
use crate::picture_arguments::{ChosenPictures, PictureArguments};
use crate::show::{bytes, count, remark};
use page::{Page, PlacedFinding};
use proxies::{Budget, RowView, shown_rows};

/// Write one HTML page with pictures, states and render times
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
    /// Frames per second of the player; unset, those of the job, else 24
    #[arg(long, value_name = "FPS")]
    fps: Option<f64>,
    #[command(flatten)]
    data: DataView,
    #[command(flatten)]
    burn_in: BurnIn,
}

/// What a page says of jobs besides their pictures.
#[derive(Default)]
struct OfJobs {
    processes: Vec<EndedProcess>,
    /// What the rules say about the jobs, and about their finished pictures, with the place.
    findings: Vec<PlacedFinding>,
    /// What engines warned of.
    warnings: Vec<Warning>,
    /// A command line of each deliverable.
    lines: Vec<(String, String)>,
}

impl OfJobs {
    fn add(&mut self, job: &Chosen) -> Result<(), CommandError> {
        let unreadable = || CommandError::outside("the state of the job");
        self.processes
            .extend(ended(&job.loaded, &job.chosen).map_err(unreadable())?);
        let rendered = job.chosen.clone();
        let mut findings = findings(job);
        // Without a sound job there is no command line.
        if !has_errors(&findings) {
            self.lines.extend(first_lines(job)?);
        }
        findings.extend(judged_pictures(&job.loaded, &rendered).map_err(unreadable())?);
        let sources = &job.loaded.job.sources;
        let placed = findings
            .into_iter()
            .map(|finding| PlacedFinding::new(finding, sources));
        self.findings.extend(placed);
        let warnings = log_warnings(&job.loaded, &rendered).map_err(unreadable())?;
        self.warnings.extend(warnings);
        Ok(())
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if arguments
        .fps
        .is_some_and(|fps| !(1.0..=240.0).contains(&fps))
    {
        return Err(CommandError::Usage(
            "--fps takes a number from 1 to 240".to_owned(),
        ));
    }
    let chosen = arguments.pictures.load()?;
    let texts = arguments.burn_in.of_rows(&chosen)?;
    let ChosenPictures {
        title, rows, jobs, ..
    } = &chosen;
    let mut of_jobs = OfJobs::default();
    for job in jobs {
        of_jobs.add(job)?;
    }
    let processes = &of_jobs.processes;
    let of_job = chosen.fps().map(|fps| fps.value());
    let fps = arguments.fps.or(of_job).unwrap_or(24.0);
    let budget = Budget {
        bytes: arguments.size * 1_000_000,
        fps,
    };
    let views = rows.iter().zip(&texts);
    let views: Vec<RowView<'_>> = views
        .map(|(row, text)| RowView {
            row,
            text,
            data: arguments.data,
        })
        .collect();
    let (shown, note) = shown_rows(&views, budget);
    truepath_runner::look::proxy_cache::trim();
    let times: Vec<TimesRow> = summarize(processes, GroupBy::Label);
    let machines = summarize(processes, GroupBy::Machine);
    let engines = summarize(processes, GroupBy::Engine);
    let page = Page {
        title,
        rows: &shown,
        note: note.as_deref(),
        findings: (!jobs.is_empty()).then_some(&of_jobs.findings),
        warnings: &of_jobs.warnings,
        lines: &of_jobs.lines,
        times: &times,
        made_by: [&machines, &engines],
        slowest: &slowest(processes),
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
