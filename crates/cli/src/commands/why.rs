//! `truepath why`: why a file is what it is.

use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::{Deliverable, absolute, origins};
use truepath_core::file_state::FileState;
use truepath_core::finding::grouped;
use truepath_core::job::Job;
use truepath_core::template::{Part, TokenValue};
use truepath_core::visible::visible;
use truepath_runner::follow::why::{FileFacts, why};
use truepath_runner::look::splits;
use truepath_runner::record::ledger::{FileEntry, FileOrigin};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::JobArguments;
use crate::shapes::why::WhyShape;
use crate::show::{ERROR, GOOD, TITLE, WARNING, bytes as shown_bytes, columns, count};

/// Say why a file is what it is
///
/// Which frame of what it is, each token of its name and where its value comes from; who made it, when, on which
/// machine, with which command line and settings; in which log it stands; and its state, with the reason.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath why renders/dawn.0017.png\n  truepath why renders/dawn.0017.png --job review.toml\n\nThe exit code is 0 when the file is valid."
)]
pub(crate) struct Arguments {
    /// The file, whether it is there or not
    file: PathBuf,
    #[command(flatten)]
    job: JobArguments,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

/// Columns before the text of a row.
const INDENT: usize = 13;

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let outside = || CommandError::outside(arguments.file.display().to_string());
    let path = std::path::absolute(&arguments.file).map_err(outside())?;
    // Without `..`, as the job writes its paths.
    let Some(path) = path.to_str().map(|path| absolute("/", path)) else {
        return Err(CommandError::Usage(
            "the name of the file is not Unicode, and those of a job are".to_owned(),
        ));
    };
    let chosen = arguments.job.load_latest()?;
    let mut all = chosen.all();
    splits::take_found(&chosen.loaded, &mut all)
        .map_err(CommandError::outside("the state of the job"))?;
    let facts = why(&chosen.loaded, &all, &path);
    let facts = facts.map_err(CommandError::outside("the state of the job"))?;
    let Some(facts) = facts else {
        return Err(CommandError::Usage(format!(
            "no part of {} gives a file this name: {}; `truepath match` shows how a template reads names",
            chosen.name,
            visible(&path)
        )));
    };
    let job = &chosen.loaded.job;
    let one = &all.deliverables[facts.deliverable];
    let is_valid = facts.verdict.state == FileState::Valid;
    let code = ExitCode::from(if is_valid { DONE } else { FOUND });
    if arguments.format == OutputFormat::Json {
        print_json(&WhyShape::of(&path, one, &facts))?;
        return Ok(code);
    }
    let mut out = crate::show::out();
    writeln!(out, "{TITLE}{path}{TITLE:#}")?;
    let width = columns(io::stdout(), 200).max(40) - INDENT;
    let mut row = |name: &str, text: &str| -> io::Result<()> {
        let options = textwrap::Options::new(width).break_words(false);
        for (at, line) in textwrap::wrap(text, options).iter().enumerate() {
            let name = if at == 0 { name } else { "" };
            writeln!(out, "  {name:<11}{line}")?;
        }
        Ok(())
    };
    let what = if one.movie().is_some() {
        one.label()
    } else {
        format!("frame {} of {}", facts.frame, one.label())
    };
    row("is", &what)?;
    row("state", &state(&facts, job, one))?;
    for reason in facts.verdict.reasons.iter().skip(1) {
        row("", &with_place(reason, job, one))?;
    }
    match facts.history.last() {
        None => row("made by", "nobody knows: no run has recorded it")?,
        Some(entry) => {
            for (name, text) in made_by(entry) {
                row(name, &text)?;
            }
            for (name, text) in log(&facts) {
                row(name, &text)?;
            }
        }
    }
    if let Some(split) = one.split_words() {
        row("split", &split)?;
    }
    for (at, source) in facts.sources.iter().enumerate() {
        row(if at == 0 { "taken from" } else { "" }, source)?;
    }
    for earlier in facts.history.iter().rev().skip(1) {
        row("before", &came(earlier))?;
    }
    if !facts.inputs.is_empty() {
        let inputs = facts
            .inputs
            .iter()
            .map(|(name, value)| format!("{name} {}", short(value)));
        row("made of", &inputs.collect::<Vec<_>>().join(", "))?;
    }
    for (at, (name, value, place)) in tokens(job, one).into_iter().enumerate() {
        let text = format!("{name} = {value}{place}");
        row(if at == 0 { "named by" } else { "" }, &text)?;
    }
    out.flush()?;
    Ok(code)
}

fn state(facts: &FileFacts, job: &Job, one: &Deliverable) -> String {
    let word = facts.verdict.state;
    let style = match word {
        FileState::Valid => GOOD,
        FileState::Missing | FileState::Broken | FileState::Failed => ERROR,
        _ => WARNING,
    };
    let why = facts
        .verdict
        .reasons
        .first()
        .map(|reason| with_place(reason, job, one));
    let why = why.map(|why| format!(": {why}")).unwrap_or_default();
    format!("{style}{word}{style:#}{why}")
}

/// A change of a setting, with the place in the job that sets it today.
fn with_place(reason: &str, job: &Job, one: &Deliverable) -> String {
    let place = reason
        .split_once(": ")
        .and_then(|(name, _)| origins(job, one, name).into_iter().next());
    match place {
        None => reason.to_owned(),
        Some(origin) => {
            let (line, _) = job.sources.line_and_column(&origin.place);
            let name = &job.sources.get(origin.place.source).name;
            format!("{reason} ({name}:{line})")
        }
    }
}

/// How a file came to its true name, in words.
fn came(entry: &FileEntry) -> String {
    let how = match entry.how {
        FileOrigin::Rendered => "rendered",
        FileOrigin::Recovered => "rendered by a run that died, and recovered",
        FileOrigin::Adopted => "found there and adopted",
        FileOrigin::Accepted => "accepted as it was",
    };
    let record = &entry.record;
    // Whole seconds are enough for people.
    let time = record.time.split('.').next().unwrap_or_default();
    let time = time.trim_end_matches('Z').replace('T', " ");
    format!(
        "{how} {time} UTC on {} by {}, run {}",
        record.machine, record.engine, entry.session
    )
}

fn made_by(entry: &FileEntry) -> Vec<(&'static str, String)> {
    let record = &entry.record;
    let mut rows = vec![("made by", came(entry))];
    if let Some(took) = &entry.took {
        let own = took.each.iter().find(|(frame, _)| *frame == entry.frame);
        let own = own.map_or(took.seconds / took.frames.max(1.0), |(_, seconds)| *seconds);
        rows.push((
            "took",
            format!(
                "{own:.2} s of {:.2} s in which its process brought {}, after {:.2} s to begin",
                took.seconds,
                count(took.frames as u64, "frame", "frames"),
                took.start
            ),
        ));
    }
    if let Some(used) = &entry.used {
        let threads = used.threads.map_or_else(String::new, |threads| {
            format!(
                " with {} set",
                count(threads.unsigned_abs(), "thread", "threads")
            )
        });
        let again = match used.attempt {
            1 => String::new(),
            attempt => format!(", try {attempt}"),
        };
        let text = format!(
            "{:.2} s of processor time{threads}, {} of memory; ended with {}{again}",
            used.cpu,
            shown_bytes(used.memory),
            used.end
        );
        rows.push(("used", text));
    }
    let bytes = format!("{} bytes, {}", grouped(record.size), record.hash);
    rows.push(("content", bytes));
    rows.extend(
        record
            .samples
            .map(|samples| ("samples", samples.to_string())),
    );
    if let Some(picture) = &record.picture {
        rows.push((
            "shows",
            format!(
                "brightness {:.3}, contrast {:.3}, noise {:.4}",
                picture.brightness, picture.contrast, picture.noise
            ),
        ));
    }
    rows
}

/// So many warnings are shown at most.
const MOST_WARNINGS: usize = 5;

fn log(facts: &FileFacts) -> Vec<(&'static str, String)> {
    let Some(log) = &facts.log else {
        return Vec::new();
    };
    let line = log.line.map(|line| format!(":{line}")).unwrap_or_default();
    let mut rows = vec![("log", format!("{}{line}", log.path.display()))];
    rows.extend(log.command.clone().map(|command| ("command", command)));
    let shown = log.warnings.iter().take(MOST_WARNINGS);
    for (at, (line, text)) in shown.enumerate() {
        let name = if at == 0 { "warnings" } else { "" };
        rows.push((name, format!("{}  (line {line})", visible(text))));
    }
    let hidden = log.warnings.len().saturating_sub(MOST_WARNINGS);
    if hidden > 0 {
        rows.push(("", format!("and {hidden} more in the log")));
    }
    rows
}

/// The tokens of the name, their values, and the places that set them.
fn tokens(job: &Job, one: &Deliverable) -> Vec<(String, String, String)> {
    let mut names: Vec<String> = Vec::new();
    let mut open: Vec<&Part> = one.template.template.parts().iter().rev().collect();
    while let Some(part) = open.pop() {
        match part {
            Part::Token(token) if !names.contains(&token.name) => names.push(token.name.clone()),
            Part::Optional(inner) => open.extend(inner.parts().iter().rev()),
            Part::Token(_) | Part::Text(_) => {}
        }
    }
    names
        .into_iter()
        .filter_map(|name| {
            let value = match one.token(&name) {
                TokenValue::Text(text) | TokenValue::Path(text) => text,
                TokenValue::Number(number) => number.to_string(),
                TokenValue::Date(date) => date.to_string(),
                TokenValue::Frame | TokenValue::Nothing | TokenValue::Unknown => return None,
            };
            let place = origins(job, one, &name).into_iter().next().map(|origin| {
                let (line, _) = job.sources.line_and_column(&origin.place);
                let file = &job.sources.get(origin.place.source).name;
                format!("  {} {file}:{line}", origin.level.title())
            });
            Some((format!("{{{name}}}"), value, place.unwrap_or_default()))
        })
        .collect()
}

/// The first 12 digits of a hash, which are enough to recognise it; any other value whole.
fn short(value: &str) -> &str {
    let is_hash = value.len() == 64 && value.bytes().all(|byte| byte.is_ascii_hexdigit());
    if is_hash { &value[..12] } else { value }
}
