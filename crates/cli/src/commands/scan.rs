//! `truepath scan`: the sequences in any tree of folders.

use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use truepath_core::finding::grouped;
use truepath_core::sequences::{Choice, Sequence, doubles};
use truepath_core::visible::visible;
use truepath_runner::look::scan::{ScannedFolder, path_of, scan};
use truepath_runner::look::verify_all::{FaultyFile, FileFault, faulty_files, first_facts};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::shapes::scan::{Content, FolderShape, ScanShape};
use crate::show::states::remark_on_set_aside;
use crate::show::{ERROR, FAINT, TITLE, WARNING, bytes, files, remark};

/// Show the sequences in any folders, without a job
///
/// Below each folder every sequence is shown with the frame as a token, its frames, and what is missing between
/// the first and the last; then the files that belong to no sequence. The number of a name that varies is its
/// frame. Sequences that differ in padding or capitals alone are pointed out. Links to folders are not followed,
/// hidden files and folders are left out, and nothing is written.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath scan\n  truepath scan /show/renders --facts\n  truepath scan delivery --verify\n  truepath scan --format json | jq '.folders[].sequences[] | select(.missing != \"\")'\n\nThe exit code is 1 when --verify finds a file that is not whole, or a folder cannot be read."
)]
pub(crate) struct Arguments {
    /// The folders; unset, this one
    folders: Vec<PathBuf>,
    /// Read what the files are, of the first of each sequence: size, format, channels, bits, compression and layers of
    /// pictures; size, coding, length, frames a second and sound of movies in MP4 and MOV
    #[arg(long)]
    facts: bool,
    /// Decode every picture whole
    #[arg(long)]
    verify: bool,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let roots = if arguments.folders.is_empty() {
        vec![PathBuf::from(".")]
    } else {
        arguments.folders.clone()
    };
    let mut out = crate::show::out();
    let mut written: io::Result<()> = Ok(());
    let mut shapes: Vec<FolderShape> = Vec::new();
    let mut total = Total::default();
    let set_aside = scan(&roots, &mut |folder| {
        total.add(&folder);
        let contents: Vec<Content> = folder
            .sequences
            .iter()
            .map(|one| content(&folder, one, &arguments))
            .collect();
        for file in contents.iter().flat_map(|one| &one.faults) {
            total.add_fault(&file.fault);
        }
        for (path, error) in &folder.unreadable {
            let path = visible(&path.to_string_lossy()).into_owned();
            remark(&format!("{ERROR}unreadable{ERROR:#} {path}: {error}"));
        }
        if arguments.format == OutputFormat::Json {
            shapes.push(FolderShape::of(&folder, &contents));
        } else {
            written = print(&mut out, &folder, &contents);
        }
        written.is_ok()
    });
    written?;
    remark_on_set_aside(&set_aside);
    if arguments.format == OutputFormat::Json {
        print_json(&ScanShape::of(shapes))?;
    } else {
        writeln!(
            out,
            "\n{} in {}, {}{}",
            total.sequences(),
            files(total.files),
            bytes(total.bytes),
            total.faults()
        )?;
        out.flush()?;
    }
    let is_fine = total.not_whole == 0 && total.unreadable == 0;
    Ok(ExitCode::from(if is_fine { DONE } else { FOUND }))
}

/// All folders together.
#[derive(Debug, Default)]
struct Total {
    sequences: u64,
    files: u64,
    bytes: u64,
    not_whole: u64,
    unverifiable: u64,
    odd: u64,
    unreadable: u64,
}

impl Total {
    fn add(&mut self, folder: &ScannedFolder) {
        let sequences = folder.sequences.iter();
        self.sequences += sequences.clone().filter(|one| one.is_sequence()).count() as u64;
        self.files += sequences.clone().map(Sequence::count).sum::<u64>();
        self.bytes += sequences.map(Sequence::bytes).sum::<u64>();
        self.unreadable += folder.unreadable.len() as u64;
    }

    fn add_fault(&mut self, fault: &FileFault) {
        let number = match fault {
            FileFault::NotWhole(_) => &mut self.not_whole,
            FileFault::Unverifiable(_) => &mut self.unverifiable,
            FileFault::Odd(_) => &mut self.odd,
        };
        *number += 1;
    }

    /// How many files have which fault, as the end of a line.
    fn faults(&self) -> String {
        let mut text = String::new();
        for (number, word, style) in [
            (self.not_whole, "not whole", ERROR),
            (self.unverifiable, "unverifiable", WARNING),
            (self.odd, "of another kind than their sequence", WARNING),
        ] {
            if number > 0 {
                text.push_str(&format!(", {style}{} {word}{style:#}", grouped(number)));
            }
        }
        text
    }

    fn sequences(&self) -> String {
        crate::show::count(self.sequences, "sequence", "sequences")
    }
}

/// What the pictures of a sequence are, and which are not whole, as far as that is asked for.
fn content(folder: &ScannedFolder, one: &Sequence, arguments: &Arguments) -> Content {
    let mut content = Content::default();
    let first = one.frames().first().unwrap_or(0);
    if arguments.facts || arguments.verify {
        content.facts = one
            .file_name(first)
            .and_then(|name| first_facts(&path_of(&folder.path, &name)));
    }
    if arguments.verify {
        content.faults = faulty_files(&folder.path, one);
    }
    content
}

fn print(out: &mut impl Write, folder: &ScannedFolder, contents: &[Content]) -> io::Result<()> {
    let path = visible(&folder.path.to_string_lossy()).into_owned();
    writeln!(out, "{TITLE}{path}{TITLE:#}")?;
    let names: Vec<String> = folder.sequences.iter().map(Sequence::name).collect();
    let width = names
        .iter()
        .map(|name| name.chars().count())
        .max()
        .unwrap_or(0)
        .min(60);
    for ((one, name), content) in folder.sequences.iter().zip(&names).zip(contents) {
        let frames = if one.is_sequence() {
            one.frames().to_string()
        } else {
            String::new()
        };
        let changed = time(one.changed().1);
        writeln!(
            out,
            "  {name:<width$}  {frames:<12}  {:>12}  {:>9}  {FAINT}{changed}{FAINT:#}",
            files(one.count()),
            bytes(one.bytes()),
        )?;
        let missing = one.missing();
        if !missing.is_empty() {
            writeln!(out, "    {WARNING}missing{WARNING:#} {missing}")?;
        }
        if one.choice() == Choice::VariesMost {
            writeln!(
                out,
                "    {FAINT}several numbers of these names vary; the one that varies most is taken for the frame{FAINT:#}"
            )?;
        }
        if let Some(facts) = &content.facts {
            writeln!(out, "    {FAINT}{facts}{FAINT:#}")?;
        }
        for FaultyFile { name, fault } in &content.faults {
            let (word, style, reason) = match fault {
                FileFault::NotWhole(reason) => ("not whole", ERROR, reason),
                FileFault::Unverifiable(reason) => ("unverifiable", WARNING, reason),
                FileFault::Odd(reason) => ("of another kind", WARNING, reason),
            };
            writeln!(out, "    {style}{word}{style:#} {name}: {reason}")?;
        }
    }
    for (first, second) in doubles(&folder.sequences) {
        writeln!(
            out,
            "  {WARNING}alike{WARNING:#} {} and {} differ in padding or capitals alone",
            names[first], names[second]
        )?;
    }
    for link in &folder.links {
        let link = visible(&link.to_string_lossy()).into_owned();
        writeln!(
            out,
            "  {FAINT}{link} is a link to a folder, and is not followed{FAINT:#}"
        )?;
    }
    Ok(())
}

/// A time in seconds since 1970, as local time to the minute.
fn time(seconds: i64) -> String {
    Timestamp::from_second(seconds).map_or_else(
        |_| String::new(),
        |time| {
            let local = time.to_zoned(TimeZone::system());
            local.strftime("%Y-%m-%d %H:%M").to_string()
        },
    )
}
