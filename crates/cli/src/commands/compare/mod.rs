//! `truepath compare`: how much pictures differ.
//!
//! - This file reads the call and says how it ended.
//! - `matched` finds which pictures of two sides belong together; `repeated` renders frames of a job a second time.
//! - `printed` and `drawing` show what differs.

mod drawing;
mod matched;
mod printed;
mod repeated;

use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Args, ValueEnum};
use rayon::prelude::*;
use truepath_media::{CompareError, ComparedValues, Pair};
use truepath_runner::follow::pictures::pictures_of_paths;

use super::{OutputFormat, print_json};
use crate::compared::{Compared, ComparedFrame};
use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::JobArguments;
use crate::shapes::compare::CompareShape;
use crate::show::drawing::DrawingFormat;
use crate::show::remark;
use crate::show::states::remark_on_set_aside;
use matched::{Both, Matched};

/// Compare pictures of two versions, machines or engines
///
/// Sequences of two folders belong together by their names, in which version numbers make no difference; two files,
/// or two folders with one sequence each, belong together anyway. The worst frames come first: the largest and the
/// mean difference of a value, the part of the pixels beyond the tolerance, PSNR and SSIM. Colors are compared
/// multiplied by their alpha. Frames and sequences that only one side has, pictures of different sizes, and further
/// layers, which are compared with --per-pass only, are reported.
///
/// With --against-itself, frames of a job are rendered a second time, into a folder beside the first, and compared with
/// those that are there: where a renderer does not repeat itself, frames that another machine renders, or that are
/// rendered again, may flicker.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath compare renders/v002 renders/v003\n  truepath compare a.exr b.exr --tolerance 0.001 --per-pass\n  truepath compare old new --values display --to worst.png\n  truepath compare old new --format json | jq '.frames[] | select(.share > 0.01)'\n  truepath compare --against-itself --shot dawn --frames 1,48\n\nThe exit code is 0 when no value differs by more than the tolerance and nothing is missing on either side."
)]
pub(crate) struct Arguments {
    /// A folder or a picture
    #[arg(required_unless_present = "against_itself")]
    first: Option<PathBuf>,
    /// What it is compared with
    #[arg(required_unless_present = "against_itself")]
    second: Option<PathBuf>,
    /// Render frames of a job a second time and compare them: the first, the middle and the last of each deliverable, or
    /// those of --frames
    #[arg(long, conflicts_with_all = ["first", "second"])]
    against_itself: bool,
    #[command(flatten)]
    job: JobArguments,
    /// Compare each layer of EXR files, and show a line for each pass in place of the worst frames
    #[arg(long)]
    per_pass: bool,
    /// Differences up to this count as equal
    #[arg(long, value_name = "VALUE", default_value_t = 0.0)]
    tolerance: f32,
    /// Which values are compared: linear light, or what a display shows, from 0 to 1
    #[arg(long, value_enum, default_value = "linear")]
    values: Values,
    /// How many of the worst frames are shown
    #[arg(long, value_name = "NUMBER", default_value_t = 10)]
    worst: usize,
    /// Draw the worst frames of both sides and their differences, as .png or .jpg
    #[arg(long, value_name = "FILE")]
    to: Option<PathBuf>,
    /// How many times as bright differences are drawn
    #[arg(long, value_name = "FACTOR", default_value_t = 10.0)]
    gain: f32,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

/// Which values are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Values {
    /// Linear light
    Linear,
    /// What a display shows
    Display,
}

impl Values {
    fn compared(self) -> ComparedValues {
        match self {
            Self::Linear => ComparedValues::Linear,
            Self::Display => ComparedValues::Display,
        }
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if arguments.tolerance.is_nan() || arguments.tolerance < 0.0 {
        return Err(CommandError::Usage(
            "--tolerance takes a value from 0".to_owned(),
        ));
    }
    let kind = arguments.to.as_deref().map(DrawingFormat::of).transpose()?;
    let (names, matched) = match (&arguments.first, &arguments.second) {
        (Some(first), Some(second)) => {
            let names = [first, second].map(|path| path.display().to_string());
            (names, of_paths(first, second)?)
        }
        _ => repeated::rendered_again(&arguments.job)?,
    };
    let compared = compare(&arguments, matched)?;
    let is_fine = compared.is_fine();
    if arguments.format == OutputFormat::Json {
        print_json(&CompareShape::of(&compared, is_fine))?;
    } else {
        printed::print(&compared, &arguments)?;
    }
    if let (Some(path), Some(kind)) = (&arguments.to, kind) {
        let page = drawing::draw(&compared, &names, &arguments);
        kind.write(path, &page)
            .map_err(|(path, error)| CommandError::outside(path.display().to_string())(error))?;
        remark(&format!("the worst frames are drawn in {}", path.display()));
    }
    Ok(ExitCode::from(if is_fine { DONE } else { FOUND }))
}

/// The pictures of two files or folders.
fn of_paths(first: &Path, second: &Path) -> Result<Matched, CommandError> {
    let rows = |path: &Path| {
        let found = pictures_of_paths(&[path.to_owned()]);
        let found = found.map_err(CommandError::outside(path.display().to_string()))?;
        remark_on_set_aside(&found.set_aside);
        let rows = found.rows;
        if rows.is_empty() {
            return Err(CommandError::Usage(format!(
                "there are no pictures in {}",
                path.display()
            )));
        }
        Ok(rows)
    };
    Ok(Matched::by_name(
        (first, &rows(first)?),
        (second, &rows(second)?),
    ))
}

/// Compares all that belongs together.
fn compare(arguments: &Arguments, matched: Matched) -> Result<Compared, CommandError> {
    let look = |both: &Both, most_memory: u64| -> (Vec<ComparedFrame>, u64) {
        let mut memory = 0;
        let mut frame = |layer: String, pair: Result<Pair, CompareError>| {
            let notes = pair.as_ref().map(Pair::notes).unwrap_or_default();
            memory += pair.as_ref().map_or(0, Pair::memory);
            let values = arguments.values.compared();
            let result = pair.map(|pair| pair.difference(values, arguments.tolerance));
            ComparedFrame {
                title: both.title.clone(),
                layer,
                frame: both.frame,
                paths: both.paths.clone(),
                result,
                notes,
            }
        };
        let (first, second) = &both.paths;
        let layers = if arguments.per_pass {
            Pair::by_layer(first, second, most_memory)
        } else {
            Ok(vec![(
                String::new(),
                Pair::read(first, second, most_memory),
            )])
        };
        let frames = match layers {
            Err(error) => vec![frame(String::new(), Err(error))],
            Ok(layers) => layers
                .into_iter()
                .map(|(layer, pair)| frame(layer, pair))
                .collect(),
        };
        (frames, memory)
    };
    let all = &matched.both;
    let mut looks: Vec<(usize, Vec<ComparedFrame>)> = Vec::new();
    let usable = usable_memory();
    // The largest by itself shows how many fit into memory at once.
    let bytes = |at: &usize| all[*at].paths.0.metadata().map_or(0, |facts| facts.len());
    if let Some(largest) = (0..all.len()).max_by_key(bytes) {
        let (first, memory) = look(&all[largest], usable);
        looks.push((largest, first));
        let at_once = (usable / memory.max(1)).clamp(1, rayon::current_num_threads() as u64);
        let pool = rayon::ThreadPoolBuilder::new().num_threads(at_once as usize);
        let pool = pool.build().map_err(|error| {
            CommandError::outside("threads for decoding")(io::Error::other(error))
        })?;
        let others = (0..all.len()).into_par_iter();
        let others = others
            .filter(|at| *at != largest)
            .map(|at| (at, look(&all[at], usable / at_once).0));
        let others: Vec<_> = pool.install(|| others.collect());
        looks.extend(others);
    }
    looks.sort_by_key(|(at, _)| *at);
    let mut frames: Vec<ComparedFrame> = looks.into_iter().flat_map(|(_, frames)| frames).collect();
    frames.sort_by(|one, other| {
        let (mine, theirs) = (one.badness(), other.badness());
        let by_share = theirs.0.total_cmp(&mine.0);
        let by_largest = theirs.1.total_cmp(&mine.1);
        let name = |one: &ComparedFrame| (one.pass(), one.frame);
        by_share
            .then(by_largest)
            .then_with(|| name(one).cmp(&name(other)))
    });
    Ok(Compared {
        frames,
        only: matched.only,
    })
}

/// Bytes of memory that pictures may take while they are compared: half of what is free, since others want some too.
fn usable_memory() -> u64 {
    const OTHERWISE: u64 = 2 << 30;
    truepath_runner::system::free_memory().map_or(OTHERWISE, |free| free / 2)
}
