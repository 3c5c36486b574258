//! Pictures in a terminal: two pixels in each cell, the upper half block in the color of the upper one on the color
//! of the lower one. Every terminal with true color shows that, over any connection.

use std::fmt::Write;

use truepath_media::Raster;

/// The upper half block.
const HALF: char = '▀';

/// The lines of a picture, each with its colors and their end.
pub(crate) fn lines(picture: &Raster) -> Vec<String> {
    let size = picture.size();
    let mut lines = Vec::new();
    for top in (0..size.height).step_by(2) {
        let mut line = String::new();
        let mut known = None;
        for x in 0..size.width {
            let upper = picture.pixel(x, top);
            // Below the last row is the background of the terminal.
            let lower = (top + 1 < size.height).then(|| picture.pixel(x, top + 1));
            if known != Some((upper, lower)) {
                let [red, green, blue] = upper;
                // Writing into a text cannot fail.
                let _ = write!(line, "\u{1b}[38;2;{red};{green};{blue}");
                let _ = match lower {
                    Some([red, green, blue]) => write!(line, ";48;2;{red};{green};{blue}m"),
                    None => write!(line, ";49m"),
                };
                known = Some((upper, lower));
            }
            line.push(HALF);
        }
        line.push_str("\u{1b}[0m");
        lines.push(line);
    }
    lines
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::Size;

    use super::*;

    /// The pixels that a terminal shows of some lines.
    fn shown(lines: &[String]) -> Vec<Vec<[u8; 3]>> {
        let mut rows = Vec::new();
        for line in lines {
            let (mut upper, mut lower) = (Vec::new(), Vec::new());
            let mut colors = (vec![0_u8; 3], Some(vec![0_u8; 3]));
            let mut rest = line.as_str();
            while let Some(letter) = rest.chars().next() {
                if let Some(after) = rest.strip_prefix("\u{1b}[") {
                    let (codes, after) = after.split_once('m').unwrap();
                    let numbers: Vec<u16> =
                        codes.split(';').map(|one| one.parse().unwrap()).collect();
                    let color =
                        |at: usize| numbers[at..at + 3].iter().map(|one| *one as u8).collect();
                    if numbers[0] == 38 {
                        let below = (numbers[5] == 48).then(|| color(7));
                        colors = (color(2), below);
                    }
                    rest = after;
                    continue;
                }
                assert_eq!(letter, HALF);
                upper.push([colors.0[0], colors.0[1], colors.0[2]]);
                lower.extend(colors.1.as_ref().map(|one| [one[0], one[1], one[2]]));
                rest = &rest[letter.len_utf8()..];
            }
            rows.push(upper);
            if !lower.is_empty() {
                rows.push(lower);
            }
        }
        rows
    }

    #[test]
    fn the_stream_gives_the_pixels_back() {
        let size = Size {
            width: 7,
            height: 5,
        };
        let mut picture = Raster::new(size, [9, 9, 9]);
        for (at, (x, y)) in (0..).zip([(0, 0), (3, 1), (6, 4), (2, 4)]) {
            picture.set(x, y, [at * 60, 255 - at, at]);
        }
        let rows = shown(&lines(&picture));
        assert_eq!(rows.len(), 5);
        for (y, row) in (0..).zip(&rows) {
            assert_eq!(row.len(), 7);
            for (x, pixel) in (0..).zip(row) {
                assert_eq!(*pixel, picture.pixel(x, y), "{x} {y}");
            }
        }
    }
}
