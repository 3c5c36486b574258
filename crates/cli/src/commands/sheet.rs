//! `truepath sheet`: contact sheets.

use std::io;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use rayon::prelude::*;
use truepath_core::frames::Frame;
use truepath_core::picture::Size;
use truepath_core::spread::spread_frames;
use truepath_media::{
    CellState, Flaw, Proxy, ProxyOptions, Raster, SheetCell, SheetOptions, SheetRow, draw_sheet,
};
use truepath_runner::follow::pictures::PictureRow;
use truepath_runner::look::proxy_cache::{cached_proxy, trim};

use crate::burn_in::{BurnIn, RowText};
use crate::data_view::{DataView, legend};
use crate::error::{CommandError, DONE};
use crate::picture_arguments::{ChosenPictures, PictureArguments};
use crate::show::drawing::DrawingFormat;
use crate::show::{alert, count, files, remark};

/// Draw contact sheets: small pictures with frames and states
///
/// A row is a deliverable of the job, or a sequence of the folders that are named, and shows frames that are spread
/// over it. Missing, broken and stale frames are drawn as such. Linear pictures are shown by the curve of sRGB,
/// passes of data from their lowest to their highest value, transparent parts over a checker, pixels that are not a
/// number in magenta and infinite ones in cyan. What does not fit goes onto further pages. No file is ever replaced.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath sheet --to sheet.png\n  truepath sheet --shot dawn --columns 12 --to dawn.jpg\n  truepath sheet renders/dawn --every 10 --to dawn.png"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pictures: PictureArguments,
    /// The file, as .png or .jpg; further pages have their number before the extension
    #[arg(long, value_name = "FILE")]
    to: PathBuf,
    /// Pictures in a row
    #[arg(long, value_name = "NUMBER", default_value_t = 8, value_parser = clap::value_parser!(u32).range(1..=64))]
    columns: u32,
    /// Show every Nth frame
    #[arg(long, value_name = "FRAMES", value_parser = clap::value_parser!(u64).range(1..))]
    every: Option<u64>,
    /// Pixels of a page
    #[arg(long, value_name = "SIZE", default_value = "1280x800")]
    page: Size,
    /// Exposure in stops; negative is darker
    #[arg(
        long,
        value_name = "STOPS",
        default_value_t = 0.0,
        allow_hyphen_values = true
    )]
    exposure: f32,
    #[command(flatten)]
    data: DataView,
    #[command(flatten)]
    burn_in: BurnIn,
}

/// A row as it will be drawn: some frames of pictures that belong together.
struct Planned<'r> {
    row: &'r PictureRow,
    text: &'r RowText,
    frames: Vec<Frame>,
}

/// The least and the most pixels of a page on a side.
const PAGE: (u32, u32) = (160, 16_384);

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let kind = DrawingFormat::of(&arguments.to)?;
    let sides = [arguments.page.width, arguments.page.height];
    if sides.iter().any(|side| !(PAGE.0..=PAGE.1).contains(side)) {
        return Err(CommandError::Usage(format!(
            "a page has {} to {} pixels on each side, not {}",
            PAGE.0, PAGE.1, arguments.page
        )));
    }
    let chosen = arguments.pictures.load()?;
    let texts = arguments.burn_in.of_rows(&chosen)?;
    let ChosenPictures { title, rows, .. } = &chosen;
    let planned: Vec<Planned<'_>> = rows
        .iter()
        .zip(&texts)
        .flat_map(|(row, text)| planned(row, text, &arguments))
        .collect();
    let options = SheetOptions {
        page: arguments.page,
        columns: arguments.columns,
    };
    let mut written = Vec::new();
    let mut page = |number: usize, raster: &Raster| {
        let path = page_path(&arguments.to, number);
        kind.write(&path, raster)?;
        written.push(path);
        Ok(())
    };
    let mut row = |at: usize| drawn(&planned[at], options, &arguments);
    let drawn = draw_sheet(title, options, planned.len(), &mut row, &mut page);
    trim();
    let is_missing = drawn.map_err(|(path, error): (PathBuf, io::Error)| {
        CommandError::outside(path.display().to_string())(error)
    })?;
    if is_missing {
        alert("some letters are not in the font of the sheet, and are drawn as boxes");
    }
    for path in &written {
        crate::show::print(&path.display().to_string())?;
    }
    remark(&format!(
        "{} of {} on {}",
        files(planned.iter().map(|one| one.frames.len() as u64).sum()),
        count(rows.len() as u64, "sequence", "sequences"),
        count(written.len() as u64, "page", "pages")
    ));
    Ok(ExitCode::from(DONE))
}

/// The frames of a row, in as many rows as they need.
fn planned<'r>(row: &'r PictureRow, text: &'r RowText, arguments: &Arguments) -> Vec<Planned<'r>> {
    let frames = match arguments.every {
        None => spread_frames(&row.frames, u64::from(arguments.columns)),
        Some(every) => {
            let step = usize::try_from(every).unwrap_or(usize::MAX);
            row.frames.iter().step_by(step).collect()
        }
    };
    let parts = frames.chunks(arguments.columns as usize);
    parts
        .map(|frames| Planned {
            row,
            text,
            frames: frames.to_vec(),
        })
        .collect()
}

fn drawn(planned: &Planned<'_>, options: SheetOptions, arguments: &Arguments) -> SheetRow {
    let row = planned.row;
    let proxies: Vec<Option<Result<Proxy, Flaw>>> = planned
        .frames
        .par_iter()
        .map(|frame| {
            let path = row.path(*frame).filter(|path| path.exists())?;
            let proxy_options = ProxyOptions {
                within: Size::square(options.picture()),
                is_data: arguments.data.is_data(row),
            };
            Some(cached_proxy(&path, proxy_options))
        })
        .collect();
    let ranges = proxies.iter().flatten().flatten().filter_map(Proxy::range);
    let range = ranges.reduce(|(low, high), (least, most)| (low.min(least), high.max(most)));
    let display = arguments.data.display(row, arguments.exposure, range);
    let size = proxies
        .iter()
        .flatten()
        .flatten()
        .next()
        .map(|proxy| proxy.source);
    let mut title = row.title.clone();
    if let Some(size) = size {
        title.push_str(&format!("  {size}"));
    }
    if let Some(legend) = legend(display) {
        title.push_str(&format!("  {legend}"));
    }
    let cells = planned.frames.iter().zip(proxies).map(|(frame, proxy)| {
        let mut state = row.state(*frame).or_else(|| row.suspicion(*frame));
        let picture = match proxy {
            Some(Ok(proxy)) => {
                let mut picture = proxy.shown(display);
                planned.text.draw(*frame, &mut picture);
                Some(picture)
            }
            Some(Err(Flaw::Unverifiable(_))) => {
                state = Some("unverifiable");
                None
            }
            Some(Err(_)) => {
                state = Some("broken");
                None
            }
            None => {
                state = state.or(Some("missing"));
                None
            }
        };
        SheetCell {
            label: frame.to_string(),
            state: state.map(|word| CellState {
                word: word.to_owned(),
                is_bad: matches!(word, "missing" | "broken" | "failed"),
            }),
            picture,
        }
    });
    SheetRow {
        cells: cells.collect(),
        scale: display.range.map(|_| display.has_false_color),
        title,
    }
}

/// `sheet.png`, `sheet-2.png` …
fn page_path(to: &Path, number: usize) -> PathBuf {
    if number == 0 {
        return to.to_owned();
    }
    let stem = to.file_stem().unwrap_or_default().to_string_lossy();
    let extension = to.extension().unwrap_or_default().to_string_lossy();
    to.with_file_name(format!("{stem}-{}.{extension}", number + 1))
}
