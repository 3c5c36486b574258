//! Pictures side by side: the passes of one frame, or one frame of all shots.

use rayon::prelude::*;
use truepath_core::frames::Frame;
use truepath_core::picture::Size;
use truepath_media::Raster;
use truepath_runner::follow::pictures::PictureRow;

use super::frame::{Canvas, drawn};
use super::write_raw;
use crate::data_view::DataView;
use crate::error::CommandError;
use crate::show::print;
use crate::show::terminal::Protocol;
use crate::show::terminal::blocks::lines;

/// Cells of the narrowest picture, and between two.
const NARROWEST: u32 = 24;
const BETWEEN: u32 = 2;

/// Shows a frame of each sequence; whether all could be shown.
pub(super) fn show(
    rows: &[PictureRow],
    frame_of: &(dyn Fn(&PictureRow) -> Frame + Sync),
    (exposure, data): (f32, DataView),
    canvas: Canvas,
) -> Result<bool, CommandError> {
    let count = rows.len() as u32;
    let across = across(count, canvas.width, canvas.height);
    let (width, down) = (
        width(canvas.width, across),
        down(count, canvas.height, across),
    );
    let room = canvas.protocol.room(canvas.cells, width, down);
    let pictures: Vec<(String, Result<Raster, String>)> = rows
        .par_iter()
        .map(|row| {
            let frame = frame_of(row);
            (
                format!("{} {frame}", row.title),
                drawn(row, frame, room, exposure, data).map(|(picture, _)| picture),
            )
        })
        .collect();
    for some in pictures.chunks(across as usize) {
        let title = |(title, picture): &(String, Result<Raster, String>)| match picture {
            Ok(_) => fitted(title, width),
            Err(why) => fitted(&format!("{why}: {title}"), width),
        };
        let titles: Vec<String> = some.iter().map(title).collect();
        print(titles.join(&" ".repeat(BETWEEN as usize)).trim_end())?;
        let stream = match canvas.protocol {
            Protocol::Blocks => beside(some, width),
            protocol => {
                protocol.stream(&on_one(some, room, canvas.cells.pixels.width * BETWEEN))?
            }
        };
        write_raw(&stream)?;
    }
    Ok(pictures.iter().all(|(_, picture)| picture.is_ok()))
}

/// How many pictures stand in a row, so that they are as large as they can be; two pixels of a column are a cell.
fn across(count: u32, columns: u32, lines: u32) -> u32 {
    let most = ((columns + BETWEEN) / (NARROWEST + BETWEEN)).clamp(1, count.max(1));
    let side = |across: &u32| width(columns, *across).min(2 * down(count, lines, *across));
    (1..=most).rev().max_by_key(side).unwrap_or(1)
}

/// Cells of a picture across.
fn width(columns: u32, across: u32) -> u32 {
    ((columns + BETWEEN) / across)
        .saturating_sub(BETWEEN)
        .max(1)
}

/// Cells of a picture down, below its title.
fn down(count: u32, lines: u32, across: u32) -> u32 {
    let of_row = lines.saturating_sub(2) / count.div_ceil(across).max(1);
    of_row.saturating_sub(1).clamp(6, 40)
}

/// A title in so many cells: it keeps its beginning, where the shot is, and its end with pass and frame.
fn fitted(title: &str, width: u32) -> String {
    let width = width as usize;
    let letters: Vec<char> = title.chars().collect();
    if letters.len() <= width {
        return format!("{title:<width$}");
    }
    let kept = width.saturating_sub(1);
    let (front, back) = (kept / 2, kept - kept / 2);
    let part = |letters: &[char]| letters.iter().collect::<String>();
    format!(
        "{}…{}",
        part(&letters[..front]),
        part(&letters[letters.len() - back..])
    )
}

/// The lines of pictures side by side.
fn beside(some: &[(String, Result<Raster, String>)], width: u32) -> String {
    let columns: Vec<(u32, Vec<String>)> = some
        .iter()
        .map(|(_, picture)| match picture {
            Ok(picture) => (picture.size().width, lines(picture)),
            Err(_) => (0, Vec::new()),
        })
        .collect();
    let height = columns
        .iter()
        .map(|(_, lines)| lines.len())
        .max()
        .unwrap_or(0);
    let mut stream = String::new();
    for at in 0..height {
        for (number, (own, lines)) in columns.iter().enumerate() {
            let shown = lines.get(at);
            stream.push_str(shown.map_or("", String::as_str));
            let taken = shown.map_or(0, |_| *own);
            if number + 1 < columns.len() {
                stream.push_str(&" ".repeat((width + BETWEEN - taken) as usize));
            }
        }
        stream.push('\n');
    }
    stream
}

/// Pictures side by side on one.
fn on_one(some: &[(String, Result<Raster, String>)], room: Size, between: u32) -> Raster {
    let pictures = || some.iter().map(|(_, picture)| picture.as_ref().ok());
    let height = pictures()
        .flatten()
        .map(|picture| picture.size().height)
        .max()
        .unwrap_or(1);
    let size = Size {
        width: (room.width + between) * some.len() as u32 - between,
        height,
    };
    let mut one = Raster::new(size, [0; 3]);
    for (at, picture) in (0..).zip(pictures()) {
        if let Some(picture) = picture {
            one.draw((at * (room.width + between), 0), picture);
        }
    }
    one
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_title_that_is_too_long_keeps_its_ends() {
        assert_eq!(fitted("dawn 7", 8), "dawn 7  ");
        assert_eq!(fitted("dawn · day · beauty 7", 9), "dawn…ty 7");
    }

    #[test]
    fn pictures_are_as_large_as_they_can_be() {
        assert_eq!(across(10, 156, 48), 5);
        assert_eq!(across(1, 156, 48), 1);
        assert_eq!(across(3, 80, 24), 3);
        assert_eq!(across(2, 20, 24), 1);
    }
}
