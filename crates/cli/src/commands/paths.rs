//! `truepath paths`: every path that will be written.

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use serde_json::{Value, json};
use truepath_core::deliverable::{Deliverable, Picture};
use truepath_core::listing::list;
use truepath_core::template::TokenValue;

use super::check::{findings, has_errors};
use super::{Format, JSON_VERSION, print_json};
use crate::job_arguments::{Chosen, JobArguments};
use crate::outcome::{DONE, FOUND, Trouble};
use crate::show::finding::tell_all;
use crate::show::{FAINT, TITLE, files};

/// Show every path that will be written
///
/// Each deliverable is told once: its picture, its template with the values of the tokens, its
/// frames, its first and last path.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath paths\n  truepath paths --shot dawn --pass depth\n  truepath paths --all --frames 1-10 | head"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// Every path, one a line, for pipes
    #[arg(long)]
    all: bool,
    /// How the deliverables are printed
    #[arg(long, value_enum, default_value = "text", conflicts_with = "all")]
    format: Format,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let chosen = arguments.job.load()?;
    let deliverables = &chosen.chosen.deliverables;
    if arguments.all {
        let mut out = io::stdout().lock();
        for one in deliverables {
            list(&one.pattern, &one.common.chosen, &mut |batch| {
                out.write_all(batch)
            })?;
        }
        out.flush()?;
    } else if arguments.format == Format::Json {
        let all: Vec<Value> = deliverables.iter().map(as_json).collect();
        print_json(&json!({ "version": JSON_VERSION, "deliverables": all }))?;
    } else {
        let mut out = io::BufWriter::new(anstream::stdout().lock());
        for one in deliverables {
            tell(&mut out, one)?;
        }
        let total = deliverables
            .iter()
            .map(|one| one.common.chosen.count())
            .sum();
        writeln!(out, "{TITLE}{}{TITLE:#} in {}", files(total), chosen.name)?;
        out.flush()?;
    }
    tell_unexpanded(&chosen)
}

/// What could not be expanded is told, so that no list looks whole that is not.
pub(super) fn tell_unexpanded(chosen: &Chosen) -> Result<ExitCode, Trouble> {
    if chosen.chosen.problems.is_empty() {
        return Ok(ExitCode::from(DONE));
    }
    let findings = findings(chosen);
    tell_all(
        &mut anstream::stderr(),
        &chosen.loaded.job.sources,
        &findings,
    );
    Ok(ExitCode::from(if has_errors(&findings) {
        FOUND
    } else {
        DONE
    }))
}

fn tell(out: &mut impl Write, one: &Deliverable) -> io::Result<()> {
    let frames = &one.common.chosen;
    let label = one.label();
    let room = 72_usize.saturating_sub(label.chars().count());
    writeln!(
        out,
        "{TITLE}{label}{TITLE:#}{:>room$}",
        files(frames.count())
    )?;
    let row = |out: &mut dyn Write, name: &str, value: &str| {
        writeln!(out, "  {FAINT}{name:<9}{FAINT:#}{value}")
    };
    row(out, "picture", &picture(&one.picture))?;
    row(out, "template", &one.template.template.to_string())?;
    let values = values(one);
    if !values.is_empty() {
        let values: Vec<String> = values
            .iter()
            .map(|(name, value)| format!("{name} {value}"))
            .collect();
        row(out, "values", &values.join(", "))?;
    }
    row(out, "frames", &frames.to_string())?;
    if let (Some(first), Some(last)) = (frames.first(), frames.last()) {
        row(out, "first", &one.path(first))?;
        if last != first && one.pattern.has_frame() {
            row(out, "last", &one.path(last))?;
        }
    }
    writeln!(out)
}

/// The tokens of the template with their values, each once; the frame has none of its own, and
/// folders are seen in the paths.
fn values(one: &Deliverable) -> Vec<(String, String)> {
    let mut values: Vec<(String, String)> = Vec::new();
    for (token, _) in one.template.template.tokens() {
        let value = match one.token(&token.name) {
            TokenValue::Text(text) => text,
            TokenValue::Number(number) => number.to_string(),
            TokenValue::Date(date) => date.to_string(),
            TokenValue::Nothing => "(none)".to_owned(),
            TokenValue::Path(_) | TokenValue::Frame | TokenValue::Unknown => continue,
        };
        if !values.iter().any(|(name, _)| *name == token.name) {
            values.push((token.name.clone(), value));
        }
    }
    values
}

/// What the pictures are, in a line; what is left to the engine is not told.
pub(super) fn picture(picture: &Picture) -> String {
    let words = [
        Some(picture.format.name.to_owned()),
        picture.channels.as_ref().map(|one| one.value.to_string()),
        picture.bits.as_ref().map(|bits| match bits.value.word() {
            word if word.starts_with(|c: char| c.is_ascii_digit()) => format!("{word} bit"),
            word => word.to_owned(),
        }),
        picture.compression.as_ref().map(|one| one.value.clone()),
        picture.size.as_ref().map(|one| one.value.to_string()),
    ];
    words.into_iter().flatten().collect::<Vec<_>>().join(", ")
}

fn as_json(one: &Deliverable) -> Value {
    let frames = &one.common.chosen;
    let picture = &one.picture;
    json!({
        "shot": one.common.shot,
        "variant": one.common.variant.as_ref().map(|word| &word.text),
        "view": one.common.view.as_ref().map(|word| &word.text),
        "preset": one.common.preset.as_ref().map(|preset| &preset.value),
        "camera": one.common.camera.as_ref().map(|word| &word.text),
        "output": one.common.output,
        "pass": one.pass.as_ref().map(|word| &word.text),
        "engine": one.common.engine.name,
        "template": one.template.template.to_string(),
        "values": values(one).into_iter().collect::<BTreeMap<_, _>>(),
        "path": one.pattern.sketch(),
        "frames": frames.to_string(),
        "files": frames.count(),
        "first": frames.first().map(|frame| one.path(frame)),
        "last": frames.last().map(|frame| one.path(frame)),
        "format": picture.format.name,
        "channels": picture.channels.as_ref().map(|one| one.value.word()),
        "bits": picture.bits.as_ref().map(|one| one.value.word()),
        "compression": picture.compression.as_ref().map(|one| &one.value),
        "size": picture.size.as_ref().map(|one| one.value.to_string()),
    })
}
