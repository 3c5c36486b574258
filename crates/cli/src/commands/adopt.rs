//! `truepath adopt`: makes a job of a command line that is in use.

use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use truepath_core::adopt::{Adoption, Folder, Means, adopt, command_lines};
use truepath_core::deliverable::Expansion;
use truepath_core::engine::{Call, Profile};
use truepath_core::plan::plan;
use truepath_core::quote::posix_line;
use truepath_runner::load::{JOB_FILE, profiles};
use truepath_runner::when::When;

use crate::outcome::{DONE, FOUND, Trouble};
use crate::profiles::SHIPPED;
use crate::show::{FAINT, GOOD, TITLE, WARNING, count};

/// Make a job of a command line that is already in use
///
/// Reads the line, or a script with several of one kind, shows what it takes each word to mean, and
/// writes a short job file that gives the same line back, word for word, for the same frames; paths
/// are written out whole.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath adopt -- myrender --in kiln.scene --frames 1-48 --out renders/kiln.png\n  truepath adopt --script nightly.sh --to nightly.toml"
)]
pub(crate) struct Arguments {
    /// A script with the command lines, in place of a line
    #[arg(long, value_name = "FILE", conflicts_with = "command")]
    script: Option<PathBuf>,
    /// The job file to write; it must not be there yet
    #[arg(long, value_name = "FILE", default_value = JOB_FILE)]
    to: PathBuf,
    /// Show the job, and write nothing
    #[arg(long)]
    dry: bool,
    /// The command line, after `--`
    #[arg(last = true, value_name = "COMMAND")]
    command: Vec<String>,
}

/// The current folder.
struct Here(PathBuf);

impl Folder for Here {
    fn has(&self, name: &str) -> bool {
        self.0.join(name).is_file()
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let here = std::env::current_dir().map_err(Trouble::outside("the current folder"))?;
    let lines = match &arguments.script {
        None => vec![arguments.command.clone()],
        Some(path) => {
            let name = path.display().to_string();
            let text = std::fs::read_to_string(path).map_err(Trouble::outside(name.clone()))?;
            command_lines(&text).map_err(|error| Trouble::Usage(format!("{name}: {error}")))?
        }
    };
    let known = profiles(&here, &SHIPPED)?;
    let known: Vec<&Profile> = known.iter().map(AsRef::as_ref).collect();
    let lines: Vec<Vec<String>> = lines.into_iter().filter(|line| !line.is_empty()).collect();
    let adopted = adopt(&lines, &Here(here.clone()), &known)
        .map_err(|error| Trouble::Usage(error.to_string()))?;
    show(&adopted)?;
    let mut out = io::stdout().lock();
    if arguments.dry {
        write!(out, "\n{}", adopted.job)?;
        return Ok(ExitCode::from(DONE));
    }
    let name = arguments.to.display().to_string();
    std::fs::File::create_new(&arguments.to)
        .and_then(|mut file| file.write_all(adopted.job.as_bytes()))
        .map_err(Trouble::outside(name.clone()))?;
    let folder = std::path::absolute(&arguments.to)
        .map_err(Trouble::outside(name.clone()))?
        .parent()
        .unwrap_or(Path::new("/"))
        .to_owned();
    let same = gives_back(&arguments.to, &lines, &adopted, &folder)?;
    writeln!(out, "\n{name} is written.")?;
    match same {
        Ok(()) => {
            writeln!(
                out,
                "It gives {} back, word for word.",
                match lines.len() {
                    1 => "the same line".to_owned(),
                    several => format!("the same {several} lines"),
                }
            )?;
            Ok(ExitCode::from(DONE))
        }
        Err(difference) => {
            writeln!(out, "It does not give the same line back:\n  {difference}")?;
            Ok(ExitCode::from(FOUND))
        }
    }
}

/// What each word was taken to mean.
fn show(adopted: &Adoption) -> io::Result<()> {
    let mut out = anstream::stdout().lock();
    let width = adopted
        .words
        .iter()
        .map(|word| word.text.chars().count())
        .max()
        .unwrap_or(0)
        .clamp(7, 40);
    writeln!(
        out,
        "{TITLE}{:<width$}{TITLE:#}  the program",
        adopted.program
    )?;
    for word in &adopted.words {
        let meaning = word.means.word();
        match word.means {
            Means::Itself => writeln!(out, "{FAINT}{:<width$}  {meaning}{FAINT:#}", word.text)?,
            _ => writeln!(out, "{:<width$}  {GOOD}{meaning}{GOOD:#}", word.text)?,
        }
    }
    for remark in &adopted.remarks {
        writeln!(out, "{WARNING}note{WARNING:#}: {remark}")?;
    }
    Ok(())
}

/// Whether the job gives the lines back; else what it gives and what was asked.
fn gives_back(
    job: &Path,
    lines: &[Vec<String>],
    adopted: &Adoption,
    folder: &Path,
) -> Result<Result<(), String>, Trouble> {
    let loaded = truepath_runner::load(job, &[], &SHIPPED, When::Next, None)?;
    let expansion = truepath_core::deliverable::expand(
        &loaded.job,
        &loaded.surroundings,
        &truepath_core::deliverable::Selection::default(),
    );
    let wanted: Vec<String> = lines
        .iter()
        .map(|line| whole(line, adopted, folder))
        .collect();
    let given = lines_of(&expansion, lines, adopted)?;
    let missing = wanted.iter().find(|line| !given.contains(line));
    Ok(match missing {
        Some(line) => Err(format!(
            "{line}\n  and gives {}:\n  {}",
            count(given.len() as u64, "line", "lines"),
            given.join("\n  ")
        )),
        None => Ok(()),
    })
}

/// A line with its paths written out whole.
fn whole(line: &[String], adopted: &Adoption, folder: &Path) -> String {
    let words = line
        .iter()
        .skip(1)
        .zip(&adopted.words)
        .map(|(text, word)| match word.means {
            Means::Scene | Means::Output => {
                let (before, path) = text.split_at(word.before.len());
                format!("{before}{}", folder.join(path).display())
            }
            _ => text.clone(),
        });
    let words: Vec<String> = words.collect();
    posix_line(&line[0], words.iter().map(String::as_str))
}

/// The lines that the job comes to, rendering right into the folders of the true names; in the
/// pieces of frames that the lines had.
fn lines_of(
    expansion: &Expansion,
    lines: &[Vec<String>],
    adopted: &Adoption,
) -> Result<Vec<String>, Trouble> {
    let mut all = Vec::new();
    let pieces = adopted.pieces(lines);
    for frames in pieces {
        let plan = plan(expansion, &|index| {
            let chosen = &expansion.deliverables[index].common.chosen;
            match &frames {
                Some(frames) => chosen.intersection(frames).unwrap_or_default(),
                None => chosen.clone(),
            }
        });
        for invocation in &plan {
            let deliverables = invocation.members(&expansion.deliverables);
            let one = deliverables[0];
            let path = one.path(invocation.frames.first().unwrap_or(0));
            let call = Call {
                profile: &one.common.engine,
                deliverables: &deliverables,
                frames: &invocation.frames,
                staging: path.rsplit_once('/').map_or("", |(folder, _)| folder),
                prepared: None,
            };
            let orders = call
                .orders()
                .map_err(|error| Trouble::Usage(error.to_string()))?;
            let words = orders.arguments.iter().map(String::as_str);
            let line = posix_line(&orders.program, words);
            if !all.contains(&line) {
                all.push(line);
            }
        }
    }
    Ok(all)
}
