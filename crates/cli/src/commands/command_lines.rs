//! `truepath commands`: the command lines that a run would start.

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use serde_json::json;
use truepath_core::deliverable::Deliverable;
use truepath_core::engine::{Call, Profile, arguments};
use truepath_core::plan::{Invocation, plan};
use truepath_core::quote::{posix, posix_line};
use truepath_runner::find_program;

use super::check::{findings, has_errors};
use super::{Format, print_json};
use crate::job_arguments::{Chosen, JobArguments};
use crate::outcome::{DONE, FOUND, Trouble};
use crate::shapes::VERSION;
use crate::show::files;
use crate::show::finding::tell_all;
use crate::this_program;

/// Print the exact command lines, to read or to paste into a shell
///
/// Each line renders into a new folder of its own beside the true names, and never onto one. What
/// the lines alone do not do is said beside them: `truepath run` verifies, keeps what is there and
/// brings the files to their true names.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath commands\n  truepath commands --shot dawn --frames 1-4 | sh\n  truepath commands --format json"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: JobArguments,
    /// How the command lines are printed
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

/// A command line with all that belongs to it.
struct Line {
    folder: String,
    links: Vec<(String, String)>,
    env: Vec<(String, String)>,
    program: String,
    arguments: Vec<String>,
    names: Vec<(String, String)>,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, Trouble> {
    let chosen = arguments.job.load()?;
    let findings = findings(&chosen);
    tell_all(
        &mut anstream::stderr(),
        &chosen.loaded.job.sources,
        &findings,
    );
    if has_errors(&findings) {
        return Ok(ExitCode::from(FOUND));
    }
    let expansion = &chosen.chosen.runnable();
    let plan = plan(expansion, &|index| {
        expansion.deliverables[index].common.chosen.clone()
    });
    if arguments.format == Format::Json {
        let lines = plan
            .iter()
            .map(|invocation| {
                let line = line(&expansion.deliverables, &chosen, invocation)?;
                Ok(json!({
                    "folder": line.folder,
                    "links": line.links,
                    "env": line.env.into_iter().collect::<BTreeMap<_, _>>(),
                    "program": line.program,
                    "arguments": line.arguments,
                    "frames": invocation.frames.to_string(),
                    "files": invocation.files(),
                }))
            })
            .collect::<Result<Vec<_>, Trouble>>()?;
        print_json(&json!({ "version": VERSION, "commands": lines }))?;
        return Ok(ExitCode::from(DONE));
    }
    let mut out = io::BufWriter::new(io::stdout().lock());
    writeln!(
        out,
        "# The command lines of {}, in order. Each renders into a new folder of its own and never\n\
         # onto a true name. They do not verify the pictures, keep what is there already, or bring\n\
         # the files to their true names: `truepath run` does.",
        one_line(&chosen.name)
    )?;
    for (number, invocation) in plan.iter().enumerate() {
        let line = line(&expansion.deliverables, &chosen, invocation)?;
        let one = &expansion.deliverables[invocation.deliverables[0]];
        let more = match invocation.deliverables.len() {
            1 => String::new(),
            several => format!(" and {} more", several - 1),
        };
        writeln!(
            out,
            "\n# {} of {}: {}{more}, frames {} ({})",
            number + 1,
            plan.len(),
            one_line(&one.label()),
            invocation.frames,
            files(invocation.files())
        )?;
        for (name, true_name) in &line.names {
            writeln!(
                out,
                "#   {} belongs at {}",
                one_line(name),
                one_line(true_name)
            )?;
        }
        writeln!(out, "{}", shell_line(&line))?;
    }
    out.flush()?;
    Ok(ExitCode::from(DONE))
}

/// A remark must stay a remark, whatever a name holds.
fn one_line(text: &str) -> String {
    text.replace(char::is_control, "?")
}

fn shell_line(line: &Line) -> String {
    let above = line.folder.rsplit_once('/').map_or("/", |(above, _)| above);
    let mut text = format!(
        "(mkdir -p {} && mkdir {} && cd {}",
        posix(above),
        posix(&line.folder),
        posix(&line.folder)
    );
    for (name, target) in &line.links {
        text.push_str(&format!(" && ln -s {} {}", posix(target), posix(name)));
    }
    let words = line.arguments.iter().map(String::as_str);
    let command = if line.env.is_empty() {
        posix_line(&line.program, words)
    } else {
        let env: Vec<String> = line
            .env
            .iter()
            .map(|(key, value)| format!("{key}={value}"))
            .collect();
        let before = env
            .iter()
            .map(String::as_str)
            .chain([line.program.as_str()]);
        posix_line("env", before.chain(words))
    };
    format!("{text} && {command})")
}

fn line(all: &[Deliverable], chosen: &Chosen, invocation: &Invocation) -> Result<Line, Trouble> {
    let deliverables: Vec<&Deliverable> = invocation
        .deliverables
        .iter()
        .map(|&index| &all[index])
        .collect();
    let one = deliverables[0];
    let frame = invocation.frames.first().unwrap_or(0);
    let path = one.path(frame);
    let above = path.rsplit_once('/').map_or("", |(above, _)| above);
    let folder = format!("{above}/by-hand-{}", invocation.name(all));
    let profile = &one.common.engine;
    let call = Call {
        profile,
        deliverables: &deliverables,
        frames: &invocation.frames,
        staging: &folder,
        prepared: None,
    };
    let wrong = |error: truepath_core::engine::ArgumentError| Trouble::Usage(error.to_string());
    let mut names = Vec::new();
    for deliverable in &deliverables {
        let name = match call.native(deliverable).map_err(wrong)? {
            Some(native) => native.sketch().replace("{frame:?}", "<frame>"),
            None => "what it writes".to_owned(),
        };
        let sketch = deliverable.pattern.sketch();
        names.push((name, sketch));
    }
    Ok(Line {
        links: call.links().map_err(wrong)?,
        arguments: arguments(&call, false).map_err(wrong)?,
        env: one
            .common
            .env
            .iter()
            .map(|(key, word)| (key.clone(), word.text.clone()))
            .collect(),
        program: program(profile, chosen)?,
        folder,
        names,
    })
}

/// The program as a shell in any folder finds it.
fn program(profile: &Profile, chosen: &Chosen) -> Result<String, Trouble> {
    if profile.program == Profile::THIS_PROGRAM {
        return this_program::word().map_err(Trouble::outside("this program"));
    }
    if !profile.program.contains('/') {
        return Ok(profile.program.clone());
    }
    Ok(
        find_program(&profile.program, &chosen.loaded.folder).map_or_else(
            || profile.program.clone(),
            |path| path.display().to_string(),
        ),
    )
}
