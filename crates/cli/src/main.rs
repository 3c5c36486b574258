//! True Path: render output, named right, complete and checked.
#![cfg_attr(not(test), deny(clippy::disallowed_methods))]

mod burn_in;
mod commands;
mod compared;
mod data_view;
mod error;
mod findings;
mod job_arguments;
mod limits;
mod new_file;
mod outcome;
mod picture_arguments;
mod profiles;
mod shapes;
mod show;
mod signals;
mod this_program;

use std::process::ExitCode;

use clap::{FromArgMatches, Parser};

/// Decides where every rendered file goes and what it is called, checks it before anything runs,
/// renders with no window open, and proves that every frame is there and whole.
///
/// A job file (truepath.toml) says what is wanted; this is a whole one:
///
///   scene  = "kiln.scene"
///   frames = "1-48"
///   path   = "renders/{scene}.{frame:04}.png"
///   run    = ["myrender", "--input", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
///
/// Then: `truepath check` before rendering, `truepath run` to render, `truepath audit` afterwards.
#[derive(Debug, Parser)]
#[command(name = "truepath", version, verbatim_doc_comment, max_term_width = 100)]
#[command(
    after_help = "Exit codes: 0 done; 1 errors found, or frames missing or stale; 2 wrong usage or job file;\n3 something outside failed; 130 interrupted."
)]
struct Line {
    /// Print only results and errors
    #[arg(long, short, global = true)]
    quiet: bool,
    /// When colours are used; NO_COLOR and a pipe switch them off, too
    #[arg(
        long,
        value_name = "WHEN",
        global = true,
        value_enum,
        default_value = "auto"
    )]
    color: ColorChoice,
    #[command(subcommand)]
    command: commands::Command,
}

/// When colours are used.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
enum ColorChoice {
    /// On a terminal
    Auto,
    /// Also in files and pipes
    Always,
    /// Nowhere
    Never,
}

/// The whole command line, for completions and manual pages.
pub(crate) fn command_line() -> clap::Command {
    commands::groups::grouped::<Line>()
}

#[global_allocator]
static MEMORY: limits::Memory = limits::Memory;

fn main() -> ExitCode {
    if let Err(error) = limits::begin() {
        return ExitCode::from(error.report());
    }
    let line = match Line::from_arg_matches(&command_line().get_matches()) {
        Ok(line) => line,
        Err(error) => error.exit(),
    };
    match line.color {
        ColorChoice::Auto => {}
        ColorChoice::Always => anstream::ColorChoice::Always.write_global(),
        ColorChoice::Never => anstream::ColorChoice::Never.write_global(),
    }
    if line.quiet {
        show::be_quiet();
    }
    match commands::dispatch(line.command) {
        Ok(code) => code,
        Err(error) => ExitCode::from(error.report()),
    }
}
