//! Sixels, after DEC's manual of the VT330/VT340, chapter 14: bands of six rows, a color at a time. The colors are a cube
//! of six by six by six and forty grays; between them the eye mixes those of a pattern of four by four.

use std::fmt::Write;

use truepath_media::Raster;

/// Shades of each primary.
const SIDE: usize = 6;
const GRAYS: usize = 40;
/// The pattern (Bayer): how far each place moves toward the next shade, in sixteenths.
const PATTERN: [[i32; 4]; 4] = [[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]];

/// What makes a terminal show a picture.
pub(super) fn stream(picture: &Raster) -> String {
    let size = picture.size();
    let mut stream = format!("\u{1b}P0;1;0q\"1;1;{};{}", size.width, size.height);
    let width = size.width as usize;
    let colors: Vec<u8> = (0..size.height)
        .flat_map(|y| (0..size.width).map(move |x| (x, y)))
        .map(|(x, y)| color(picture.pixel(x, y), x, y))
        .collect();
    let mut used = [false; 256];
    colors
        .iter()
        .for_each(|color| used[usize::from(*color)] = true);
    for number in (0..=255_u8).filter(|number| used[usize::from(*number)]) {
        let [red, green, blue] = shade(number).map(|value| (u32::from(value) * 100 + 127) / 255);
        // Writing into a text cannot fail.
        let _ = write!(stream, "#{number};2;{red};{green};{blue}");
    }
    for band in colors.chunks(width.max(1) * 6) {
        let mut of_band = [false; 256];
        band.iter()
            .for_each(|color| of_band[usize::from(*color)] = true);
        for number in (0..=255_u8).filter(|number| of_band[usize::from(*number)]) {
            let _ = write!(stream, "#{number}");
            let sixel = |x: usize| {
                let rows = band.chunks(width).enumerate();
                let bits = rows
                    .filter(|(_, row)| row.get(x) == Some(&number))
                    .map(|(at, _)| 1_u8 << at);
                char::from(63 + bits.sum::<u8>())
            };
            let mut x = 0;
            while x < width {
                let one = sixel(x);
                let same = (x..width).take_while(|at| sixel(*at) == one).count();
                if same > 3 {
                    let _ = write!(stream, "!{same}{one}");
                } else {
                    stream.extend(std::iter::repeat_n(one, same));
                }
                x += same;
            }
            stream.push('$');
        }
        stream.push('-');
    }
    stream.push_str("\u{1b}\\\n");
    stream
}

/// The number of the color for a pixel at a place.
fn color(pixel: [u8; 3], x: u32, y: u32) -> u8 {
    let threshold = PATTERN[(y % 4) as usize][(x % 4) as usize];
    let level = |value: u8, most: usize| {
        let scaled = i32::from(value) * most as i32;
        // Whole steps, and one more where what is left is above the threshold of the place.
        (scaled / 255 + i32::from(scaled % 255 * 16 > threshold * 255 + 127)) as usize
    };
    let [red, green, blue] = pixel;
    if red == green && green == blue {
        return (SIDE * SIDE * SIDE + level(red, GRAYS - 1)) as u8;
    }
    let levels = pixel.map(|value| level(value, SIDE - 1));
    (levels[0] * SIDE * SIDE + levels[1] * SIDE + levels[2]) as u8
}

/// The shade of a number.
fn shade(number: u8) -> [u8; 3] {
    let number = usize::from(number);
    let cube = SIDE * SIDE * SIDE;
    if number >= cube {
        return [((number - cube) * 255 / (GRAYS - 1)) as u8; 3];
    }
    [number / (SIDE * SIDE), number / SIDE % SIDE, number % SIDE]
        .map(|level| (level * 255 / (SIDE - 1)) as u8)
}

#[cfg(test)]
mod tests {
    use truepath_core::picture::Size;

    use super::*;

    /// The pixels that a terminal shows of a stream.
    fn shown(stream: &str) -> Vec<Vec<[u8; 3]>> {
        let body = stream.trim_end().strip_prefix("\u{1b}P0;1;0q\"").unwrap();
        let body = body.strip_suffix("\u{1b}\\").unwrap();
        let digits = |text: &str| text.chars().take_while(char::is_ascii_digit).count();
        let mut rest = body;
        let mut numbers = Vec::new();
        for _ in 0..4 {
            rest = rest.trim_start_matches(';');
            let length = digits(rest);
            numbers.push(rest[..length].parse::<usize>().unwrap());
            rest = &rest[length..];
        }
        let (width, height) = (numbers[2], numbers[3]);
        let mut rows = vec![vec![[0_u8; 3]; width]; height];
        let mut palette = std::collections::HashMap::new();
        let (mut color, mut x, mut top) = (0_usize, 0, 0);
        while let Some(letter) = rest.chars().next() {
            rest = &rest[1..];
            let mut count = 1;
            let mut sixel = letter;
            match letter {
                '#' => {
                    let length = digits(rest);
                    color = rest[..length].parse().unwrap();
                    rest = &rest[length..];
                    if let Some(after) = rest.strip_prefix(";2;") {
                        let end = after
                            .find(|one: char| !one.is_ascii_digit() && one != ';')
                            .unwrap();
                        let parts: Vec<u32> = after[..end]
                            .split(';')
                            .map(|one| one.parse().unwrap())
                            .collect();
                        palette.insert(color, [0, 1, 2].map(|at| (parts[at] * 255 / 100) as u8));
                        rest = &after[end..];
                    }
                    continue;
                }
                '$' => {
                    x = 0;
                    continue;
                }
                '-' => {
                    (x, top) = (0, top + 6);
                    continue;
                }
                '!' => {
                    let length = digits(rest);
                    count = rest[..length].parse().unwrap();
                    sixel = rest[length..].chars().next().unwrap();
                    rest = &rest[length + 1..];
                }
                _ => {}
            }
            let bits = sixel as u32 - 63;
            for _ in 0..count {
                for row in (0..6).filter(|row| bits >> row & 1 == 1) {
                    rows[top + row][x] = palette[&color];
                }
                x += 1;
            }
        }
        rows
    }

    #[test]
    fn the_stream_gives_the_pixels_back() {
        let size = Size {
            width: 37,
            height: 20,
        };
        let mut picture = Raster::new(size, [0; 3]);
        for y in 0..size.height {
            for x in 0..size.width {
                picture.set(x, y, [(x * 6) as u8, (y * 12) as u8, 100]);
            }
        }
        let rows = shown(&stream(&picture));
        assert_eq!((rows.len(), rows[0].len()), (20, 37));
        // Each pixel is one of the shades beside its own, and the mean is that of the picture.
        let mut sums = [[0_i64; 3]; 2];
        for (y, row) in (0..).zip(&rows) {
            for (x, found) in (0..).zip(row) {
                for at in 0..3 {
                    let wanted = picture.pixel(x, y)[at];
                    assert!(found[at].abs_diff(wanted) <= 52, "{x} {y}: {found:?}");
                    sums[0][at] += i64::from(found[at]);
                    sums[1][at] += i64::from(wanted);
                }
            }
        }
        for (found, wanted) in sums[0].iter().zip(sums[1]) {
            assert!((found - wanted).abs() < 4 * 740, "{found} {wanted}");
        }
    }

    #[test]
    fn black_white_and_the_primaries_are_exact() {
        for wanted in [
            [0; 3],
            [255; 3],
            [255, 0, 0],
            [0, 255, 0],
            [0, 0, 255],
            [255, 0, 255],
        ] {
            let picture = Raster::new(Size::square(8), wanted);
            for pixel in shown(&stream(&picture)).iter().flatten() {
                assert_eq!(*pixel, wanted);
            }
        }
    }
}
