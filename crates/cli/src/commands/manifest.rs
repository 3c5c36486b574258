//! `truepath manifest`: lists of hashes of what is handed over, and whether what has arrived is what they say.

use std::collections::HashMap;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Args, ValueEnum};
use truepath_core::deliverable::Expansion;
use truepath_core::file_state::FileState;
use truepath_core::finding::grouped;
use truepath_core::hash_list::HashLine;
use truepath_core::visible::visible;
use truepath_media::{HashKind, MOST_LIST, read_regular};
use truepath_runner::Loaded;
use truepath_runner::disk::{Disk, RealDisk};
use truepath_runner::follow::why::FileVerdict;
use truepath_runner::hand_over::manifest::{
    HashedFile, ListedFiles, file_of_line, files_of_folders, files_of_job, hash_files, hash_line,
    states_of_job,
};
use truepath_runner::look::verify_all::first_facts;

use crate::error::{CommandError, DONE, FOUND, INTERRUPTED};
use crate::job_arguments::JobArguments;
use crate::show::reading::ReadingProgress;
use crate::show::states::remark_on_set_aside;
use crate::show::{ERROR, GOOD, WARNING, alert, files, remark};
use crate::signals;

/// Write the hashes of files, or compare files with such a list
///
/// The lists are those of `sha256sum`, `md5sum` and `b3sum`, which check them with -c; each file is read once for
/// all of them. Paths are relative to the folder of the job, or to the one folder that is named. With --verify no
/// job is needed: the list lies where the files are. A list is never written over a file that is there. Of a job only
/// valid files are listed; the others are named, and the exit code is 1.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath manifest --shot dawn --hash sha256 --hash md5 --to dawn\n  truepath manifest /delivery --to /delivery/files\n  truepath manifest --verify /delivery/files.b3\n  truepath manifest --csv frames.csv"
)]
pub(crate) struct Arguments {
    /// Folders in place of a job
    folders: Vec<PathBuf>,
    #[command(flatten)]
    job: JobArguments,
    /// The hash functions
    #[arg(long, value_enum, default_values = ["blake3"])]
    hash: Vec<HashName>,
    /// The lists are written as NAME.b3, NAME.sha256 and NAME.md5; unset, the first is printed
    #[arg(long, value_name = "NAME", conflicts_with = "verify")]
    to: Option<PathBuf>,
    /// Write a table of all files with bytes, hashes, states and what they are; of a job also those that are missing
    #[arg(long, value_name = "FILE", conflicts_with = "verify")]
    csv: Option<PathBuf>,
    /// List files of a job as well that are not valid
    #[arg(long, conflicts_with_all = ["verify", "folders"])]
    any_state: bool,
    /// Compare the files beside a list with it
    #[arg(long, value_name = "LIST", conflicts_with = "folders")]
    verify: Option<PathBuf>,
}

/// A hash function.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum HashName {
    /// BLAKE3, for b3sum
    Blake3,
    /// SHA-256, for sha256sum
    Sha256,
    /// MD5, for md5sum: against accidents, not against malice
    Md5,
}

impl HashName {
    fn kind(self) -> HashKind {
        match self {
            Self::Blake3 => HashKind::Blake3,
            Self::Sha256 => HashKind::Sha256,
            Self::Md5 => HashKind::Md5,
        }
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if let Some(list) = &arguments.verify {
        return verify(list);
    }
    let ChosenFiles { base, paths, job } = ChosenFiles::of(&arguments.folders, arguments.job)?;
    let asked: Vec<HashKind> = arguments.hash.iter().map(|name| name.kind()).collect();
    let mut kinds = asked.clone();
    // What a job calls valid has the bytes that its ledger records.
    if job.is_some() && !kinds.contains(&HashKind::Blake3) {
        kinds.push(HashKind::Blake3);
    }
    let (mut hashed, is_interrupted) = hash_all(&paths, &kinds)?;
    if is_interrupted {
        alert("interrupted: no list is written, since files are missing from it");
        return Ok(ExitCode::from(INTERRUPTED));
    }
    let mut left_out = 0;
    for file in &hashed {
        if let Err(error) = &file.content {
            left_out += 1;
            alert(&format!(
                "{ERROR}unreadable{ERROR:#} {}: {error}",
                shown(&file.path)
            ));
        }
    }
    let states = match &job {
        Some((loaded, expansion)) => {
            let states = states_of_job(loaded, expansion, &kinds, &hashed)
                .map_err(CommandError::outside("the states of the files"))?;
            Some(states)
        }
        None => None,
    };
    let table = arguments
        .csv
        .as_ref()
        .map(|_| table(&base, &arguments.hash, &hashed, states.as_deref()));
    for (path, verdict) in states.iter().flatten() {
        if verdict.state != FileState::Valid {
            left_out += 1;
            alert(&not_valid(path, verdict));
        }
    }
    if !arguments.any_state {
        let is_valid = |file: &HashedFile| {
            states.as_ref().is_none_or(|states| {
                let state = states.iter().find(|(path, _)| *path == file.path);
                state.is_some_and(|(_, verdict)| verdict.state == FileState::Valid)
            })
        };
        hashed.retain(is_valid);
    }
    hashed.retain(|file| file.content.is_ok());
    let listed = hashed.len() as u64;
    if listed == 0 && arguments.csv.is_none() && left_out > 0 {
        alert("no list is written: no file is valid");
        return Ok(ExitCode::from(FOUND));
    }
    if listed == 0 && arguments.csv.is_none() {
        return Err(CommandError::Usage(
            "no list is written: there is no file to list".to_owned(),
        ));
    }
    if let Some(name) = &arguments.to {
        for (at, hash) in arguments.hash.iter().enumerate() {
            let mut path = name.clone().into_os_string();
            path.push(format!(".{}", hash.kind().extension()));
            write(Path::new(&path), &list(&base, &hashed, at))?;
            remark(&format!(
                "{} of {}",
                Path::new(&path).display(),
                files(listed)
            ));
        }
    } else if arguments.csv.is_none() {
        let mut out = crate::show::out();
        out.write_all(&list(&base, &hashed, 0))?;
        out.flush()?;
    }
    if let (Some(path), Some(table)) = (&arguments.csv, table) {
        write(path, table.as_bytes())?;
        let rows = table.lines().count() as u64 - 1;
        remark(&format!("{} of {}", path.display(), files(rows)));
    }
    Ok(ExitCode::from(if left_out == 0 { DONE } else { FOUND }))
}

/// The line about a file that is not valid.
fn not_valid(path: &Path, verdict: &FileVerdict) -> String {
    let style = match verdict.state {
        FileState::Missing | FileState::Broken => ERROR,
        _ => WARNING,
    };
    let why = verdict.reasons.join("; ");
    let separator = if why.is_empty() { "" } else { ": " };
    format!(
        "{style}{}{style:#} {}{separator}{why}",
        verdict.state,
        shown(path)
    )
}

/// The files that are listed.
struct ChosenFiles {
    /// The folder that their paths are relative to.
    base: PathBuf,
    paths: Vec<PathBuf>,
    /// The job whose files they are, where it is one.
    job: Option<(Loaded, Expansion)>,
}

impl ChosenFiles {
    fn of(folders: &[PathBuf], job: JobArguments) -> Result<Self, CommandError> {
        if let [first, ..] = folders {
            let ListedFiles {
                files,
                unreadable,
                set_aside,
            } = files_of_folders(folders);
            if let Some((path, error)) = unreadable.into_iter().next() {
                return Err(CommandError::outside(shown(&path))(error));
            }
            remark_on_set_aside(&set_aside);
            let base = match folders {
                [_] => first.clone(),
                _ => PathBuf::new(),
            };
            return Ok(Self {
                base,
                paths: files,
                job: None,
            });
        }
        let chosen = job.load_latest()?;
        let expansion = chosen.wanted()?.clone();
        Ok(Self {
            base: chosen.loaded.folder.clone(),
            paths: files_of_job(&expansion),
            job: Some((chosen.loaded, expansion)),
        })
    }
}

fn hash_all(
    paths: &[PathBuf],
    kinds: &[HashKind],
) -> Result<(Vec<HashedFile>, bool), CommandError> {
    let progress = ReadingProgress::new();
    let interrupt = signals::listen()?;
    let hashed = hash_files(paths, kinds, interrupt, &|so_far| progress.show(so_far));
    progress.end();
    let hashed = hashed.map_err(CommandError::outside("the files cannot be hashed"))?;
    let is_interrupted = hashed.len() < paths.len();
    Ok((hashed, is_interrupted))
}

/// The list of one of the hash functions; files outside of the base have their whole path.
fn list(base: &Path, hashed: &[HashedFile], at: usize) -> Vec<u8> {
    let mut text = Vec::new();
    for file in hashed {
        let Ok((_, hashes)) = &file.content else {
            continue;
        };
        let line = hash_line(base, &file.path, &hashes[at])
            .or_else(|| hash_line(Path::new(""), &file.path, &hashes[at]));
        text.extend(line.into_iter().flat_map(|line| line.written()));
    }
    text
}

/// A table with a line for each file: what its columns are stands in the first. Of a job it holds the state of each
/// file, and those that are missing too.
fn table(
    base: &Path,
    hashes: &[HashName],
    hashed: &[HashedFile],
    states: Option<&[(PathBuf, FileVerdict)]>,
) -> String {
    let names = hashes.iter().map(|hash| hash.kind().extension());
    let mut head = vec!["path", "bytes"];
    head.extend(names);
    head.extend(states.map(|_| ["state", "reason"]).into_iter().flatten());
    head.push("content");
    let mut text = head.join(",") + "\n";
    let mut add = |path: &Path, file: Option<&HashedFile>, state: Option<&FileVerdict>| {
        let shown = path.strip_prefix(base).unwrap_or(path);
        let mut cells = vec![cell(&shown.to_string_lossy())];
        match file.map(|file| &file.content) {
            Some(Ok((bytes, found))) => {
                cells.push(bytes.to_string());
                cells.extend(found.iter().take(hashes.len()).cloned());
            }
            _ => cells.resize(2 + hashes.len(), String::new()),
        }
        if let Some(state) = state {
            cells.push(state.state.word().to_owned());
            cells.push(cell(&state.reasons.join("; ")));
        }
        let facts = file.and_then(|file| first_facts(&file.path));
        cells.push(cell(&facts.unwrap_or_default()));
        text.push_str(&cells.join(","));
        text.push('\n');
    };
    match states {
        Some(states) => {
            let by_path: HashMap<&Path, &HashedFile> =
                hashed.iter().map(|one| (one.path.as_path(), one)).collect();
            for (path, state) in states {
                add(path, by_path.get(path.as_path()).copied(), Some(state));
            }
        }
        None => hashed
            .iter()
            .for_each(|file| add(&file.path, Some(file), None)),
    }
    text
}

/// A cell of a table: RFC 4180.
pub(super) fn cell(text: &str) -> String {
    if text.contains([',', '"', '\n', '\r']) {
        format!("\"{}\"", text.replace('"', "\"\""))
    } else {
        text.to_owned()
    }
}

fn write(path: &Path, bytes: &[u8]) -> Result<(), CommandError> {
    let written = RealDisk.write_new(path, bytes);
    written.map_err(|error| match error.kind() {
        io::ErrorKind::AlreadyExists => CommandError::Usage(format!(
            "{} is there already, and is not replaced; name another with --to or --csv",
            path.display()
        )),
        _ => CommandError::outside(path.display().to_string())(error),
    })
}

fn shown(path: &Path) -> String {
    visible(&path.to_string_lossy()).into_owned()
}

/// Compares files with a list.
fn verify(path: &Path) -> Result<ExitCode, CommandError> {
    let outside = || CommandError::outside(path.display().to_string());
    let text = read_regular(path, MOST_LIST).map_err(outside())?;
    let folder = path.parent().unwrap_or(Path::new("")).to_owned();
    let mut lines: Vec<HashLine> = Vec::new();
    for (number, line) in text.split(|byte| *byte == b'\n').enumerate() {
        let line = line.strip_suffix(b"\r").unwrap_or(line);
        if line.is_empty() {
            continue;
        }
        lines.push(HashLine::read(line).map_err(|error| {
            CommandError::Usage(format!("{}:{}: {error}", path.display(), number + 1))
        })?);
    }
    if lines.is_empty() {
        return Err(CommandError::Usage(format!(
            "{}: the list names no file, so nothing can be compared with it",
            path.display()
        )));
    }
    let kind = kind_of(path, &lines)?;
    let paths: Vec<PathBuf> = lines
        .iter()
        .map(|line| file_of_line(&folder, line))
        .collect();
    let (hashed, is_interrupted) = hash_all(&paths, &[kind])?;
    let mut out = crate::show::out();
    let (mut same, mut bad) = (0_u64, 0_u64);
    let by_path: HashMap<&Path, &HashedFile> = hashed
        .iter()
        .map(|file| (file.path.as_path(), file))
        .collect();
    for (line, file) in lines.iter().zip(&paths) {
        let Some(found) = by_path.get(file.as_path()) else {
            continue;
        };
        match &found.content {
            Ok((_, hashes)) if hashes.concat() == line.hash => same += 1,
            Ok(_) => {
                bad += 1;
                writeln!(out, "{ERROR}changed{ERROR:#} {}", shown(file))?;
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => {
                bad += 1;
                writeln!(out, "{ERROR}missing{ERROR:#} {}", shown(file))?;
            }
            Err(error) => {
                bad += 1;
                writeln!(out, "{ERROR}unreadable{ERROR:#} {}: {error}", shown(file))?;
            }
        }
    }
    if is_interrupted {
        writeln!(
            out,
            "interrupted: {} of {} were compared",
            grouped(same + bad),
            files(lines.len() as u64)
        )?;
        out.flush()?;
        return Ok(ExitCode::from(INTERRUPTED));
    }
    if bad == 0 {
        writeln!(
            out,
            "{GOOD}complete{GOOD:#}: all {} are as the list says",
            files(same)
        )?;
    } else {
        writeln!(
            out,
            "{ERROR}not complete{ERROR:#}: {} of {} are as the list says",
            grouped(same),
            files(same + bad)
        )?;
    }
    out.flush()?;
    Ok(ExitCode::from(if bad == 0 { DONE } else { FOUND }))
}

/// How the hashes of a list were made: by their length, and where two are as long by the name of the list.
fn kind_of(path: &Path, lines: &[HashLine]) -> Result<HashKind, CommandError> {
    let is_short = lines.first().is_some_and(|line| line.hash.len() == 32);
    let length = if is_short { 32 } else { 64 };
    if let Some(other) = lines.iter().position(|line| line.hash.len() != length) {
        return Err(CommandError::Usage(format!(
            "{}: the hash of file {} is of another length than the first",
            path.display(),
            other + 1
        )));
    }
    let name = path
        .file_name()
        .unwrap_or_default()
        .to_string_lossy()
        .to_lowercase();
    match (is_short, name) {
        (true, _) => Ok(HashKind::Md5),
        (_, name) if name.contains("sha256") => Ok(HashKind::Sha256),
        (_, name) if name.contains("b3") || name.contains("blake3") => Ok(HashKind::Blake3),
        _ => Err(CommandError::Usage(format!(
            "{}: SHA-256 and BLAKE3 look alike; let its name end in .sha256 or .b3",
            path.display()
        ))),
    }
}
