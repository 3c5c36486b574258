//! HDR (RGBE): lines of text, a blank one, the size, and rows of pixels with a common exponent, plain or
//! in runs. After the published description of the format by its author, and the files of several
//! independent writers.

use std::io::{self, BufRead, Read};

use truepath_core::picture::{Bits, Channels, Size};

use crate::facts::{Facts, Flaw, Found};
use crate::passed_over::{cut_short, pass_over};

/// Lines of the header have so many bytes at most.
const LONGEST_LINE: u64 = 4096;

/// Decodes every pixel.
pub(crate) fn decode(
    mut reader: impl BufRead,
    expect: &dyn Fn(&Facts) -> Result<(), Flaw>,
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
    for _ in 0..rows {
        row(&mut reader, columns)?;
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

fn row(reader: &mut impl BufRead, columns: u32) -> Result<(), Flaw> {
    let mut head = [0; 4];
    read(reader, &mut head)?;
    let is_in_runs =
        (8..=0x7fff).contains(&columns) && head[0] == 2 && head[1] == 2 && head[2] < 128;
    if !is_in_runs {
        return plain(reader, columns, head);
    }
    if u32::from(u16::from_be_bytes([head[2], head[3]])) != columns {
        return Err(Flaw::Broken(
            "a row has another width than the picture".to_owned(),
        ));
    }
    // Red, green, blue and the exponent, one after the other.
    for _ in 0..4 {
        let mut done = 0;
        while done < columns {
            let mut count = [0];
            read(reader, &mut count)?;
            match count[0] {
                0 => return Err(Flaw::Broken("a run of no pixels".to_owned())),
                run @ 129.. => {
                    pass_over(reader, 1)?;
                    done += u32::from(run - 128);
                }
                literal => {
                    pass_over(reader, literal.into())?;
                    done += u32::from(literal);
                }
            }
        }
        if done > columns {
            return Err(Flaw::Broken("a run goes beyond its row".to_owned()));
        }
    }
    Ok(())
}

/// Pixels one by one; three ones say how often the last repeats.
fn plain(reader: &mut impl BufRead, columns: u32, first: [u8; 4]) -> Result<(), Flaw> {
    let (mut done, mut shift, mut pixel) = (0_u64, 0, first);
    loop {
        match pixel {
            [1, 1, 1, count] if shift < 32 => {
                done += u64::from(count) << shift;
                shift += 8;
            }
            _ => {
                done += 1;
                shift = 0;
            }
        }
        if done >= u64::from(columns) {
            return if done == u64::from(columns) {
                Ok(())
            } else {
                Err(Flaw::Broken("a run goes beyond its row".to_owned()))
            };
        }
        read(reader, &mut pixel)?;
    }
}

fn read(reader: &mut impl BufRead, bytes: &mut [u8]) -> Result<(), Flaw> {
    reader.read_exact(bytes).map_err(cut_short)
}
