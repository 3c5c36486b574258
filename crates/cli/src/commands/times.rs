//! `truepath times`: what rendering took and cost.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::{Args, ValueEnum};
use truepath_core::times::{EndedProcess, GroupBy, SlowFrame, TimesRow, slowest, summarize};
use truepath_runner::follow::times::ended;

use super::print_json;
use crate::error::{CommandError, DONE};
use crate::job_arguments::JobArguments;
use crate::shapes::times::TimesShape;
use crate::show::{FAINT, TITLE, WARNING, bytes, remark};

/// Show render times, processor time, memory and failed tries
///
/// A table by shot, or by what --by says, from what the ledgers record of every process: the seconds of the frame in
/// the middle and of the slowest, hours of all processes one after another and of all cores, the most memory that
/// one process took, and tries that failed. The slowest frames follow; those that took three times as long as their
/// neighbours come first.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath times\n  truepath times --by machine\n  truepath times --shot dawn --by frame --format csv >dawn.csv\n  truepath times --format json | jq '.slowest[] | select(.outlier)'"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// What the rows of the table are
    #[arg(long, value_enum, default_value = "shot")]
    by: By,
    /// How many of the slowest frames are shown
    #[arg(long, value_name = "NUMBER", default_value_t = 5)]
    slowest: usize,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: TimesFormat,
}

/// What the rows are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum By {
    /// A shot
    Shot,
    /// An output
    Output,
    /// A pass, or the passes that are rendered together
    Pass,
    /// What is made: shot, output, variant, view, camera and pass
    Deliverable,
    /// A machine
    Machine,
    /// An engine, with its version
    Engine,
    /// A single frame
    Frame,
}

impl By {
    fn group(self) -> GroupBy {
        match self {
            Self::Shot => GroupBy::Shot,
            Self::Output => GroupBy::Output,
            Self::Pass => GroupBy::Pass,
            Self::Deliverable => GroupBy::Label,
            Self::Machine => GroupBy::Machine,
            Self::Engine => GroupBy::Engine,
            Self::Frame => GroupBy::Frame,
        }
    }

    fn title(self) -> &'static str {
        match self {
            Self::Shot => "shot",
            Self::Output => "output",
            Self::Pass => "pass",
            Self::Deliverable => "deliverable",
            Self::Machine => "machine",
            Self::Engine => "engine",
            Self::Frame => "frame",
        }
    }
}

/// For people or for programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum TimesFormat {
    /// To be read
    Text,
    /// JSON, with a version number
    Json,
    /// The table alone, with numbers in seconds and bytes
    Csv,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.load_latest()?;
    let processes = ended(&chosen.loaded, &chosen.chosen);
    let processes = processes.map_err(CommandError::outside("the state of the job"))?;
    let rows = summarize(&processes, arguments.by.group());
    let mut slow = slowest(&processes);
    slow.truncate(arguments.slowest);
    match arguments.format {
        TimesFormat::Json => {
            let title = arguments.by.title();
            print_json(&TimesShape::of(title, &rows, &slow))?;
        }
        TimesFormat::Csv => {
            let mut out = crate::show::out();
            write_csv(&mut out, arguments.by.title(), &rows)?;
            out.flush()?;
        }
        TimesFormat::Text if processes.is_empty() => {
            remark(&format!("{}: nothing was rendered yet", chosen.name));
        }
        TimesFormat::Text => {
            let mut out = crate::show::out();
            print_table(&mut out, arguments.by.title(), &rows, &processes)?;
            print_slowest(&mut out, &slow)?;
            out.flush()?;
        }
    }
    Ok(ExitCode::from(DONE))
}

/// `0.42 s`, `12.5 s`, `3:05 min`, `1:02:05 h`
fn seconds(value: f64) -> String {
    if value < 10.0 {
        format!("{value:.2} s")
    } else {
        crate::show::playing_time(value)
    }
}

fn print_table(
    out: &mut impl Write,
    title: &str,
    rows: &[TimesRow],
    processes: &[EndedProcess],
) -> io::Result<()> {
    let mut lines = vec![
        [
            title,
            "frames",
            "median",
            "slowest",
            "in all",
            "processor",
            "memory",
            "failed",
        ]
        .map(str::to_owned),
    ];
    lines.extend(
        rows.iter()
            .map(|row| cells(if row.name.is_empty() { "-" } else { &row.name }, row)),
    );
    if rows.len() > 1 {
        let together = summarize_all(processes);
        lines.push(cells("all", &together));
    }
    let width = |column: usize| {
        let cells = lines.iter().map(|line| line[column].chars().count());
        cells.max().unwrap_or(0)
    };
    let widths: Vec<usize> = (0..8).map(width).collect();
    for (at, line) in lines.iter().enumerate() {
        let mut text = format!("{:<1$}", line[0], widths[0]);
        for (cell, width) in line.iter().zip(&widths).skip(1) {
            text.push_str(&format!("  {cell:>width$}"));
        }
        if at == 0 {
            writeln!(out, "{TITLE}{text}{TITLE:#}")?;
        } else {
            writeln!(out, "{text}")?;
        }
    }
    Ok(())
}

/// All processes as one row.
fn summarize_all(processes: &[EndedProcess]) -> TimesRow {
    let unnamed: Vec<EndedProcess> = processes
        .iter()
        .map(|one| EndedProcess {
            shot: String::new(),
            ..one.clone()
        })
        .collect();
    summarize(&unnamed, GroupBy::Shot).pop().unwrap_or_default()
}

fn cells(name: &str, row: &TimesRow) -> [String; 8] {
    let or_none = |text: Option<String>| text.unwrap_or_else(|| "-".to_owned());
    [
        name.to_owned(),
        row.frames.to_string(),
        or_none(row.median.map(seconds)),
        or_none(
            row.slowest
                .map(|(frame, took)| format!("{} at {frame}", seconds(took))),
        ),
        seconds(row.wall),
        or_none((row.cpu > 0.0).then(|| seconds(row.cpu))),
        or_none((row.memory > 0).then(|| bytes(row.memory))),
        row.failed.to_string(),
    ]
}

fn print_slowest(out: &mut impl Write, slow: &[SlowFrame]) -> io::Result<()> {
    if slow.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{TITLE}slowest frames{TITLE:#}")?;
    let width = slow.iter().map(|one| one.label.chars().count()).max();
    let width = width.unwrap_or(0);
    for one in slow {
        let beside = match one.neighbours {
            Some(usual) if one.is_outlier() => format!(
                "  {WARNING}{:.1} times as long as its neighbours, {}{WARNING:#}",
                one.seconds / usual.max(0.001),
                seconds(usual)
            ),
            Some(usual) => format!("  {FAINT}its neighbours {}{FAINT:#}", seconds(usual)),
            None => String::new(),
        };
        writeln!(
            out,
            "{:<width$}  frame {:<6} {:>9}{beside}",
            one.label,
            one.frame,
            seconds(one.seconds)
        )?;
    }
    Ok(())
}

/// A table with a line for each row: what its columns are stands in the first.
fn write_csv(out: &mut impl Write, title: &str, rows: &[TimesRow]) -> io::Result<()> {
    writeln!(
        out,
        "{title},frames,processes,median_seconds,slowest_frame,slowest_seconds,wall_seconds,cpu_seconds,memory_bytes,failed"
    )?;
    let number = |value: f64| format!("{value:.3}");
    for row in rows {
        let slowest = row.slowest;
        writeln!(
            out,
            "{},{},{},{},{},{},{},{},{},{}",
            super::manifest::cell(&row.name),
            row.frames,
            row.processes,
            row.median.map(number).unwrap_or_default(),
            slowest
                .map(|(frame, _)| frame.to_string())
                .unwrap_or_default(),
            slowest.map(|(_, took)| number(took)).unwrap_or_default(),
            number(row.wall),
            number(row.cpu),
            row.memory,
            row.failed
        )?;
    }
    Ok(())
}
