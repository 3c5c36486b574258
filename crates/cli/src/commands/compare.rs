//! `truepath compare`: how much pictures differ.

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Args, ValueEnum};
use rayon::prelude::*;
use truepath_core::frames::Frame;
use truepath_core::picture::DisplayOptions;
use truepath_core::picture::Size;
use truepath_media::{
    CellState, CompareError, ComparedValues, Difference, Pair, ProxyOptions, Raster, SheetCell,
    SheetOptions, SheetRow, draw_sheet, proxy,
};
use truepath_runner::pictures::{PictureRow, pictures_of_paths};

use super::{OutputFormat, print_json};
use crate::outcome::{CommandError, DONE, FOUND};
use crate::shapes::compare::CompareShape;
use crate::show::drawing::DrawingFormat;
use crate::show::{ERROR, FAINT, GOOD, TITLE, WARNING, count, frames_of, remark};

/// Compare pictures: two versions, folders, machines or engines, frame by frame
///
/// Sequences of two folders belong together by their names, in which version numbers make no difference; two files,
/// or two folders with one sequence each, belong together anyway. The worst frames come first: the largest and the
/// mean difference of a value, the part of the pixels beyond the tolerance, PSNR and SSIM. Colors are compared
/// multiplied by their alpha. Frames and sequences that only one side has, pictures of different sizes, and further
/// layers, which are not compared, are reported.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath compare renders/v002 renders/v003\n  truepath compare a.exr b.exr --tolerance 0.001\n  truepath compare old new --values display --to worst.png\n  truepath compare old new --format json | jq '.frames[] | select(.share > 0.01)'\n\nThe exit code is 0 when no value differs by more than the tolerance and nothing is missing on either side."
)]
pub(crate) struct Arguments {
    /// A folder or a picture
    first: PathBuf,
    /// What it is compared with
    second: PathBuf,
    /// The largest difference of a value that is none
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

/// A frame that both sides have.
pub(crate) struct ComparedFrame {
    /// What it is a frame of.
    pub(crate) title: String,
    pub(crate) frame: Frame,
    pub(crate) paths: (PathBuf, PathBuf),
    pub(crate) result: Result<Difference, CompareError>,
    /// What else is in the files and was not compared.
    pub(crate) notes: Vec<String>,
}

/// What was compared, and what only one side has.
#[derive(Default)]
pub(crate) struct Compared {
    /// The worst first.
    pub(crate) frames: Vec<ComparedFrame>,
    /// What only the first, and what only the second has.
    pub(crate) only: (Vec<String>, Vec<String>),
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if arguments.tolerance.is_nan() || arguments.tolerance < 0.0 {
        return Err(CommandError::Usage(
            "--tolerance takes a value from 0".to_owned(),
        ));
    }
    let kind = arguments.to.as_deref().map(DrawingFormat::of).transpose()?;
    let rows = |path: &Path| {
        let rows = pictures_of_paths(&[path.to_owned()]);
        rows.map_err(CommandError::outside(path.display().to_string()))
    };
    let (first, second) = (rows(&arguments.first)?, rows(&arguments.second)?);
    if first.is_empty() || second.is_empty() {
        let empty = if first.is_empty() {
            &arguments.first
        } else {
            &arguments.second
        };
        return Err(CommandError::Usage(format!(
            "there are no pictures in {}",
            empty.display()
        )));
    }
    let compared = compare(&arguments, &first, &second);
    let is_fine = compared.is_fine();
    if arguments.format == OutputFormat::Json {
        print_json(&CompareShape::of(&compared, is_fine))?;
    } else {
        print(&compared, &arguments)?;
    }
    if let (Some(path), Some(kind)) = (&arguments.to, kind) {
        let page = draw(&compared, &arguments);
        kind.write(path, &page)
            .map_err(|(path, error)| CommandError::outside(path.display().to_string())(error))?;
        remark(&format!("the worst frames are drawn in {}", path.display()));
    }
    Ok(ExitCode::from(if is_fine { DONE } else { FOUND }))
}

impl Compared {
    /// Whether nothing differs by more than was allowed, and nothing is missing.
    fn is_fine(&self) -> bool {
        let is_alike =
            |one: &ComparedFrame| one.result.as_ref().is_ok_and(|seen| seen.share == 0.0);
        self.only.0.is_empty() && self.only.1.is_empty() && self.frames.iter().all(is_alike)
    }
}

/// The name of a sequence below its folder, without its version numbers.
fn key(row: &PictureRow, folder: &Path) -> String {
    let folder = folder.display().to_string();
    let below = row.title.strip_prefix(&folder).unwrap_or(&row.title);
    let mut key = String::new();
    let mut letters = below.chars().peekable();
    while let Some(letter) = letters.next() {
        key.push(letter);
        let is_version = letter == 'v' && letters.peek().is_some_and(char::is_ascii_digit);
        while is_version && letters.next_if(char::is_ascii_digit).is_some() {}
    }
    key
}

fn compare(arguments: &Arguments, first: &[PictureRow], second: &[PictureRow]) -> Compared {
    let mut compared = Compared::default();
    let mut pairs: Vec<(&PictureRow, &PictureRow)> = Vec::new();
    if let ([one], [other]) = (first, second) {
        pairs.push((one, other));
    } else {
        let mut open: BTreeMap<String, &PictureRow> = second
            .iter()
            .map(|row| (key(row, &arguments.second), row))
            .collect();
        for row in first {
            match open.remove(&key(row, &arguments.first)) {
                Some(other) => pairs.push((row, other)),
                None => compared.only.0.push(row.title.clone()),
            }
        }
        compared
            .only
            .1
            .extend(open.values().map(|row| row.title.clone()));
    }
    let mut tasks = Vec::new();
    for (one, other) in pairs {
        let (frames, others) = (there(one), there(other));
        for (mine, theirs, only) in [
            (&frames, &others, &mut compared.only.0),
            (&others, &frames, &mut compared.only.1),
        ] {
            let alone = mine.difference(theirs).unwrap_or_default();
            if !alone.is_empty() {
                only.push(format!("{} of {}", frames_of(&alone), one.title));
            }
        }
        let both = frames.intersection(&others).unwrap_or_default();
        for frame in both.iter() {
            if let (Some(path), Some(other)) = (one.path(frame), other.path(frame)) {
                tasks.push((one.title.clone(), frame, (path, other)));
            }
        }
    }
    let look = |(title, frame, paths): (String, Frame, (PathBuf, PathBuf))| {
        let pair = Pair::read(&paths.0, &paths.1);
        let notes = pair.as_ref().map(Pair::notes).unwrap_or_default();
        let values = arguments.values.compared();
        let result = pair.map(|pair| pair.difference(values, arguments.tolerance));
        ComparedFrame {
            title,
            frame,
            paths,
            result,
            notes,
        }
    };
    compared.frames = tasks.into_par_iter().map(look).collect();
    let badness = |one: &ComparedFrame| match &one.result {
        Ok(seen) => (seen.share, f64::from(seen.largest)),
        Err(_) => (f64::INFINITY, f64::INFINITY),
    };
    compared.frames.sort_by(|one, other| {
        let (mine, theirs) = (badness(one), badness(other));
        let by_share = theirs
            .0
            .total_cmp(&mine.0)
            .then(theirs.1.total_cmp(&mine.1));
        by_share.then_with(|| (&one.title, one.frame).cmp(&(&other.title, other.frame)))
    });
    compared
}

/// The frames of a row that are there.
fn there(row: &PictureRow) -> truepath_core::frames::FrameSet {
    let missing = row.states.iter().find(|(word, _)| *word == "missing");
    match missing {
        Some((_, missing)) => row.frames.difference(missing).unwrap_or_default(),
        None => row.frames.clone(),
    }
}

fn print(compared: &Compared, arguments: &Arguments) -> io::Result<()> {
    let mut out = crate::show::out();
    let worst = &compared.frames[..compared.frames.len().min(arguments.worst)];
    let width = worst
        .iter()
        .map(|one| one.title.chars().count())
        .max()
        .unwrap_or(0)
        .max(8);
    writeln!(
        out,
        "{TITLE}{:<width$}  {:>6}  {:>9}  {:>9}  {:>7}  {:>6}  {:>7}{TITLE:#}",
        "sequence", "frame", "largest", "mean", "pixels", "PSNR", "SSIM"
    )?;
    for one in worst {
        match &one.result {
            Err(error) => writeln!(
                out,
                "{:<width$}  {:>6}  {ERROR}{error}{ERROR:#}",
                one.title, one.frame
            )?,
            Ok(seen) => {
                let psnr = if seen.psnr.is_finite() {
                    format!("{:.1}", seen.psnr)
                } else {
                    "same".to_owned()
                };
                let style = if seen.share > 0.0 { WARNING } else { GOOD };
                writeln!(
                    out,
                    "{:<width$}  {:>6}  {:>9.5}  {:>9.6}  {style}{:>6.2}%{style:#}  {:>6}  {:>7.5}",
                    one.title,
                    one.frame,
                    seen.largest,
                    seen.mean,
                    seen.share * 100.0,
                    psnr,
                    seen.ssim
                )?;
                if seen.broken > 0 {
                    writeln!(
                        out,
                        "  {ERROR}broken{ERROR:#} {} a number on one side alone",
                        count(seen.broken, "pixel has", "pixels have")
                    )?;
                }
            }
        }
    }
    let more = compared.frames.len() - worst.len();
    if more > 0 {
        writeln!(
            out,
            "{FAINT}… {more} more that differ no more than these{FAINT:#}"
        )?;
    }
    for (side, only) in [("first", &compared.only.0), ("second", &compared.only.1)] {
        for what in only {
            writeln!(out, "{WARNING}only{WARNING:#} the {side} has {what}")?;
        }
    }
    let mut notes: BTreeMap<&str, u64> = BTreeMap::new();
    for note in compared.frames.iter().flat_map(|one| &one.notes) {
        *notes.entry(note).or_default() += 1;
    }
    for (note, number) in notes {
        let frames = count(number, "frame", "frames");
        writeln!(out, "{WARNING}not compared{WARNING:#} in {frames}: {note}")?;
    }
    let alike = compared
        .frames
        .iter()
        .filter(|one| one.result.as_ref().is_ok_and(|seen| seen.share == 0.0));
    writeln!(
        out,
        "{} compared, {} within a tolerance of {}",
        count(compared.frames.len() as u64, "frame", "frames"),
        alike.count(),
        arguments.tolerance
    )?;
    out.flush()
}

/// The worst frames of both sides side by side, and what differs.
fn draw(compared: &Compared, arguments: &Arguments) -> Raster {
    let options = SheetOptions {
        page: Size {
            width: 1280,
            height: 0,
        },
        columns: 3,
    };
    let most = arguments.worst.clamp(1, 12);
    // Frames that do not differ are no news, unless there is nothing else.
    let differs = |one: &&ComparedFrame| one.result.as_ref().map_or(true, |seen| seen.share > 0.0);
    let count = compared
        .frames
        .iter()
        .filter(differs)
        .count()
        .clamp(1, most);
    let worst = &compared.frames[..compared.frames.len().min(count)];
    let longest = 400;
    let options = SheetOptions {
        page: Size {
            height: 80 + worst.len().max(1) as u32 * (longest + 60),
            ..options.page
        },
        ..options
    };
    let mut row = |at: usize| row_of(&worst[at], arguments, longest.min(options.picture()));
    let title = format!(
        "{}  {}  difference x {}",
        arguments.first.display(),
        arguments.second.display(),
        arguments.gain
    );
    let mut page = Raster::new(options.page, [0; 3]);
    let mut take = |_: usize, raster: &Raster| {
        page = raster.clone();
        Ok::<(), std::convert::Infallible>(())
    };
    let Ok(_) = draw_sheet(&title, options, worst.len(), &mut row, &mut take);
    page.without_empty_bottom(16)
}

fn row_of(one: &ComparedFrame, arguments: &Arguments, longest: u32) -> SheetRow {
    let shown = |path: &Path| {
        let options = ProxyOptions {
            within: Size::square(longest),
            is_data: false,
        };
        proxy(path, options)
            .ok()
            .map(|proxy| proxy.shown(DisplayOptions::default()))
    };
    let values = arguments.values.compared();
    let pair = Pair::read(&one.paths.0, &one.paths.1).ok();
    let difference = pair.map(|pair| pair.picture(values, arguments.gain).reduced(longest));
    let label = match &one.result {
        Ok(seen) => format!(
            "largest {:.5}, {:.2}% of the pixels",
            seen.largest,
            seen.share * 100.0
        ),
        Err(error) => error.to_string(),
    };
    let cell = |label: &str, picture: Option<Raster>| SheetCell {
        label: label.to_owned(),
        state: picture.is_none().then(|| CellState {
            word: "not to be compared".to_owned(),
            is_bad: true,
        }),
        picture,
    };
    SheetRow {
        title: format!("{} {}", one.title, one.frame),
        cells: vec![
            cell("first", shown(&one.paths.0)),
            cell("second", shown(&one.paths.1)),
            cell(&label, difference),
        ],
    }
}
