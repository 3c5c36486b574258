//! One file a command. A new one is a file here, a variant of [`Command`], a line in [`dispatch`] and a word in `groups`.

mod adopt;
mod audit;
mod check;
mod clean;
mod command_lines;
pub(crate) mod compare;
mod completions;
mod demo;
mod engines;
mod gather;
pub(crate) mod groups;
mod man;
mod manifest;
mod match_names;
#[cfg(feature = "movies")]
mod movie;
mod new;
mod overview;
mod pack;
mod passes;
mod paths;
mod queue;
mod rename;
mod report;
mod rules;
mod run;
pub(crate) mod scan;
mod schema;
mod sheet;
mod show;
mod status;
mod supervise;
mod times;
mod tokens;
mod understudy;
mod why;

use std::process::ExitCode;

use clap::{Subcommand, ValueEnum};
use serde::Serialize;

use crate::error::CommandError;

/// The commands, in the order of the work.
#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    New(new::Arguments),
    Adopt(adopt::Arguments),
    Demo(demo::Arguments),
    Overview(overview::Arguments),
    Paths(paths::Arguments),
    Tokens(tokens::Arguments),
    Check(check::Arguments),
    Rules(rules::Arguments),
    Commands(command_lines::Arguments),
    Run(run::Arguments),
    Queue(queue::Arguments),
    Pack(pack::Arguments),
    Gather(gather::Arguments),
    Status(status::Arguments),
    Audit(audit::Arguments),
    Why(why::Arguments),
    Times(times::Arguments),
    Clean(clean::Arguments),
    Show(show::Arguments),
    Sheet(sheet::Arguments),
    Compare(compare::Arguments),
    Report(report::Arguments),
    #[cfg(feature = "movies")]
    Movie(movie::Arguments),
    Passes(passes::Arguments),
    Rename(rename::Arguments),
    Manifest(manifest::Arguments),
    Scan(scan::Arguments),
    Match(match_names::Arguments),
    Engines(engines::Arguments),
    Schema(schema::Arguments),
    Completions(completions::Arguments),
    Man(man::Arguments),
    #[command(hide = true)]
    Understudy(understudy::Arguments),
    /// Started by a run beside the engines; not for people
    #[command(hide = true)]
    Supervise,
}

/// Does what a command says.
pub(crate) fn dispatch(command: Command) -> Result<ExitCode, CommandError> {
    match command {
        Command::Adopt(arguments) => adopt::run(arguments),
        Command::New(arguments) => new::run(arguments),
        Command::Demo(arguments) => demo::run(arguments),
        Command::Overview(arguments) => overview::run(arguments),
        Command::Paths(arguments) => paths::run(arguments),
        Command::Tokens(arguments) => tokens::run(arguments),
        Command::Check(arguments) => check::run(arguments),
        Command::Rules(arguments) => rules::run(arguments),
        Command::Commands(arguments) => command_lines::run(arguments),
        Command::Run(arguments) => run::run(arguments),
        Command::Queue(arguments) => queue::run(arguments),
        Command::Pack(arguments) => pack::run(arguments),
        Command::Gather(arguments) => gather::run(arguments),
        Command::Status(arguments) => status::run(arguments),
        Command::Audit(arguments) => audit::run(arguments),
        Command::Why(arguments) => why::run(arguments),
        Command::Times(arguments) => times::run(arguments),
        Command::Clean(arguments) => clean::run(arguments),
        Command::Report(arguments) => report::run(arguments),
        Command::Compare(arguments) => compare::run(arguments),
        Command::Show(arguments) => show::run(arguments),
        Command::Sheet(arguments) => sheet::run(arguments),
        #[cfg(feature = "movies")]
        Command::Movie(arguments) => movie::run(arguments),
        Command::Passes(arguments) => passes::run(arguments),
        Command::Rename(arguments) => rename::run(arguments),
        Command::Manifest(arguments) => manifest::run(arguments),
        Command::Scan(arguments) => scan::run(arguments),
        Command::Match(arguments) => match_names::run(arguments),
        Command::Engines(arguments) => engines::run(arguments),
        Command::Schema(arguments) => schema::run(arguments),
        Command::Completions(arguments) => completions::run(arguments),
        Command::Man(arguments) => man::run(arguments),
        Command::Understudy(arguments) => understudy::run(arguments),
        Command::Supervise => supervise::run(),
    }
}

/// For people or for programs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum OutputFormat {
    /// To be read
    Text,
    /// JSON, with a version number
    Json,
}

/// JSON in which what a terminal acts on is escaped, as far as JSON does not demand that itself.
fn escaped(text: &str) -> std::borrow::Cow<'_, str> {
    let acts = |one: char| one != '\n' && truepath_core::visible::is_hidden(one);
    if !text.contains(acts) {
        return text.into();
    }
    let escape = |one: char| {
        if acts(one) {
            format!("\\u{:04x}", u32::from(one))
        } else {
            one.to_string()
        }
    };
    text.chars().map(escape).collect::<String>().into()
}

/// Prints a value as JSON.
fn print_json(value: &impl Serialize) -> Result<(), CommandError> {
    use std::io::Write;
    let text = serde_json::to_string_pretty(value).map_err(std::io::Error::from)?;
    let text = escaped(&text);
    Ok(writeln!(std::io::stdout(), "{text}")?)
}
