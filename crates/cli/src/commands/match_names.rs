//! `truepath match`: reads token values back out of names.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::Deliverable;
use truepath_core::template::{
    Candidates, Departure, Part, Template, TemplateError, TokenValue, Values, readings,
};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::{Chosen, JobArguments};
use crate::shapes::VERSION;
use crate::shapes::matched::{DepartureShape, MatchedShape, NameReadings};
use crate::show::{ERROR, FAINT, GOOD, WARNING};

/// Read token values back out of file names
///
/// With a template (a first argument with braces) nothing is known but the template: every way to
/// read a name is shown. Without one the names are compared with the outputs of the job, with its
/// own shots, passes and the like. Where a name departs from the template is shown.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath match '{shot}_v{version:03}.{frame:04}.exr' *.exr\n  truepath match renders/dawn/*.exr\n  truepath match review.toml renders/dawn/*.exr\n  truepath match --format json '{shot}.{frame:04}.png' a.0001.png\n\nThe exit code is 0 when every name can be read in one way."
)]
pub(crate) struct Arguments {
    /// A template or a job file, then files; or only files, for the outputs of the job
    #[arg(required = true, value_name = "TEMPLATE, JOB or FILE")]
    names: Vec<String>,
    #[command(flatten)]
    job: JobArguments,
    /// How the values are printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

/// What was found of a name.
struct MatchedName {
    name: String,
    /// The template that was compared with it, or that was nearest.
    template: String,
    /// The text that was compared with the template.
    text: String,
    result: Result<Vec<Values>, Departure>,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let mut names = arguments.names;
    let all: Vec<MatchedName> = if names[0].contains('{') {
        let text = names.remove(0);
        let template: Template = text.parse().map_err(|error: TemplateError| {
            let spot = &text[error.span.clone()];
            CommandError::Usage(format!("{error}, at `{spot}`: {}", error.advice))
        })?;
        names
            .into_iter()
            .map(|name| by_template(&text, &template, name))
            .collect()
    } else {
        let job = arguments.job.named_by_first(&mut names);
        if names.is_empty() {
            return Err(CommandError::Usage(
                "no name is given: name files after the job file".to_owned(),
            ));
        }
        let chosen = job.load()?;
        names
            .into_iter()
            .map(|name| by_job(&chosen, name))
            .collect::<Result<_, _>>()?
    };
    let clear = all
        .iter()
        .all(|one| one.result.as_ref().is_ok_and(|found| found.len() == 1));
    if arguments.format == OutputFormat::Json {
        print_json(&MatchedShape {
            version: VERSION,
            names: all.into_iter().map(shape).collect(),
        })?;
    } else {
        let mut out = crate::show::out();
        for one in &all {
            print(&mut out, one)?;
        }
        out.flush()?;
    }
    Ok(ExitCode::from(if clear { DONE } else { FOUND }))
}

/// So many readings of a name are shown.
const MOST_READINGS_SHOWN: usize = 5;

fn by_template(text: &str, template: &Template, name: String) -> MatchedName {
    // A template of a bare name is compared with the name alone.
    let part = if text.contains('/') || text.starts_with("{place.") {
        name.clone()
    } else {
        name.rsplit('/').next().unwrap_or(&name).to_owned()
    };
    MatchedName {
        result: readings(template, &part, &Candidates::of_any),
        template: text.to_owned(),
        text: part,
        name,
    }
}

fn by_job(chosen: &Chosen, name: String) -> Result<MatchedName, CommandError> {
    let path = std::path::absolute(&name).map_err(CommandError::outside(&*name))?;
    let path = path.display().to_string();
    let deliverables = &chosen.chosen.deliverables;
    let candidates = |token: &str| candidates(deliverables, token);
    let mut nearest: Option<MatchedName> = None;
    let mut tried: Vec<(String, Option<String>)> = Vec::new();
    for one in deliverables {
        // Each template of the job once, with all that stands for its tokens anywhere.
        let sketch = one.template.template.to_string();
        let subfolder = subfolder(one);
        if tried.contains(&(sketch.clone(), subfolder.clone())) {
            continue;
        }
        tried.push((sketch.clone(), subfolder.clone()));
        let result = readings(&rooted(&sketch, subfolder.as_deref())?, &path, &candidates);
        let reached = |result: &Result<Vec<Values>, Departure>| match result {
            Ok(_) => usize::MAX,
            Err(departure) => departure.at,
        };
        if nearest
            .as_ref()
            .is_none_or(|known| reached(&result) > reached(&known.result))
        {
            nearest = Some(MatchedName {
                name: name.clone(),
                template: sketch,
                text: path.clone(),
                result,
            });
        }
    }
    nearest.ok_or_else(|| {
        CommandError::Usage("the job makes nothing to hold names against".to_owned())
    })
}

/// The folder of its own that a preset puts below the place.
fn subfolder(one: &Deliverable) -> Option<String> {
    let start = match one.template.template.parts().first() {
        Some(Part::Token(token)) if token.name.starts_with("place.") => one.token(&token.name),
        _ => one.token("place.job"),
    };
    let TokenValue::Path(place) = start else {
        return None;
    };
    let below = one.root.strip_prefix(&place)?.trim_start_matches('/');
    (!below.is_empty()).then(|| below.to_owned())
}

/// The template with the folder that it starts from.
fn rooted(sketch: &str, subfolder: Option<&str>) -> Result<Template, CommandError> {
    let below = subfolder.map_or_else(String::new, |subfolder| {
        format!("/{}", subfolder.replace('{', "{{").replace('}', "}}"))
    });
    let text = match sketch.split_once('}') {
        Some((place, rest)) if sketch.starts_with("{place.") => format!("{place}}}{below}{rest}"),
        _ => format!("{{place.job}}{below}/{sketch}"),
    };
    text.parse()
        .map_err(|error: TemplateError| CommandError::Usage(error.to_string()))
}

/// What stands for a token anywhere in the job.
fn candidates(deliverables: &[Deliverable], token: &str) -> Candidates {
    let mut known: Vec<String> = Vec::new();
    for one in deliverables {
        match one.token(token) {
            TokenValue::Text(text) | TokenValue::Path(text) => {
                if !known.contains(&text) {
                    known.push(text);
                }
            }
            TokenValue::Number(_) | TokenValue::Frame => return Candidates::Number,
            TokenValue::Date(_) => return Candidates::Date,
            TokenValue::Nothing | TokenValue::Unknown => {}
        }
    }
    Candidates::Known(known.into())
}

fn shown(values: &Values) -> String {
    let words: Vec<String> = values
        .iter()
        .filter(|(name, _)| !name.starts_with("place."))
        .map(|(name, value)| format!("{name} {value}"))
        .collect();
    words.join(", ")
}

fn print(out: &mut impl Write, one: &MatchedName) -> io::Result<()> {
    match &one.result {
        Ok(found) if found.len() == 1 => {
            writeln!(out, "{GOOD}{}{GOOD:#}  {}", one.name, shown(&found[0]))
        }
        Ok(found) => {
            writeln!(
                out,
                "{WARNING}{}{WARNING:#}  can be read in {} ways",
                one.name,
                found.len()
            )?;
            for values in found.iter().take(MOST_READINGS_SHOWN) {
                writeln!(out, "  {}", shown(values))?;
            }
            if let Some(more @ 1..) = found.len().checked_sub(MOST_READINGS_SHOWN) {
                writeln!(
                    out,
                    "  {FAINT}and {more} more; `--format json` has them all{FAINT:#}"
                )?;
            }
            Ok(())
        }
        Err(departure) => {
            writeln!(
                out,
                "{ERROR}{}{ERROR:#}  departs from {}",
                one.name, one.template
            )?;
            let before = one.text[..departure.at].chars().count();
            writeln!(out, "  {}", one.text)?;
            writeln!(
                out,
                "  {:before$}{ERROR}^{ERROR:#} {FAINT}expected here: {}{FAINT:#}",
                "",
                departure.expected.join(" or ")
            )
        }
    }
}

fn shape(one: MatchedName) -> NameReadings {
    let (found, departure) = match one.result {
        Ok(found) => (found, None),
        Err(departure) => (Vec::new(), Some(departure)),
    };
    NameReadings {
        name: one.name,
        template: one.template,
        readings: found
            .into_iter()
            .map(|values| values.into_iter().collect())
            .collect(),
        departs: departure.map(|departure| DepartureShape {
            byte: departure.at,
            expected: departure.expected,
        }),
    }
}
