//! `truepath tokens`: every token, its value here, and where that comes from.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::Deliverable;
use truepath_core::deliverable::{Origin, origins, settings_of_key};
use truepath_core::job::{Job, KEYS, PlacedText};
use truepath_core::template::TokenValue;
use truepath_core::token::Token;

use super::paths::report_unexpanded;
use super::{OutputFormat, print_json};
use crate::error::CommandError;
use crate::job_arguments::{Chosen, ForSystem, JobArguments};
use crate::shapes::VERSION;
use crate::shapes::tokens::{OriginShape, TokenShape, Tokens, ValuedShape};
use crate::show::{FAINT, TITLE};

/// Show every token, its value here, and where that comes from
///
/// A value that differs among the chosen deliverables is shown once for each value, up to three;
/// choose a part of the job to see fewer. What a value beat stands behind it. Keys of the job file
/// can be asked for in the same way, whether a token shows them or not.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath tokens\n  truepath tokens review.toml\n  truepath tokens version width --shot dawn --pass depth\n  truepath tokens bits movie.codec\n  truepath tokens --keys --shot dawn\n  truepath tokens --format json"
)]
pub(crate) struct Arguments {
    /// The job file, and then only these tokens or keys
    #[arg(value_name = "JOB or TOKEN")]
    token: Vec<String>,
    /// All keys that are set, in place of the tokens
    #[arg(long)]
    keys: bool,
    #[command(flatten)]
    job: JobArguments,
    #[command(flatten)]
    elsewhere: ForSystem,
    /// How the tokens are printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

/// A value of a token with the places that set it, the winner first.
struct ValuedRow {
    value: String,
    origins: Vec<Origin>,
}

/// A token or a key with the values that it takes.
struct TokenRow {
    name: String,
    /// Whether it is a key of the job file.
    is_key: bool,
    meaning: &'static str,
    values: Vec<ValuedRow>,
}

/// Values of a token that are shown one by one.
const MOST_VALUES: usize = 3;

pub(super) fn run(mut arguments: Arguments) -> Result<ExitCode, CommandError> {
    let job = arguments.job.named_by_first(&mut arguments.token);
    if let (true, Some(token)) = (arguments.keys, arguments.token.first()) {
        return Err(CommandError::Usage(format!(
            "--keys shows all keys, and `{token}` selects one: use only one of them"
        )));
    }
    let chosen = job.load_for(arguments.elsewhere.system)?;
    let mut rows = if arguments.keys {
        let mut keys = keys(&chosen, |_| true);
        keys.retain(|one| !one.values.is_empty());
        keys
    } else {
        let mut rows = rows(&chosen, &arguments.elsewhere);
        // A key of the same name as a token is shown as the token.
        let asked = |name: &str| arguments.token.iter().any(|one| one == name);
        let fresh = |name: &str| rows.iter().all(|one| one.name != name);
        let keys = keys(&chosen, |name| asked(name) && fresh(name));
        rows.extend(keys);
        rows
    };
    if let Some(unknown) = arguments
        .token
        .iter()
        .find(|name| !rows.iter().any(|one| one.name == **name))
    {
        let keys = KEYS.iter().map(|facts| facts.name);
        let names: Vec<&str> = rows
            .iter()
            .map(|one| one.name.as_str())
            .chain(keys)
            .collect();
        let advice = truepath_core::nearest::advice(unknown, &names);
        return Err(CommandError::Usage(format!(
            "there is no token or key `{unknown}`: {advice}"
        )));
    }
    if !arguments.token.is_empty() {
        rows.retain(|one| arguments.token.contains(&one.name));
    }
    let job = &chosen.loaded.job;
    if arguments.format == OutputFormat::Json {
        print_json(&Tokens {
            version: VERSION,
            tokens: rows.into_iter().map(|one| shape(job, one)).collect(),
        })?;
    } else {
        let mut out = crate::show::out();
        for one in &rows {
            print(&mut out, job, one)?;
        }
        out.flush()?;
    }
    report_unexpanded(&chosen)
}

/// Every token that the job knows: built in, places, settings, and its own.
fn rows(chosen: &Chosen, elsewhere: &ForSystem) -> Vec<TokenRow> {
    let job = &chosen.loaded.job;
    let all = &chosen.chosen.deliverables;
    let mut names: Vec<(String, &'static str)> = Vec::new();
    for (name, meaning) in Token::of_templates() {
        match name {
            "place.NAME" => {
                let places = job.places.iter().map(|place| place.name.as_str());
                for place in places.chain(["job", "scene"]) {
                    names.push((
                        format!("place.{place}"),
                        "a folder that paths may start from",
                    ));
                }
            }
            "settings.NAME" => {
                for (setting, _) in all.iter().flat_map(|one| one.settings.iter()) {
                    let name = format!("settings.{setting}");
                    if !names.iter().any(|(known, _)| *known == name) {
                        names.push((name, meaning));
                    }
                }
            }
            name => names.push((name.to_owned(), meaning)),
        }
    }
    for (name, _) in &job.tokens {
        names.push((name.clone(), "a token of the project's own"));
    }
    names
        .into_iter()
        .map(|(name, meaning)| TokenRow {
            values: values(job, all, &name, elsewhere),
            is_key: false,
            name,
            meaning,
        })
        .collect()
}

/// The values that a token takes, each once, in the order of the job.
fn values(job: &Job, all: &[Deliverable], name: &str, elsewhere: &ForSystem) -> Vec<ValuedRow> {
    let mut values: Vec<ValuedRow> = Vec::new();
    for deliverable in all {
        let value = match deliverable.token(name) {
            TokenValue::Text(text) => text,
            TokenValue::Path(path) => elsewhere.written(&path),
            TokenValue::Number(number) => number.to_string(),
            TokenValue::Date(date) => date.to_string(),
            TokenValue::Frame => return Vec::new(),
            TokenValue::Nothing | TokenValue::Unknown => continue,
        };
        if !values.iter().any(|known| known.value == value) {
            values.push(ValuedRow {
                origins: origins(job, deliverable, name),
                value,
            });
        }
    }
    values
}

/// The asked keys of the job file, with the texts that set it, each once, in the order of the job.
fn keys(chosen: &Chosen, asked: impl Fn(&str) -> bool) -> Vec<TokenRow> {
    let job = &chosen.loaded.job;
    let mut all: Vec<TokenRow> = Vec::new();
    // `camera` and `cameras` are one key, shown by its first name.
    for facts in KEYS
        .iter()
        .filter(|facts| facts.key.facts().name == facts.name && asked(facts.name))
    {
        let mut values: Vec<ValuedRow> = Vec::new();
        for deliverable in &chosen.chosen.deliverables {
            let origins = settings_of_key(job, deliverable, facts.key);
            let Some(first) = origins.first() else {
                continue;
            };
            let source = job.sources.get(first.place.source);
            let text = source
                .text
                .get(first.place.span.clone())
                .unwrap_or_default();
            let chain = deliverable.chain(job);
            let value = if chain.setting(facts.key).is_none() {
                "unset: left to the scene".to_owned()
            } else if facts.kind.is_merged {
                // Of tables every level adds its part.
                merged(&chain.merged(facts.key))
            } else {
                text.lines().next().unwrap_or_default().to_owned()
            };
            if !values.iter().any(|known| known.value == value) {
                values.push(ValuedRow { value, origins });
            }
        }
        all.push(TokenRow {
            name: facts.name.to_owned(),
            is_key: true,
            meaning: facts.meaning,
            values,
        });
    }
    all
}

/// A table of settings as TOML, in one line.
fn merged(settings: &[(String, PlacedText)]) -> String {
    let each = settings
        .iter()
        .map(|(name, word)| format!("{name} = {}", word.text));
    format!("{{ {} }}", each.collect::<Vec<_>>().join(", "))
}

fn origin(job: &Job, origin: &Origin) -> String {
    let (line, _) = job.sources.line_and_column(&origin.place);
    let name = &job.sources.get(origin.place.source).name;
    format!("{} {name}:{line}", origin.level.title())
}

fn print(out: &mut impl Write, job: &Job, row: &TokenRow) -> io::Result<()> {
    let name = if row.is_key {
        row.name.clone()
    } else {
        format!("{{{}}}", row.name)
    };
    write!(out, "{TITLE}{name:<20}{TITLE:#}")?;
    if row.values.is_empty() {
        let why = if row.name == "frame" {
            "each frame"
        } else {
            "no value"
        };
        writeln!(out, "{FAINT}{why:<22}  {}{FAINT:#}", row.meaning)?;
        return Ok(());
    }
    for (index, valued) in row.values.iter().take(MOST_VALUES).enumerate() {
        if index > 0 {
            write!(out, "{:20}", "")?;
        }
        let mut from: Vec<String> = valued.origins.iter().map(|one| origin(job, one)).collect();
        if from.len() > 1 {
            from = vec![format!("{}, beats {}", from[0], from[1..].join(", "))];
        }
        let from = from.first().map_or(row.meaning, String::as_str);
        writeln!(out, "{:<22}  {FAINT}{from}{FAINT:#}", valued.value)?;
    }
    if row.values.len() > MOST_VALUES {
        let more = row.values.len() - MOST_VALUES;
        writeln!(out, "{:20}{FAINT}and {more} more{FAINT:#}", "")?;
    }
    Ok(())
}

fn shape(job: &Job, row: TokenRow) -> TokenShape {
    let origin = |one: Origin| {
        let (line, column) = job.sources.line_and_column(&one.place);
        OriginShape {
            level: one.level.title(),
            file: job.sources.get(one.place.source).name.clone(),
            line,
            column,
        }
    };
    TokenShape {
        token: row.name,
        meaning: row.meaning,
        values: row
            .values
            .into_iter()
            .map(|valued| ValuedShape {
                value: valued.value,
                origins: valued.origins.into_iter().map(origin).collect(),
            })
            .collect(),
    }
}
