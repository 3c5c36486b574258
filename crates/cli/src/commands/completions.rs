//! `truepath completions`: completes commands, options and their words in a shell.

use std::io;
use std::process::ExitCode;

use clap::Args;
use clap_complete::Shell;

use crate::error::{CommandError, DONE};

/// Print what a shell needs to complete commands and options
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath completions bash >~/.local/share/bash-completion/completions/truepath\n  truepath completions zsh >~/.zfunc/_truepath\n  truepath completions fish >~/.config/fish/completions/truepath.fish"
)]
pub(crate) struct Arguments {
    /// The shell
    #[arg(value_enum)]
    shell: Shell,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let mut text = Vec::new();
    clap_complete::generate(
        arguments.shell,
        &mut crate::command_line(),
        "truepath",
        &mut text,
    );
    io::Write::write_all(&mut io::stdout(), &text)?;
    Ok(ExitCode::from(DONE))
}
