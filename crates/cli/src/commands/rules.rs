//! `truepath rules`: what `check` looks for.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use truepath_core::finding::Severity;
use truepath_core::nearest::advice;
use truepath_core::rules::{Rule, rules};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE};
use crate::shapes::rules::RulesShape;
use crate::show::{ERROR, FAINT, TITLE, WARNING};

/// Show what `check` looks for, why, and how to fix it
///
/// Without an argument a line each; with a code or a name everything about it, with an example that
/// breaks it and one that keeps it.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath rules\n  truepath rules TP103\n  truepath rules left-out-token"
)]
pub(crate) struct Arguments {
    /// Codes or names of rules
    rule: Vec<String>,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    if arguments.format == OutputFormat::Json {
        let asked: Vec<&Rule> = if arguments.rule.is_empty() {
            rules().collect()
        } else {
            let asked = arguments.rule.iter();
            asked.map(|asked| find(asked)).collect::<Result<_, _>>()?
        };
        print_json(&RulesShape::of(&asked))?;
        return Ok(ExitCode::from(DONE));
    }
    let mut out = crate::show::out();
    if arguments.rule.is_empty() {
        let longest = rules().map(|rule| rule.name.len()).max().unwrap_or(0);
        for rule in rules() {
            writeln!(
                out,
                "{TITLE}{}{TITLE:#}  {:<longest$}  {}  {FAINT}{}{FAINT:#}",
                rule.code,
                rule.name,
                styled(rule.severity),
                // The first sentence; `truepath rules CODE` shows all.
                rule.what
                    .split(". ")
                    .next()
                    .unwrap_or_default()
                    .trim_end_matches('.')
            )?;
        }
    }
    for asked in &arguments.rule {
        print(&mut out, find(asked)?)?;
    }
    out.flush()?;
    Ok(ExitCode::from(DONE))
}

/// The rule of a code or a name.
fn find(asked: &str) -> Result<&'static Rule, CommandError> {
    let upper = asked.to_uppercase();
    let rule = rules().find(|rule| rule.code == upper || rule.name == asked);
    rule.ok_or_else(|| {
        let names: Vec<&str> = rules().flat_map(|rule| [rule.name, rule.code]).collect();
        let near = match advice(asked, &names) {
            near if near.len() < 100 => near,
            _ => "`truepath rules` lists them".to_owned(),
        };
        CommandError::Usage(format!("there is no rule `{asked}`: {near}"))
    })
}

/// A severity with its colour, as wide as the longest.
fn styled(of: Severity) -> String {
    let word = of.word();
    match of {
        Severity::Error => format!("{ERROR}{word:<7}{ERROR:#}"),
        Severity::Warning => format!("{WARNING}{word:<7}{WARNING:#}"),
        Severity::Note => format!("{word:<7}"),
    }
}

fn print(out: &mut impl Write, rule: &Rule) -> io::Result<()> {
    writeln!(
        out,
        "{TITLE}{} {}{TITLE:#}  {}\n\n{} {}\n\nThis breaks it:\n",
        rule.code,
        rule.name,
        styled(rule.severity),
        rule.what,
        rule.why
    )?;
    example(out, rule.breaks)?;
    writeln!(out, "\n{} This keeps it:\n", rule.fix)?;
    example(out, rule.keeps)?;
    writeln!(
        out,
        "\n{FAINT}In a job file [check] {} = \"off\", \"note\", \"warning\" or \"error\" changes it.{FAINT:#}\n",
        rule.code
    )
}

fn example(out: &mut impl Write, text: &str) -> io::Result<()> {
    text.lines()
        .try_for_each(|line| writeln!(out, "    {line}"))
}
