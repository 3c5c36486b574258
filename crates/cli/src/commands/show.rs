//! `truepath show`: pictures in the terminal.

use std::io::{self, IsTerminal, Write};
use std::path::Path;
use std::process::ExitCode;

use clap::Args;
use truepath_core::frames::Frame;
use truepath_core::picture::{DisplayOptions, Size};
use truepath_core::spread::spread_frames;
use truepath_media::{ProxyOptions, proxy};
use truepath_runner::pictures::PictureRow;
use truepath_runner::verify_all::first_facts;

use crate::outcome::{CommandError, DONE, FOUND};
use crate::picture_arguments::PictureArguments;
use crate::show::blocks::lines;
use crate::show::{ERROR, FAINT, TITLE, columns, remark};

/// Show pictures in the terminal
///
/// Of each deliverable of the job, or of each sequence and picture that is named, the frame in the middle or the one
/// that is chosen. Each cell of the terminal shows two pixels in true color, so that it works over any connection and
/// without any other program; a picture is never larger than it is. Where the output is no terminal, or NO_COLOR is
/// set, it says what the pictures are.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath show --shot dawn\n  truepath show --shot dawn --frame 17 --exposure 2\n  truepath show renders/dawn.0017.exr\n  truepath show renders --width 60 --always | less -R"
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
    /// Brighter by so many stops, or darker
    #[arg(
        long,
        value_name = "STOPS",
        default_value_t = 0.0,
        allow_hyphen_values = true
    )]
    exposure: f32,
    /// Draw although the output is no terminal
    #[arg(long)]
    always: bool,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let rows = arguments.pictures.load()?.rows;
    let is_colored = std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty());
    let draws = arguments.always || (io::stdout().is_terminal() && is_colored);
    let mut is_fine = true;
    for row in &rows {
        let frame = arguments
            .frame
            .or_else(|| spread_frames(&row.frames, 1).first().copied())
            .unwrap_or(0);
        is_fine &= show(row, frame, &arguments, draws)?;
    }
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
    writeln!(out, "  {FAINT}{}{FAINT:#}", facts(&path))?;
    out.flush()?;
    if !draws {
        return Ok(true);
    }
    let width = arguments.width.unwrap_or(columns(io::stdout(), 80) as u32);
    let height = terminal_size::terminal_size().map_or(u32::MAX, |(_, height)| u32::from(height.0));
    // A prompt, the title and the facts stay in sight.
    let rows = height.saturating_sub(4).max(4).saturating_mul(2);
    let options = ProxyOptions {
        within: Size {
            width,
            height: rows,
        },
        is_data: row.is_data,
    };
    let proxy = match proxy(&path, options) {
        Ok(proxy) => proxy,
        Err(flaw) => {
            crate::show::alert(&format!(
                "{ERROR}not shown{ERROR:#} {}: {flaw}",
                path.display()
            ));
            return Ok(false);
        }
    };
    let display = DisplayOptions {
        exposure: arguments.exposure,
        range: proxy.range().filter(|_| row.is_data),
    };
    // Colors are what this is about: nothing takes them out on the way.
    let mut raw = io::stdout().lock();
    for line in lines(&proxy.shown(display)) {
        match writeln!(raw, "{line}") {
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => return Ok(true),
            written => written?,
        }
    }
    Ok(true)
}

fn facts(path: &Path) -> String {
    first_facts(path).unwrap_or_else(|| "no picture of a known format".to_owned())
}
