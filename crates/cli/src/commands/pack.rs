//! `truepath pack`: parts of a job as folders for machines that share nothing with this one.

use std::cell::OnceCell;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use truepath_core::deliverable::{Expansion, Selection, expand};
use truepath_core::system::System;
use truepath_runner::disk::RealDisk;
use truepath_runner::hand_over::bundle::{PackError, PackOptions, PackPlan, Packer};
use truepath_runner::load::JOB_FILE;
use truepath_runner::record::run_record::When;
use truepath_runner::{Loaded, load};

use super::command_lines::script_of_bundle;
use crate::error::{CommandError, DONE, FOUND};
use crate::findings::{findings, has_errors};
use crate::job_arguments::NamedJob;
use crate::show::finding::print_all;
use crate::show::{FAINT, TITLE, bytes, count, files, remark};

/// Pack parts of the job for machines without a shared folder
///
/// Each folder is a bundle: the job cut to its part, with places below the bundle, the scenes and the files that they are
/// known to need, the profiles, the hash of each file, and a script to start it. There `truepath run` renders it, or
/// `render.sh` or `render.cmd` without True Path; `truepath gather` brings the frames home. Movies and outputs that say
/// `from` are made at home, once their frames are there. The same content gives the same bytes.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath pack --parts 4 --to /media/stick\n  truepath pack --shot dawn --weights 8,16 --archive --to bundles\n  truepath pack --missing --parts 2 --to again\n  truepath pack --parts 3 --to bundles --dry-run"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// How many bundles; unset, one for each of --weights, else one
    #[arg(long, value_name = "NUMBER", value_parser = clap::value_parser!(u16).range(1..=1000))]
    parts: Option<u16>,
    /// Only frames that are not there yet
    #[arg(long)]
    missing: bool,
    /// The folder that the bundles are made in
    #[arg(long, value_name = "FOLDER")]
    to: PathBuf,
    /// Pack this file or folder too, which lies outside of the project; may be given several times
    #[arg(long, value_name = "PATH")]
    with: Vec<PathBuf>,
    /// Make one file of each, as .tar.zst, in place of a folder
    #[arg(long)]
    archive: bool,
    /// Show what would be packed, and write nothing
    #[arg(long)]
    dry_run: bool,
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let mut job = arguments.job.job();
    let weights = weights(arguments.parts, job.take_weights())?;
    if !job.set_values().is_empty() {
        return Err(CommandError::Usage(
            "what --set changes for one call is not packed; write it into the job, or into a preset".to_owned(),
        ));
    }
    let preset = job.entry().preset;
    let chosen = job.load()?;
    let mut found = findings(&chosen);
    // Other machines render it.
    found.retain(|finding| finding.code != PROGRAM_NOT_HERE);
    if has_errors(&found) {
        let sources = &chosen.loaded.job.sources;
        print_all(&mut anstream::stderr(), sources, &found, false);
        return Ok(ExitCode::from(FOUND));
    }
    let options = PackOptions {
        weights,
        only_missing: arguments.missing,
        with: arguments.with,
        preset,
    };
    let expansion = chosen.wanted()?.clone();
    let plan = PackPlan::new(&chosen.loaded, &expansion, &options).map_err(outcome)?;
    remark(&format!(
        "each bundle gets {} of {}",
        files(plan.files.len() as u64 + 1),
        bytes(plan.bytes)
    ));
    if plan.at_home > 0 {
        let outputs = count(plan.at_home, "output is", "outputs are");
        remark(&format!(
            "{outputs} made at home, once the frames are there"
        ));
    }
    let mut out = crate::show::out();
    if arguments.dry_run {
        for part in &plan.parts {
            let frames = count(part.frames, "frame", "frames");
            writeln!(out, "{TITLE}{}{TITLE:#}  {frames}", part.name)?;
        }
        for (from, to) in &plan.files {
            writeln!(out, "  {to}  {FAINT}{}{FAINT:#}", from.display())?;
        }
        out.flush()?;
        return Ok(ExitCode::from(DONE));
    }
    let left_out = OnceCell::new();
    let extras = |loaded: &Loaded, expansion: &Expansion, root: &Path| {
        extras(loaded, expansion, root, &left_out)
    };
    let packer = Packer {
        disk: &RealDisk,
        loaded: &chosen.loaded,
        expansion: &expansion,
        plan: &plan,
        shipped: crate::profiles::SHIPPED,
        extras: &extras,
        as_archives: arguments.archive,
    };
    let packed = packer.pack(&arguments.to);
    if let Some(why) = left_out.get() {
        remark(&format!(
            "the bundles have no render.cmd for Windows: {why}"
        ));
    }
    for bundle in packed.map_err(outcome)? {
        let frames = count(bundle.frames, "frame", "frames");
        writeln!(out, "{}  {FAINT}{frames}{FAINT:#}", bundle.path.display())?;
    }
    out.flush()?;
    Ok(ExitCode::from(DONE))
}

/// The rule that says that an engine's program is not on this machine.
const PROGRAM_NOT_HERE: &str = "TP503";

/// How strong the machine of each part is.
fn weights(parts: Option<u16>, weights: Option<String>) -> Result<Vec<u64>, CommandError> {
    let Some(text) = weights else {
        return Ok(vec![1; parts.unwrap_or(1).into()]);
    };
    let number = |text: &str| {
        let number = text.trim().parse::<u64>().ok();
        number.filter(|number| (1..=1_000_000).contains(number))
    };
    let weights: Option<Vec<u64>> = text.split(',').map(number).collect();
    match weights {
        Some(weights) if parts.is_none_or(|parts| usize::from(parts) == weights.len()) => {
            Ok(weights)
        }
        Some(weights) => Err(CommandError::Usage(format!(
            "--weights names {} machines, and --parts {}",
            weights.len(),
            parts.unwrap_or(1)
        ))),
        None => Err(CommandError::Usage(format!(
            "--weights {text}: it takes whole numbers from 1, such as 8,8,16"
        ))),
    }
}

fn outcome(error: PackError) -> CommandError {
    match error {
        PackError::Load(error) => error.into(),
        PackError::Disk { path, error } => CommandError::outside(path)(error),
        error => CommandError::Usage(error.to_string()),
    }
}

/// What people and shells need in a bundle besides the job. Why there is no script for Windows goes into `left_out`.
fn extras(
    loaded: &Loaded,
    expansion: &Expansion,
    root: &Path,
    left_out: &OnceCell<String>,
) -> io::Result<Vec<(String, String)>> {
    let script = script_of_bundle(loaded, expansion, "sh");
    let script = script.map_err(|error| io::Error::other(error.to_string()))?;
    let mut extras = vec![
        ("README".to_owned(), README.to_owned()),
        ("start.sh".to_owned(), START.to_owned()),
        ("start.cmd".to_owned(), START_WINDOWS.to_owned()),
        (
            "render.sh".to_owned(),
            relocated(&script, &root.display().to_string()),
        ),
    ];
    match script_for_windows(root) {
        Ok(script) => extras.push(("render.cmd".to_owned(), script)),
        Err(error) => {
            let _ = left_out.set(error.to_string());
        }
    }
    Ok(extras)
}

/// A folder of Windows that stands for that of a bundle until its script is written.
const STAND_IN: &str = "T:/truepath-bundle";

/// The batch file that renders a bundle where it lies.
fn script_for_windows(root: &Path) -> Result<String, CommandError> {
    let there = format!("place.job={{ windows = \"{STAND_IN}\" }}");
    let shipped = crate::profiles::SHIPPED;
    let job = root.join(JOB_FILE);
    let loaded = load(&job, &[there], shipped, When::Next, Some(System::Windows))?;
    let expansion = expand(&loaded.job, &loaded.surroundings, &Selection::default());
    let script = script_of_bundle(&loaded, &expansion, "batch")?;
    let mut script = script.replace(&STAND_IN.replace('/', "\\"), HERE);
    script = script.replace(STAND_IN, HERE);
    // Where this file lies, without a backslash at the end.
    let here = "for %%I in (\"%~dp0.\") do set \"TP_BUNDLE=%%~fI\"\r\n";
    let first_lines = script.match_indices('\n').nth(1);
    script.insert_str(first_lines.map_or(0, |(at, _)| at + 1), here);
    Ok(script)
}

/// The folder of the bundle in a batch file.
const HERE: &str = "%TP_BUNDLE%";

const README: &str = "A part of a job, packed by True Path.\n\n\
    To render it:   sh start.sh      (Windows: start.cmd)\n\
    Without True Path, where the renderer is there:   sh render.sh      (Windows: render.cmd)\n\n\
    Then bring this whole folder back, or a .tar or .tar.zst of it. There `truepath gather` takes the frames.\n\
    Nothing in this folder needs to be changed; bundle.json has the hash of each file.\n";

const START: &str = "#!/bin/sh\n\
    # Renders this bundle with True Path.\n\
    here=$(cd \"$(dirname \"$0\")\" && pwd) || exit 3\n\
    exec truepath run --job \"$here/truepath.toml\" \"$@\"\n";

const START_WINDOWS: &str = "@echo off\r\n\
    rem Renders this bundle with True Path.\r\n\
    truepath run --job \"%~dp0truepath.toml\" %*\r\n";

/// A script in which the folder of the bundle stands as the folder that the script lies in.
fn relocated(script: &str, root: &str) -> String {
    let mut out = String::with_capacity(script.len());
    let (mut is_single, mut is_double, mut is_line_start) = (false, false, true);
    let mut rest = script;
    while let Some(one) = rest.chars().next() {
        if rest.starts_with(root) {
            out.push_str(match (is_single, is_double) {
                (true, _) => "'\"$here\"'",
                (_, true) => "$here",
                _ => "\"$here\"",
            });
            rest = &rest[root.len()..];
            is_line_start = false;
            continue;
        }
        let mut length = one.len_utf8();
        match one {
            // A comment holds whatever it likes.
            '#' if is_line_start && !is_single && !is_double => {
                length = rest.find('\n').unwrap_or(rest.len());
            }
            '\\' if !is_single => length += rest[1..].chars().next().map_or(0, char::len_utf8),
            '\'' if !is_double => is_single = !is_single,
            '"' if !is_single => is_double = !is_double,
            _ => {}
        }
        is_line_start = one == '\n' || (is_line_start && one == ' ');
        out.push_str(&rest[..length]);
        rest = &rest[length..];
    }
    let here = "here=$(cd \"$(dirname \"$0\")\" && pwd) || exit 3\n";
    match out.find('\n') {
        Some(end) if out.starts_with("#!") => {
            out.insert_str(end + 1, here);
            out
        }
        _ => format!("{here}{out}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_folder_of_a_bundle_is_where_its_script_lies() {
        let script = "#!/bin/sh\n# it's /root/b\ncd /root/b/renders\nrun '--to=/root/b/a b' \"/root/b/$x\" it\\'s /root/b\n";
        let moved = relocated(script, "/root/b");
        let expected =
            "cd \"$here\"/renders\nrun '--to='\"$here\"'/a b' \"$here/$x\" it\\'s \"$here\"\n";
        assert!(moved.ends_with(expected), "{moved}");
        assert!(moved.starts_with("#!/bin/sh\nhere=$(cd "), "{moved}");
    }
}
