//! `truepath clean`: what runs leave beside frames and state, and how it is removed.

use std::io::Write;
use std::process::ExitCode;
use std::time::Duration;

use clap::Args;
use truepath_core::finding::count;
use truepath_runner::clean::{LeftoverKind, Leftovers, ledgers};
use truepath_runner::disk::RealDisk;
use truepath_runner::superseded::{SupersededError, superseded_versions};

use crate::job_arguments::{Chosen, NamedJob};
use crate::outcome::{CommandError, DONE};
use crate::show::{TITLE, bytes, files};

/// Show what runs have left, and remove what is named
///
/// Without an option nothing is removed: it shows what the logs of runs that are over take, what runs have set aside
/// beside the frames, checkpoints of frames that are not finished, and what is kept to save time. Frames under their true
/// names and ledgers are never touched, nor what belongs to a run that is at work or is still to be recovered.
///
/// The one exception has to be named: --superseded removes what runs have published of earlier versions of the job, but
/// for the last --keep-last of each deliverable. It looks for the shots, passes and frames that the job has today. Their
/// hashes stay in lists of the state folder, as `b3sum --check` takes them; files that no run has published, or that have
/// changed since, stay too.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath clean\n  truepath clean --logs --older-than 30d\n  truepath clean --set-aside --dry-run\n  truepath clean --superseded --keep-last 3 --dry-run"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// Remove the logs of runs that are over
    #[arg(long)]
    logs: bool,
    /// Remove what was set aside: files that were in the way, not asked for, broken, or not proven
    #[arg(long)]
    set_aside: bool,
    /// Remove the checkpoints: frames that are not finished begin anew
    #[arg(long)]
    checkpoints: bool,
    /// Remove what engines answered and what was prepared of scenes; it is made again when it is needed
    #[arg(long)]
    caches: bool,
    /// Remove the small pictures that were made to be shown, of all jobs of this user; they are made again when they are
    /// needed
    #[arg(long)]
    proxies: bool,
    /// Only what has not changed for so long, such as 30d, 12h or 90m
    #[arg(long, value_name = "AGE", value_parser = age)]
    older_than: Option<Duration>,
    /// Remove what runs have published of earlier versions of the job, but for the last of them
    #[arg(long, requires = "keep_last", conflicts_with = "older_than")]
    superseded: bool,
    /// How many earlier versions of each deliverable stay
    #[arg(long, value_name = "NUMBER", requires = "superseded")]
    keep_last: Option<usize>,
    /// Only show what would be removed
    #[arg(long)]
    dry_run: bool,
}

impl Arguments {
    fn is_named(&self, kind: LeftoverKind) -> bool {
        match kind {
            LeftoverKind::Logs => self.logs,
            LeftoverKind::SetAside => self.set_aside,
            LeftoverKind::Checkpoints => self.checkpoints,
            LeftoverKind::Caches => self.caches,
            LeftoverKind::Proxies => self.proxies,
        }
    }
}

fn age(text: &str) -> Result<Duration, String> {
    let days = text
        .strip_suffix('d')
        .and_then(|days| days.parse::<u32>().ok());
    days.filter(|days| *days > 0)
        .map(|days| Duration::from_secs(u64::from(days) * 86_400))
        .or_else(|| truepath_core::job::length_of_time(text))
        .ok_or_else(|| "an age is written as 30d, 12h or 90m".to_owned())
}

/// What a kind is called, and its option.
fn words(kind: LeftoverKind) -> (&'static str, &'static str) {
    match kind {
        LeftoverKind::Logs => ("logs", "logs"),
        LeftoverKind::SetAside => ("set aside", "set-aside"),
        LeftoverKind::Checkpoints => ("checkpoints", "checkpoints"),
        LeftoverKind::Caches => ("caches", "caches"),
        LeftoverKind::Proxies => ("proxies", "proxies"),
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.clone().job().load_latest()?;
    let unreadable = || CommandError::outside("what runs have left cannot be looked through");
    let mut out = crate::show::out();
    let is_asked = arguments.superseded
        || LeftoverKind::ALL
            .into_iter()
            .any(|kind| arguments.is_named(kind));
    for kind in LeftoverKind::ALL {
        let is_chosen = arguments.is_named(kind);
        if is_asked && !is_chosen {
            continue;
        }
        let left = kind.find(&chosen.loaded, &chosen.chosen, arguments.older_than);
        let left = left.map_err(unreadable())?;
        let (title, option) = words(kind);
        let what = match (is_chosen, arguments.dry_run) {
            (true, false) => {
                left.remove(&RealDisk).map_err(unreadable())?;
                "removed".to_owned()
            }
            (true, true) => "would be removed".to_owned(),
            (false, _) if left.files > 0 => format!("removed by --{option}"),
            (false, _) => String::new(),
        };
        show(&mut out, title, &left, &what)?;
    }
    if let Some(keep) = arguments.keep_last {
        superseded(&mut out, &arguments, &chosen, keep)?;
    }
    if !is_asked {
        let (number, size) = ledgers(&chosen.loaded).map_err(unreadable())?;
        let size = format!("{}, {}", files(number), bytes(size));
        writeln!(
            out,
            "{TITLE}{:<11}{TITLE:#}  {size:<22}  never removed: they are the record of every frame",
            "ledgers"
        )?;
    }
    out.flush()?;
    Ok(ExitCode::from(DONE))
}

/// So many versions back are looked for.
const MOST_VERSIONS: i64 = 1000;

/// Shows and removes earlier versions.
fn superseded(
    out: &mut impl Write,
    arguments: &Arguments,
    chosen: &Chosen,
    keep: usize,
) -> Result<(), CommandError> {
    let refused = |error: SupersededError| match error {
        SupersededError::Disk(error) => CommandError::outside("earlier versions")(error),
        error => CommandError::Usage(error.to_string()),
    };
    let deliverables = &chosen.chosen.deliverables;
    let versions = deliverables
        .iter()
        .filter_map(|one| one.common.names.version);
    let Some(latest) = versions.max() else {
        return Err(CommandError::Usage(
            "this job has no number as `version`, so it has no earlier ones".to_owned(),
        ));
    };
    let job = arguments.job.clone().job();
    let mut failed = None;
    let mut earlier = (latest.saturating_sub(MOST_VERSIONS).max(0)..latest)
        .rev()
        .map_while(|version| {
            let of_version = job.setting(vec![format!("version={version}")]);
            match of_version.load_latest() {
                Ok(of_version) => Some((version, of_version.chosen)),
                Err(error) => {
                    failed = Some(error);
                    None
                }
            }
        });
    let found = superseded_versions(&chosen.loaded, &chosen.chosen, &mut earlier, keep);
    let found = found.map_err(CommandError::outside("earlier versions"))?;
    if let Some(error) = failed {
        return Err(error);
    }
    for one in &found {
        let title = format!("version {}", one.version);
        let size = format!("{}, {}", files(one.files.len() as u64), bytes(one.bytes));
        let mut parts = Vec::new();
        let mut lists = Vec::new();
        if !one.files.is_empty() && arguments.dry_run {
            parts.push("would be removed".to_owned());
        } else if !one.files.is_empty() {
            lists = one.remove(&chosen.loaded, &RealDisk).map_err(refused)?;
            parts.push("removed".to_owned());
        }
        if one.kept > 0 {
            parts.push(format!("{} kept", files(one.kept)));
        }
        if one.staying > 0 {
            parts.push(format!(
                "{} not as a run has published, kept too",
                files(one.staying)
            ));
        }
        let what = parts.join("; ");
        writeln!(out, "{TITLE}{title:<11}{TITLE:#}  {size:<22}  {what}")?;
        for list in lists {
            writeln!(out, "  hashes in {}", list.display())?;
        }
    }
    if found.is_empty() {
        writeln!(out, "nothing is there of versions before {latest}")?;
    }
    Ok(())
}

fn show(
    out: &mut impl Write,
    title: &str,
    left: &Leftovers,
    what: &str,
) -> Result<(), CommandError> {
    let size = format!("{}, {}", files(left.files), bytes(left.bytes));
    let what = if left.files == 0 { "" } else { what };
    let what = match left.younger {
        0 => what.to_owned(),
        younger => format!(
            "{what}{}{} younger",
            if what.is_empty() { "" } else { "; " },
            files(younger)
        ),
    };
    writeln!(
        out,
        "{}",
        format!("{TITLE}{title:<11}{TITLE:#}  {size:<22}  {what}").trim_end()
    )?;
    const MOST: usize = 5;
    for folder in left.folders.iter().take(MOST) {
        writeln!(out, "  {}", folder.display())?;
    }
    if let Some(more) = left
        .folders
        .len()
        .checked_sub(MOST)
        .filter(|more| *more > 0)
    {
        writeln!(
            out,
            "  and {}",
            count(more as u64, "more folder", "more folders")
        )?;
    }
    Ok(())
}
