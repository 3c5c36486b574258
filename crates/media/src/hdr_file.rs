//! HDR (RGBE): lines of text, a blank one, the size, and rows of pixels with a common exponent, plain or
//! in runs. After the published description of the format by its author, and the files of several
//! independent writers.

use std::io::{self, BufRead, Read};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found, MOST_MEMORY};
use crate::meter::{Meter, RowPart, SampleKind};
use crate::passed_over::cut_short;

/// Lines of the header have so many bytes at most.
const LONGEST_LINE: u64 = 4096;

/// Decodes every pixel.
pub(crate) fn decode(
    mut reader: impl BufRead,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
    meter: &mut Meter,
) -> Result<Facts, Flaw> {
    for _ in 0..1000 {
        if line(&mut reader)?.is_empty() {
            break;
        }
    }
    let size = line(&mut reader)?;
    let unread = || Flaw::Broken("its size cannot be read".to_owned());
    let words: Vec<&str> = size.split_ascii_whitespace().collect();
    let [first, rows, second, columns] = words[..] else {
        return Err(unread());
    };
    let number = |text: &str| text.parse::<u32>().ok().filter(|number| *number > 0);
    let (rows, columns) = (
        number(rows).ok_or_else(unread)?,
        number(columns).ok_or_else(unread)?,
    );
    let (width, height) = match (&first[1..], &second[1..]) {
        ("Y", "X") => (columns, rows),
        ("X", "Y") => (rows, columns),
        _ => return Err(unread()),
    };
    let mut facts = Facts::new(
        Size { width, height },
        Found::Known(Channels::Rgb),
        Found::Known(Bits::Float),
    );
    expect(&facts)?;
    // Rows that run from the top to the bottom of the picture, or the other way, and from the left.
    let is_upright = first.ends_with('Y') && second == "+X";
    if is_upright {
        meter.begin(facts.size, 3, false);
    }
    if u64::from(columns) * 16 > MOST_MEMORY {
        return Err(Flaw::too_large(u64::from(columns) * 16));
    }
    let mut pixels = vec![[0; 4]; columns as usize];
    for number in 0..rows {
        row(&mut reader, &mut pixels)?;
        if is_upright && meter.is_on() {
            let place = if first.starts_with('-') {
                number
            } else {
                rows - 1 - number
            };
            let bytes: Vec<u8> = pixels.iter().flat_map(|pixel| light(*pixel)).collect();
            let part = RowPart::interleaved(&bytes, SampleKind::Float, 3);
            meter.row(0, place, &[part]);
        }
    }
    let after = io::copy(&mut reader, &mut io::sink())?;
    facts.note_bytes_after_the_end(after as usize);
    Ok(facts)
}

/// A line of text without its end.
fn line(reader: &mut impl BufRead) -> Result<String, Flaw> {
    let mut bytes = Vec::new();
    reader
        .by_ref()
        .take(LONGEST_LINE)
        .read_until(b'\n', &mut bytes)?;
    match bytes.pop() {
        Some(b'\n') => Ok(String::from_utf8_lossy(&bytes).trim_end().to_owned()),
        _ => Err(Flaw::Broken("its header has no end".to_owned())),
    }
}

/// Red, green and blue of a pixel, as three 32-bit floats.
fn light([red, green, blue, exponent]: [u8; 4]) -> [u8; 12] {
    let scale = if exponent == 0 {
        0.0
    } else {
        (f32::from(exponent) - 136.0).exp2()
    };
    let mut bytes = [0; 12];
    for (at, value) in [red, green, blue].into_iter().enumerate() {
        bytes[at * 4..at * 4 + 4].copy_from_slice(&(f32::from(value) * scale).to_le_bytes());
    }
    bytes
}

fn beyond() -> Flaw {
    Flaw::Broken("a run goes beyond its row".to_owned())
}

/// Reads a row of red, green, blue and exponent.
fn row(reader: &mut impl BufRead, pixels: &mut [[u8; 4]]) -> Result<(), Flaw> {
    let columns = pixels.len();
    let mut head = [0; 4];
    read(reader, &mut head)?;
    let is_in_runs =
        (8..=0x7fff).contains(&columns) && head[0] == 2 && head[1] == 2 && head[2] < 128;
    if !is_in_runs {
        return plain(reader, pixels, head);
    }
    if usize::from(u16::from_be_bytes([head[2], head[3]])) != columns {
        return Err(Flaw::Broken(
            "a row has another width than the picture".to_owned(),
        ));
    }
    // Red, green, blue and the exponent, one after the other.
    for channel in 0..4 {
        let mut done = 0;
        while done < columns {
            let mut count = [0];
            read(reader, &mut count)?;
            let (count, is_repeated) = match count[0] {
                0 => return Err(Flaw::Broken("a run of no pixels".to_owned())),
                run @ 129.. => (usize::from(run - 128), true),
                literal => (usize::from(literal), false),
            };
            let mut values = [0; 128];
            read(reader, &mut values[..if is_repeated { 1 } else { count }])?;
            let run = pixels.get_mut(done..done + count).ok_or_else(beyond)?;
            for (at, pixel) in run.iter_mut().enumerate() {
                pixel[channel] = values[if is_repeated { 0 } else { at }];
            }
            done += count;
        }
    }
    Ok(())
}

/// Pixels one by one; three ones say how often the last repeats.
fn plain(reader: &mut impl BufRead, pixels: &mut [[u8; 4]], first: [u8; 4]) -> Result<(), Flaw> {
    let (mut done, mut shift, mut pixel) = (0_u64, 0, first);
    let mut last = [0; 4];
    loop {
        let count = match pixel {
            [1, 1, 1, count] if shift < 32 => {
                let count = u64::from(count) << shift;
                shift += 8;
                count
            }
            _ => {
                last = pixel;
                shift = 0;
                1
            }
        };
        let end = done + count;
        let run = pixels.get_mut(done as usize..end as usize);
        run.ok_or_else(beyond)?.fill(last);
        done = end;
        if done == pixels.len() as u64 {
            return Ok(());
        }
        read(reader, &mut pixel)?;
    }
}

fn read(reader: &mut impl BufRead, bytes: &mut [u8]) -> Result<(), Flaw> {
    reader.read_exact(bytes).map_err(cut_short)
}
