//! `truepath overview`: all that is to be made, a line each.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::{Deliverable, DeliverableKind};
use truepath_core::finding::grouped;
use truepath_core::frames::FrameSet;
use truepath_core::job::PlacedText;
use truepath_core::overview::{OverviewLine, overview};
use truepath_runner::follow::progress::progress;

use super::paths::report_unexpanded;
use super::{OutputFormat, print_json};
use crate::error::CommandError;
use crate::job_arguments::NamedJob;
use crate::shapes::VERSION;
use crate::shapes::overview::{Overview, OverviewEntry};
use crate::show::strips::fitted;
use crate::show::{FAINT, GOOD, TITLE, bytes, count, files, playing_time};

/// List what the job makes, one line each
///
/// An output of a shot, variant, view and camera, with its passes: engine, preset, size, frames,
/// files, playing time, estimated bytes, and how far it is by the ledger. Bytes with a `~` are a
/// rule of thumb; without, they come from the files that are there.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath overview\n  truepath overview --preset trial\n  truepath overview --shot dawn --format json"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// How the overview is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.job().load_latest()?;
    let progress = progress(&chosen.loaded, &chosen.chosen)
        .map_err(CommandError::outside("the ledger cannot be read"))?;
    let lines = overview(&chosen.chosen, &|index| progress[index]);
    if arguments.format == OutputFormat::Json {
        print_json(&Overview {
            version: VERSION,
            lines: lines.iter().map(shape).collect(),
        })?;
    } else {
        let mut out = crate::show::out();
        print(&mut out, &lines)?;
        out.flush()?;
    }
    report_unexpanded(&chosen)
}

fn text(word: Option<&PlacedText>) -> String {
    word.map_or_else(String::new, |word| word.text.clone())
}

fn passes(line: &OverviewLine<'_>) -> Vec<String> {
    let pass = |one: &&Deliverable| one.pass.as_ref().map(|word| word.text.clone());
    line.deliverables.iter().filter_map(pass).collect()
}

/// Size, or what stands in its place; passes may differ.
fn size(line: &OverviewLine<'_>) -> String {
    let of = |one: &Deliverable| {
        one.picture
            .file_size()
            .map_or_else(|| "scene's".to_owned(), |size| size.to_string())
    };
    let first = of(line.deliverables.first());
    if line.deliverables.iter().all(|one| of(one) == first) {
        first
    } else {
        "by pass".to_owned()
    }
}

fn state(line: &OverviewLine<'_>) -> String {
    match (line.done, line.files) {
        (0, _) => "to do".to_owned(),
        (done, files) if done >= files => "done".to_owned(),
        (done, files) => format!("{} %", done * 100 / files),
    }
}

/// What a line says in each column.
fn cells(line: &OverviewLine<'_>) -> Vec<String> {
    let common = &line.deliverables.first().common;
    let preset = common
        .names
        .preset
        .as_ref()
        .map(|preset| preset.value.clone());
    let thumb = if line.measured { "" } else { "~" };
    vec![
        common.names.shot.clone(),
        text(common.names.variant.as_ref()),
        text(common.names.view.as_ref()),
        text(common.names.camera.as_ref()),
        common.names.output.clone(),
        passes(line).join(" "),
        common.engine.name.clone(),
        preset.unwrap_or_default(),
        size(line),
        frames(line.deliverables.first()).to_string(),
        grouped(line.files),
        line.seconds.map_or_else(String::new, playing_time),
        line.bytes.map_or_else(
            || "?".to_owned(),
            |number| format!("{thumb}{}", bytes(number)),
        ),
        state(line),
    ]
}

const HEAD: [&str; 14] = [
    "shot", "variant", "view", "camera", "output", "passes", "engine", "preset", "size", "frames",
    "files", "time", "bytes", "state",
];
/// Numbers stand at the right of their columns.
const NUMBERS: std::ops::Range<usize> = 10..13;
/// The widest that a column gets; what is longer is cut.
const WIDEST: usize = 24;

fn print(out: &mut impl Write, lines: &[OverviewLine<'_>]) -> io::Result<()> {
    let rows: Vec<Vec<String>> = lines.iter().map(cells).collect();
    // A column that says nothing anywhere is left out.
    let columns: Vec<(usize, usize)> = (0..HEAD.len())
        .filter_map(|column| {
            let widest = rows.iter().map(|row| row[column].chars().count()).max()?;
            (widest > 0).then(|| (column, widest.max(HEAD[column].len()).min(WIDEST)))
        })
        .collect();
    let padded = |column: usize, width: usize, text: &str| {
        let text = fitted(text, width);
        if NUMBERS.contains(&column) {
            format!("{text:>width$}")
        } else {
            format!("{text:<width$}")
        }
    };
    for (column, width) in &columns {
        write!(
            out,
            "{TITLE}{}{TITLE:#}  ",
            padded(*column, *width, HEAD[*column])
        )?;
    }
    writeln!(out)?;
    for row in &rows {
        for (column, width) in &columns {
            let text = padded(*column, *width, &row[*column]);
            let last = *column + 1 == HEAD.len();
            let style = if last && row[*column] == "done" {
                GOOD
            } else {
                FAINT
            };
            if last {
                write!(out, "{style}{}{style:#}", text.trim_end())?;
            } else {
                write!(out, "{text}  ")?;
            }
        }
        writeln!(out)?;
    }
    let total: u64 = lines.iter().map(|line| line.files).sum();
    let known: Option<u64> = lines.iter().map(|line| line.bytes).sum();
    // A movie shows again what its sequence has, and a still has no time.
    let sequences = lines
        .iter()
        .filter(|line| line.deliverables.first().kind == DeliverableKind::Sequence);
    let seconds: Option<f64> = sequences.map(|line| line.seconds).sum();
    let thumb = if lines.iter().all(|line| line.measured) {
        ""
    } else {
        "~"
    };
    write!(
        out,
        "\n{TITLE}{}{TITLE:#}, {}",
        count(lines.len() as u64, "line", "lines"),
        files(total)
    )?;
    if let Some(seconds) = seconds {
        write!(out, ", {}", playing_time(seconds))?;
    }
    match known {
        Some(known) => writeln!(out, ", {thumb}{}", bytes(known)),
        None => writeln!(out),
    }
}

fn shape(line: &OverviewLine<'_>) -> OverviewEntry {
    let first = *line.deliverables.first();
    let common = &first.common;
    let word = |word: &Option<PlacedText>| PlacedText::text_of(word.as_ref()).map(str::to_owned);
    OverviewEntry {
        shot: common.names.shot.clone(),
        variant: word(&common.names.variant),
        view: word(&common.names.view),
        camera: word(&common.names.camera),
        output: common.names.output.clone(),
        passes: passes(line),
        engine: common.engine.name.clone(),
        preset: common
            .names
            .preset
            .as_ref()
            .map(|preset| preset.value.clone()),
        size: first.picture.file_size().map(|size| size.to_string()),
        frames: frames(first).to_string(),
        files: line.files,
        done: line.done,
        seconds: line.seconds,
        bytes: line.bytes,
        measured: line.measured,
    }
}

/// The frames that are wanted; of a movie those that it shows.
fn frames(one: &Deliverable) -> &FrameSet {
    match one.kind {
        DeliverableKind::Movie(_) => &one.common.frames.shot,
        DeliverableKind::Sequence | DeliverableKind::Still => &one.common.frames.selected,
    }
}
