//! `truepath engines`: the profiles, what they say, and whether their programs are here.

mod make;
mod show;

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::Arc;

use clap::{Args, Subcommand};
use truepath_core::picture::FORMATS;
use truepath_core::profile::{Makes, Profile};
use truepath_runner::load::profiles;
use truepath_runner::make::probe::{Probed, probe};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE, FOUND};
use crate::job_arguments::JobArguments;
use crate::profiles::SHIPPED;
use crate::shapes::VERSION;
use crate::shapes::engines::{EngineShape, EnginesShape};
use crate::show::{ERROR, FAINT, GOOD, TITLE, remark};
use crate::this_program;

/// List the engines, explain a profile, or make one of a run line
///
/// A profile is a file that describes how to run one program. Those that ship are listed with those
/// in the folder `engines` here; a profile of your own wins over one that ships.
#[derive(Debug, Args)]
#[command(
    args_conflicts_with_subcommands = true,
    after_help = "Examples:\n  truepath engines\n  truepath engines --probe\n  truepath engines show povray\n  truepath engines make myrender --to engines/myrender.toml"
)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    what: Option<EngineAction>,
    #[command(flatten)]
    list: List,
}

#[derive(Debug, Args)]
struct List {
    /// Start each program to ask its version
    #[arg(long)]
    probe: bool,
    /// How the list is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

#[derive(Debug, Subcommand)]
enum EngineAction {
    /// Explain a profile, argument by argument, with a sample command line
    #[command(after_help = "Example:\n  truepath engines show understudy")]
    Show {
        /// The engine's name
        name: String,
    },
    /// Make a profile of the run line of a job
    #[command(after_help = "Example:\n  truepath engines make myrender --to engines/myrender.toml")]
    Make {
        /// What the engine is to be called
        name: String,
        #[command(flatten)]
        job: Box<JobArguments>,
        /// Write it to a new file, in place of standard output
        #[arg(long, value_name = "FILE")]
        to: Option<PathBuf>,
    },
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    match arguments.what {
        None => list(&arguments.list),
        Some(EngineAction::Show { name }) => show::show(&name),
        Some(EngineAction::Make { name, job, to }) => make::make(&name, *job, to.as_deref()),
    }
}

/// The folder of the job, or the current one where there is no job.
fn folder() -> Result<PathBuf, CommandError> {
    let here = std::env::current_dir().map_err(CommandError::outside("the current folder"))?;
    let job = truepath_runner::load::find(None, &here);
    Ok(job
        .ok()
        .and_then(|job| Some(job.parent()?.to_owned()))
        .unwrap_or(here))
}

fn list(asked: &List) -> Result<ExitCode, CommandError> {
    let folder = folder()?;
    let all = profiles(&folder, SHIPPED)?;
    let own = this_program::path().map_err(CommandError::outside("this program"))?;
    let rows: Vec<(Arc<Profile>, Probed)> = all
        .all()
        .map(|profile| {
            let probed = probe(&profile, &own, &folder, asked.probe);
            (profile, probed)
        })
        .collect();
    // A program that is here and does not answer when it is asked is no engine to rely on.
    let silent = |probed: &Probed| probed.asked && probed.version.is_none();
    let code = if rows.iter().any(|(_, probed)| silent(probed)) {
        FOUND
    } else {
        DONE
    };
    if asked.format == OutputFormat::Json {
        let engines = rows.iter().map(|(profile, probed)| shape(profile, probed));
        print_json(&EnginesShape {
            version: VERSION,
            engines: engines.collect(),
        })?;
        return Ok(ExitCode::from(code));
    }
    let mut out = crate::show::out();
    let width = rows
        .iter()
        .map(|(one, _)| one.name.len())
        .max()
        .unwrap_or(0);
    for (profile, probed) in &rows {
        print(&mut out, profile, probed, width)?;
    }
    out.flush()?;
    if !asked.probe {
        remark(&format!(
            "{FAINT}with --probe each is started to ask its version{FAINT:#}"
        ));
    }
    Ok(ExitCode::from(code))
}

/// An engine as the JSON shows it.
fn shape(profile: &Profile, probed: &Probed) -> EngineShape {
    EngineShape {
        name: profile.name.clone(),
        makes: profile.makes.word(),
        program: profile.program.clone(),
        found: probed
            .program
            .as_ref()
            .map(|path| path.display().to_string()),
        asked: probed.asked,
        version: probed.version.clone(),
        formats: formats(profile).into_iter().map(str::to_owned).collect(),
    }
}

/// Prints the two lines of an engine; names are `width` characters wide.
fn print(
    out: &mut impl Write,
    profile: &Profile,
    probed: &Probed,
    width: usize,
) -> std::io::Result<()> {
    let makes = match profile.makes {
        Makes::Pictures => format!(
            "{}: {}",
            formats(profile).join(" "),
            profile.takes.meaning()
        ),
        Makes::Movies => "movies".to_owned(),
        Makes::Layers => "files of the layers of others".to_owned(),
    };
    write!(
        out,
        "{TITLE}{:<width$}{TITLE:#}  {makes}\n{:<width$}  ",
        profile.name, ""
    )?;
    match (&probed.program, &probed.version) {
        (None, _) => writeln!(
            out,
            "{ERROR}not here{ERROR:#}: no program `{}`",
            profile.program
        )?,
        (Some(_), Some(version)) if profile.is_this_program() => {
            writeln!(
                out,
                "{GOOD}answers{GOOD:#}: version {version}, a part of True Path"
            )?;
        }
        (Some(_), None) if profile.is_this_program() => {
            writeln!(out, "{GOOD}here{GOOD:#}: a part of True Path")?;
        }
        (Some(path), Some(version)) => {
            writeln!(
                out,
                "{GOOD}answers{GOOD:#}: version {version}, {}",
                path.display()
            )?;
        }
        (Some(path), None) if probed.asked => {
            writeln!(out, "{ERROR}does not answer{ERROR:#}: {}", path.display())?;
        }
        (Some(path), None) => writeln!(out, "{GOOD}here{GOOD:#}: {}", path.display())?,
    }
    Ok(())
}

/// The formats that its tables have rows for.
fn formats(profile: &Profile) -> Vec<&'static str> {
    let has = |name: &str| {
        let tables = profile
            .maps
            .iter()
            .filter(|table| table.by.first().is_some_and(|by| by == "format"));
        let mut rows = tables.flat_map(|table| &table.rows);
        rows.any(|(row, _)| row.split(' ').next() == Some(name))
    };
    FORMATS
        .iter()
        .map(|facts| facts.name)
        .filter(|name| has(name))
        .collect()
}
