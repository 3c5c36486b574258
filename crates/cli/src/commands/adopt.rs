//! `truepath adopt`: makes a job of a command line that is in use.

use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;

use clap::Args;
use truepath_core::adopt::{
    Adoption, Folder, Hint, Meaning, Script, ValueMeaning, adopt, read_script,
};
use truepath_core::command::Invocation;
use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::frames::FrameSet;
use truepath_core::plan::plan_as;
use truepath_core::profile::Profile;
use truepath_core::quote::posix_line;
use truepath_runner::load::{JOB_FILE, profiles};
use truepath_runner::record::run_record::When;

use crate::error::{CommandError, DONE, FOUND};
use crate::new_file::named_in;
use crate::profiles::SHIPPED;
use crate::show::{FAINT, GOOD, TITLE, WARNING, count};

/// Make a job of a command line that is already in use
///
/// Reads the line, or a script with several of one kind, shows what it takes each word to mean, and
/// writes a job file that makes the same frames with the same flags, and no others;
/// paths are written out whole. Where it cannot, it writes nothing and says why.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath adopt -- myrender --in kiln.scene --frames 1-48 --out renders/kiln.png\n  truepath adopt --script nightly.sh --to nightly.toml\n  truepath adopt --meaning=-z=frame --meaning=--dest=output -- myrender -z 7 --dest kiln.out"
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
    dry_run: bool,
    /// What a flag, or the word with a number, means where that is not recognised: scene, output,
    /// output-folder, output-name, output-type, frame, first, last, clip-first, clip-last, step, range, width, height, size,
    /// camera, pass or threads
    #[arg(long, value_name = "FLAG=WHAT", value_parser = hint, allow_hyphen_values = true)]
    meaning: Vec<Hint>,
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

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let here = std::env::current_dir().map_err(CommandError::outside("the current folder"))?;
    let script = match &arguments.script {
        None => Script {
            lines: vec![arguments.command.clone()],
            ..Script::default()
        },
        Some(path) => {
            let name = path.display().to_string();
            let text =
                truepath_media::read_text(path).map_err(CommandError::outside(name.clone()))?;
            read_script(&text).map_err(|error| CommandError::Usage(format!("{name}: {error}")))?
        }
    };
    let known = profiles(&here, SHIPPED)?;
    let known: Vec<Arc<Profile>> = known.all().collect();
    let known: Vec<&Profile> = known.iter().map(AsRef::as_ref).collect();
    let lines: Vec<Vec<String>> = script
        .lines
        .iter()
        .filter(|line| !line.is_empty())
        .cloned()
        .collect();
    let script = Script {
        lines: lines.clone(),
        ..script
    };
    let adopted = match adopt(&script, &Here(here.clone()), &known, &arguments.meaning) {
        Ok(adopted) => adopted,
        Err(error) => {
            let program = lines.first().and_then(|line| line.first());
            show_words(program.map_or("", String::as_str), error.words())?;
            return Err(CommandError::Usage(error.to_string()));
        }
    };
    show_words(&adopted.program, &adopted.words)?;
    for remark in &adopted.remarks {
        writeln!(crate::show::out(), "{WARNING}note{WARNING:#}: {remark}")?;
    }
    if arguments.dry_run {
        write!(io::stdout(), "\n{}", adopted.job)?;
        return Ok(ExitCode::from(DONE));
    }
    write_if_same(&arguments.to, &lines, &adopted)
}

/// Writes the job under its name if it gives the same lines back, and no others.
fn write_if_same(
    to: &Path,
    lines: &[Vec<String>],
    adopted: &Adoption,
) -> Result<ExitCode, CommandError> {
    let name = to.display().to_string();
    let whole = std::path::absolute(to).map_err(CommandError::outside(name.clone()))?;
    let folder = whole.parent().unwrap_or(Path::new("/"));
    if whole.symlink_metadata().is_ok() {
        let taken = io::Error::from(io::ErrorKind::AlreadyExists);
        return Err(CommandError::outside(name)(taken));
    }
    // It is read back as a file before it gets its name.
    let mut trial = named_in(folder, ".toml").map_err(CommandError::outside(name.clone()))?;
    trial
        .write_all(adopted.job.as_bytes())
        .map_err(CommandError::outside(name.clone()))?;
    let same = gives_back(trial.path(), lines, adopted, folder);
    if let Ok(Ok(_)) = &same {
        let named = trial.persist_noclobber(&whole);
        named.map_err(|error| CommandError::outside(name.clone())(error.error))?;
    }
    let mut out = io::stdout().lock();
    match same? {
        Ok(otherwise) => {
            writeln!(out, "\n{name} is written.")?;
            match (otherwise, lines.len()) {
                (None, 1) => writeln!(out, "It gives the same line back, word for word.")?,
                (None, several) => {
                    writeln!(
                        out,
                        "It gives the same {several} lines back, word for word."
                    )?;
                }
                (Some(otherwise), _) => writeln!(out, "{otherwise}")?,
            }
            Ok(ExitCode::from(DONE))
        }
        Err(difference) => {
            writeln!(
                out,
                "\nNothing is written, since a job would not give the same lines back:\n  {difference}\n\
                 Say what a word means with --meaning, or write the job by hand: `truepath new`."
            )?;
            Ok(ExitCode::from(FOUND))
        }
    }
}

/// `--dest=output` or `4=output`
fn hint(text: &str) -> Result<Hint, String> {
    let words = ValueMeaning::HINTS.map(|(word, _)| word);
    let (flag, word) = text.rsplit_once('=').ok_or_else(|| {
        format!(
            "it takes a flag and its meaning, such as --dest=output: {}",
            words.join(", ")
        )
    })?;
    let means = ValueMeaning::HINTS.iter().find(|(known, _)| *known == word);
    match means {
        Some((_, means)) => Ok((flag.to_owned(), *means)),
        None => Err(truepath_core::nearest::advice(word, &words)),
    }
}

/// What each word was taken to mean, with its number.
fn show_words(program: &str, words: &[Meaning]) -> io::Result<()> {
    let mut out = crate::show::out();
    let longest = words.iter().map(|word| word.text.chars().count()).max();
    let width = longest.unwrap_or(0).clamp(7, 40);
    if !program.is_empty() {
        writeln!(
            out,
            "{FAINT} 1{FAINT:#}  {TITLE}{program:<width$}{TITLE:#}  the program"
        )?;
    }
    for (number, word) in (2..).zip(words) {
        let meaning = word.means.word();
        write!(out, "{FAINT}{number:>2}{FAINT:#}  ")?;
        match word.means {
            ValueMeaning::Itself => {
                writeln!(out, "{FAINT}{:<width$}  {meaning}{FAINT:#}", word.text)?
            }
            _ => writeln!(out, "{:<width$}  {GOOD}{meaning}{GOOD:#}", word.text)?,
        }
    }
    Ok(())
}

/// Whether the job gives the lines back; else what it gives and what was asked. Where it makes the same frames with other
/// processes, says so.
fn gives_back(
    job: &Path,
    lines: &[Vec<String>],
    adopted: &Adoption,
    folder: &Path,
) -> Result<Result<Option<String>, String>, CommandError> {
    let loaded = truepath_runner::load(job, &[], SHIPPED, When::Next, None)?;
    let expansion = truepath_core::deliverable::expand(
        &loaded.job,
        &loaded.surroundings,
        &truepath_core::deliverable::Selection::default(),
    );
    let wanted: Vec<String> = lines
        .iter()
        .map(|line| whole(line, adopted, folder))
        .collect();
    let pieces = adopted.pieces(lines);
    let mut made: Vec<String> = Vec::new();
    for (index, one) in DeliverableId::with_each(&expansion.deliverables) {
        let chosen = &one.common.frames.selected;
        let mut covered = FrameSet::empty();
        for piece in &pieces {
            let frames = piece.as_ref().unwrap_or(chosen);
            if frames.difference(chosen).is_ok_and(|rest| !rest.is_empty()) {
                continue;
            }
            let lines = lines_of(&expansion, &|other| {
                if other == index {
                    frames.clone()
                } else {
                    FrameSet::empty()
                }
            })?;
            if lines.iter().all(|line| wanted.contains(line)) {
                covered = covered.union(frames).unwrap_or(covered);
            }
            made.extend(lines);
        }
        let surplus = chosen.difference(&covered).unwrap_or_default();
        // Lines that give their clip render a part of it.
        let gives_clip = adopted
            .words
            .iter()
            .any(|word| word.means == ValueMeaning::ClipFirst);
        if !gives_clip && !surplus.is_empty() && wanted.iter().all(|line| made.contains(line)) {
            return Ok(Err(format!(
                "it would also make frames {surplus} of {}",
                one.label()
            )));
        }
    }
    Ok(match wanted.iter().find(|line| !made.contains(line)) {
        Some(line) => Err(format!(
            "it would not make\n    {line}\n  but {}:\n    {}",
            count(made.len() as u64, "line", "lines"),
            made.join("\n    ")
        )),
        None => Ok(cut_otherwise(&expansion, wanted)?),
    })
}

/// Where the processes of the job are not those of the lines, although the frames are: what they are.
fn cut_otherwise(
    expansion: &Expansion,
    mut lines: Vec<String>,
) -> Result<Option<String>, CommandError> {
    let selected =
        |index: DeliverableId| expansion.deliverables[index].common.frames.selected.clone();
    let mut planned = lines_of(expansion, &selected)?;
    lines.sort();
    planned.sort();
    if lines == planned {
        return Ok(None);
    }
    let new: Vec<&String> = planned
        .iter()
        .filter(|line| !lines.contains(line))
        .collect();
    let mut text = format!(
        "It makes the same frames, each once, and cuts them otherwise: {} became {}",
        count(lines.len() as u64, "line", "lines"),
        count(planned.len() as u64, "line", "lines"),
    );
    for line in new.iter().take(MOST_SHOWN) {
        text.push_str(&format!("\n    {line}"));
    }
    if new.len() > MOST_SHOWN {
        text.push_str(&format!("\n    and {} more", new.len() - MOST_SHOWN));
    }
    Ok(Some(text))
}

/// So many lines that are cut otherwise are shown.
const MOST_SHOWN: usize = 3;

/// A line with its paths written out whole.
fn whole(line: &[String], adopted: &Adoption, folder: &Path) -> String {
    let words = line
        .iter()
        .skip(1)
        .zip(&adopted.words)
        .map(|(text, word)| match word.means {
            ValueMeaning::Scene | ValueMeaning::Output | ValueMeaning::OutputFolder => {
                let (before, path) = text.split_at(word.before.len());
                format!("{before}{}", folder.join(path).display())
            }
            _ => text.clone(),
        });
    let words: Vec<String> = words.collect();
    posix_line(&line[0], words.iter().map(String::as_str))
}

/// The lines that the job makes for some frames of each deliverable, rendering right into the folder of the
/// true names.
fn lines_of(
    expansion: &Expansion,
    wanted: &dyn Fn(DeliverableId) -> FrameSet,
) -> Result<Vec<String>, CommandError> {
    let mut lines = Vec::new();
    // The lines are given back as they were cut.
    for invocation in plan_as(expansion, wanted, &|_| true) {
        let deliverables = invocation.members(&expansion.deliverables);
        let one = *deliverables.first();
        let path = one.path(invocation.frames.first().unwrap_or(0));
        let invocation = Invocation {
            profile: &one.common.engine,
            deliverables: &deliverables,
            frames: &invocation.frames,
            staging: path.rsplit_once('/').map_or("", |(folder, _)| folder),
            prepared: None,
            threads: None,
        };
        let spec = invocation
            .spec()
            .map_err(|error| CommandError::Usage(error.to_string()))?;
        let words = spec.arguments.iter().map(String::as_str);
        lines.push(posix_line(&spec.program, words));
    }
    Ok(lines)
}
