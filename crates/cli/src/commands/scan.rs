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
use truepath_runner::scan::{ScannedFolder, path_of, scan};
use truepath_runner::verify_all::{Unsound, first_facts, unsound_files};

use super::{OutputFormat, print_json};
use crate::outcome::{CommandError, DONE, FOUND};
use crate::shapes::scan::{FolderShape, ScanShape};
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

/// What is known of a sequence besides its name.
#[derive(Debug, Default)]
pub(crate) struct Content {
    /// What its pictures are.
    pub(crate) facts: Option<String>,
    /// Files that are not whole.
    pub(crate) unsound: Vec<Unsound>,
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
    scan(&roots, &mut |folder| {
        total.add(&folder);
        let contents: Vec<Content> = folder
            .sequences
            .iter()
            .map(|one| content(&folder, one, &arguments))
            .collect();
        total.unsound += contents
            .iter()
            .map(|one| one.unsound.len() as u64)
            .sum::<u64>();
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
    if arguments.format == OutputFormat::Json {
        print_json(&ScanShape::of(shapes))?;
    } else {
        writeln!(
            out,
            "\n{} in {}, {}{}",
            total.sequences(),
            files(total.files),
            bytes(total.bytes),
            if total.unsound > 0 {
                format!(", {ERROR}{} not whole{ERROR:#}", grouped(total.unsound))
            } else {
                String::new()
            }
        )?;
        out.flush()?;
    }
    let is_fine = total.unsound == 0 && total.unreadable == 0;
    Ok(ExitCode::from(if is_fine { DONE } else { FOUND }))
}

/// All folders together.
#[derive(Debug, Default)]
struct Total {
    sequences: u64,
    files: u64,
    bytes: u64,
    unsound: u64,
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
        content.unsound = unsound_files(&folder.path, one);
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
        for file in &content.unsound {
            writeln!(
                out,
                "    {ERROR}not whole{ERROR:#} {}: {}",
                file.name, file.why
            )?;
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
