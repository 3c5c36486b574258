//! `truepath show`: pictures in the terminal.
//!
//! - This file shows one frame of each sequence, one after another.
//! - `grid` shows them side by side, `player` flips through them by keys.
//! - `frame` makes what a terminal shows of a frame.

mod frame;
mod grid;
mod player;

use std::io::{self, IsTerminal, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::frames::Frame;
use truepath_core::movie::Fps;
use truepath_core::spread::spread_frames;
use truepath_runner::follow::pictures::PictureRow;
use truepath_runner::look::verify_all::first_facts;

use self::frame::{Canvas, drawn};
use crate::data_view::{DataView, legend};
use crate::error::{CommandError, DONE, FOUND};
use crate::picture_arguments::PictureArguments;
use crate::show::terminal::{Cells, Protocol};
use crate::show::{ERROR, FAINT, TITLE, alert, columns, print, remark};

/// Show pictures in the terminal
///
/// Of each deliverable of the job, or of each sequence and picture that is named, the frame in the middle or the one
/// that is chosen, one below the other or side by side; or all frames, played. Pictures are drawn with two pixels in each
/// cell, which works over any connection, or as sixels or by a graphics protocol where the terminal says that it shows
/// them; a picture is never larger than it is. Where the output is no terminal, or NO_COLOR is set, it says what the
/// pictures are.
///
/// Keys of the player: space plays and stops, left and right step, up and down change the sequence, + and - the speed,
/// the square brackets the exposure; n goes to the next frame that is not as it should be, 0 to the first, q ends. Of a
/// job, frames appear as they are published.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath show --shot dawn\n  truepath show --shot dawn --frame 17 --exposure 2\n  truepath show renders/dawn.0017.exr\n  truepath show --frame 17 --grid\n  truepath show --shot dawn --output preview --play\n  truepath show renders --width 60 --always | less -R"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    pictures: PictureArguments,
    /// The frame; unset, the one in the middle
    #[arg(long, value_name = "FRAME", allow_hyphen_values = true)]
    frame: Option<Frame>,
    /// Cells across at most; unset, those of the terminal
    #[arg(long, value_name = "CELLS", value_parser = clap::value_parser!(u32).range(1..=2000))]
    width: Option<u32>,
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
    /// How pictures are drawn; unset, as the terminal shows them best by what it says of itself
    #[arg(long, value_enum, value_name = "PROTOCOL")]
    protocol: Option<Protocol>,
    /// Show the pictures side by side
    #[arg(long)]
    grid: bool,
    /// Play the frames, with keys
    #[arg(long, conflicts_with_all = ["grid", "frame"])]
    play: bool,
    /// Frames per second of the player; unset, those of the job, else 24
    #[arg(long, value_name = "FPS", requires = "play")]
    fps: Option<Fps>,
    /// Draw although the output is no terminal
    #[arg(long)]
    always: bool,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.pictures.load()?;
    let is_colored = std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty());
    let draws = arguments.always || (io::stdout().is_terminal() && is_colored);
    let cells = Cells::of_terminal();
    let canvas = Canvas {
        protocol: arguments.protocol.unwrap_or_else(Protocol::usual),
        width: arguments.width.unwrap_or(columns(io::stdout(), 80) as u32),
        height: cells.count.height,
        cells,
    };
    if arguments.play {
        if !draws {
            return Err(CommandError::Usage(
                "--play needs a terminal with colors, or --always".to_owned(),
            ));
        }
        let played = player::play(&arguments, chosen, canvas);
        truepath_runner::look::proxy_cache::trim();
        return played;
    }
    let frame_of = |row: &PictureRow| {
        let middle = || spread_frames(&row.frames, 1).first().copied();
        arguments.frame.or_else(middle).unwrap_or(0)
    };
    let mut is_fine = true;
    if arguments.grid && draws {
        is_fine = grid::show(
            &chosen.rows,
            &frame_of,
            (arguments.exposure, arguments.data),
            canvas,
        )?;
    } else {
        for row in &chosen.rows {
            is_fine &= show(row, frame_of(row), &arguments, canvas, draws)?;
        }
    }
    truepath_runner::look::proxy_cache::trim();
    if !draws {
        remark("the pictures themselves are shown on a terminal, or with --always");
    }
    Ok(ExitCode::from(if is_fine { DONE } else { FOUND }))
}

/// Shows a frame; whether there is one to show.
fn show(
    row: &PictureRow,
    frame: Frame,
    arguments: &Arguments,
    canvas: Canvas,
    draws: bool,
) -> Result<bool, CommandError> {
    let mut out = crate::show::out();
    let state = row
        .state(frame)
        .map_or_else(String::new, |state| format!(" {ERROR}{state}{ERROR:#}"));
    writeln!(out, "{TITLE}{}{TITLE:#} {frame}{state}", row.title)?;
    let path = row.path(frame).filter(|path| path.is_file());
    let Some(path) = path else {
        if state.is_empty() {
            writeln!(out, "  {ERROR}missing{ERROR:#}")?;
        }
        out.flush()?;
        return Ok(false);
    };
    let facts = first_facts(&path);
    let facts = facts.unwrap_or_else(|| "no picture of a known format".to_owned());
    writeln!(out, "  {FAINT}{facts}{FAINT:#}")?;
    out.flush()?;
    // What is not as it should be is shown as far as it goes.
    let is_valid = row.state(frame).is_none();
    // A prompt, the title and the facts stay in sight.
    let rows = canvas.height.saturating_sub(4).max(4);
    let room = canvas.protocol.room(canvas.cells, canvas.width, rows);
    match drawn(row, frame, room, arguments.exposure, arguments.data) {
        Ok(_) if !draws => {}
        Ok((picture, display)) => {
            write_raw(&canvas.protocol.stream(&picture)?)?;
            if let Some(legend) = legend(display) {
                print(&format!("  {FAINT}{legend}{FAINT:#}"))?;
            }
        }
        Err(flaw) => {
            alert(&format!(
                "{ERROR}not shown{ERROR:#} {}: {flaw}",
                path.display()
            ));
            return Ok(false);
        }
    }
    Ok(is_valid)
}

/// Writes what a terminal acts on. Colors are what this is about: nothing takes them out on the way.
fn write_raw(stream: &str) -> Result<(), CommandError> {
    let mut raw = io::stdout().lock();
    match raw.write_all(stream.as_bytes()).and_then(|()| raw.flush()) {
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Err(CommandError::Closed),
        written => Ok(written?),
    }
}
