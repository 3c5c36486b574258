//! `truepath man`: manual pages.

use std::fs::File;
use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;

use crate::error::{CommandError, DONE};
use crate::show::remark;

/// Print the manual page, or write one for every command
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath man | man -l -\n  truepath man --to ~/.local/share/man/man1"
)]
pub(crate) struct Arguments {
    /// Write a page for this program and for each of its commands to this folder
    #[arg(long, value_name = "FOLDER")]
    to: Option<PathBuf>,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let mut line = crate::command_line();
    line.build();
    let Some(folder) = arguments.to else {
        let mut page = Vec::new();
        clap_mangen::Man::new(line).render(&mut page)?;
        io::stdout().write_all(&page)?;
        return Ok(ExitCode::from(DONE));
    };
    let refused = || CommandError::outside(folder.display().to_string());
    std::fs::create_dir_all(&folder).map_err(refused())?;
    let commands: Vec<clap::Command> = line
        .get_subcommands()
        .filter(|one| !one.is_hide_set() && one.get_name() != "help")
        .cloned()
        .collect();
    let mut pages = vec![("truepath.1".to_owned(), line)];
    for one in commands {
        let name = format!("truepath-{}", one.get_name());
        pages.push((format!("{name}.1"), one.name(name)));
    }
    let count = pages.len();
    for (name, command) in pages {
        let path = folder.join(name);
        let mut file =
            File::create_new(&path).map_err(CommandError::outside(path.display().to_string()))?;
        clap_mangen::Man::new(command)
            .render(&mut file)
            .map_err(refused())?;
    }
    remark(&format!("{count} pages are in {}", folder.display()));
    Ok(ExitCode::from(DONE))
}
