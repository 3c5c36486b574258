//! The result as text.

use std::collections::BTreeMap;
use std::io::{self, Write};

use super::Arguments;
use crate::compared::{Compared, ComparedFrame};
use crate::show::{ERROR, FAINT, GOOD, TITLE, WARNING, count};

pub(super) fn print(compared: &Compared, arguments: &Arguments) -> io::Result<()> {
    let mut out = crate::show::out();
    if arguments.per_pass {
        print_passes(&mut out, compared)?;
    } else {
        print_worst(&mut out, compared, arguments.worst)?;
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
    let alike = compared.frames.iter().filter(|one| one.is_alike());
    let what = if arguments.per_pass {
        ("pass of a frame", "passes of frames")
    } else {
        ("frame", "frames")
    };
    writeln!(
        out,
        "{} compared, {} within a tolerance of {}",
        count(compared.frames.len() as u64, what.0, what.1),
        alike.count(),
        arguments.tolerance
    )?;
    out.flush()
}

/// The frames that differ most.
fn print_worst(out: &mut impl Write, compared: &Compared, most: usize) -> io::Result<()> {
    let worst = &compared.frames[..compared.frames.len().min(most)];
    let width = width_of(worst.iter());
    head(out, width, "sequence", "")?;
    for one in worst {
        line(out, one, width, "")?;
    }
    let more = compared.frames.len() - worst.len();
    if more > 0 {
        writeln!(
            out,
            "{FAINT}… {more} more that differ no more than these{FAINT:#}"
        )?;
    }
    Ok(())
}

/// A line for each pass with its worst frame, the worst pass first.
fn print_passes(out: &mut impl Write, compared: &Compared) -> io::Result<()> {
    let mut numbers: BTreeMap<String, u64> = BTreeMap::new();
    let mut worst: Vec<&ComparedFrame> = Vec::new();
    for one in &compared.frames {
        let number = numbers.entry(one.pass()).or_default();
        *number += 1;
        if *number == 1 {
            worst.push(one);
        }
    }
    let width = width_of(worst.iter().copied());
    head(out, width, "pass", "  frames")?;
    for one in worst {
        let number = numbers.get(&one.pass()).copied().unwrap_or_default();
        line(out, one, width, &format!("  {number:>6}"))?;
    }
    Ok(())
}

fn width_of<'c>(shown: impl Iterator<Item = &'c ComparedFrame>) -> usize {
    let widths = shown.map(|one| one.pass().chars().count());
    widths.max().unwrap_or(0).max(8)
}

/// The names of the columns; `more` are further ones after the first.
fn head(out: &mut impl Write, width: usize, first: &str, more: &str) -> io::Result<()> {
    writeln!(
        out,
        "{TITLE}{first:<width$}{more}  {:>6}  {:>9}  {:>9}  {:>7}  {:>6}  {:>7}{TITLE:#}",
        if more.is_empty() { "frame" } else { "worst" },
        "largest",
        "mean",
        "pixels",
        "PSNR",
        "SSIM"
    )
}

fn line(out: &mut impl Write, one: &ComparedFrame, width: usize, more: &str) -> io::Result<()> {
    let (pass, frame) = (one.pass(), one.frame);
    let seen = match &one.result {
        Err(error) => {
            return writeln!(
                out,
                "{pass:<width$}{more}  {frame:>6}  {ERROR}{error}{ERROR:#}"
            );
        }
        Ok(seen) => seen,
    };
    let psnr = if seen.psnr.is_finite() {
        format!("{:.1}", seen.psnr)
    } else {
        "same".to_owned()
    };
    let style = if seen.share > 0.0 { WARNING } else { GOOD };
    writeln!(
        out,
        "{pass:<width$}{more}  {frame:>6}  {:>9.5}  {:>9.6}  {style}{:>6.2}%{style:#}  {psnr:>6}  {:>7.5}",
        seen.largest,
        seen.mean,
        seen.share * 100.0,
        seen.ssim
    )?;
    if seen.alpha.0 > 0.0 {
        writeln!(
            out,
            "  {WARNING}alpha{WARNING:#} differs by {:.5} at most, {:.6} in the mean",
            seen.alpha.0, seen.alpha.1
        )?;
    }
    if seen.broken > 0 {
        writeln!(
            out,
            "  {ERROR}broken{ERROR:#} {} a number on one side alone",
            count(seen.broken, "pixel has", "pixels have")
        )?;
    }
    Ok(())
}
