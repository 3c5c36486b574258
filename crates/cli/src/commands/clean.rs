//! `truepath clean`: what runs leave beside frames and state, and how it is removed.

use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;
use std::time::{Duration, SystemTime};

use clap::Args;
use truepath_core::deliverable::{Expansion, Selection, expand};
use truepath_core::finding::count;
use truepath_runner::disk::RealDisk;
use truepath_runner::hand_over::clean::{LeftoverKind, Leftovers, ledgers};
use truepath_runner::hand_over::superseded::{
    SupersededError, SupersededVersion, superseded_versions,
};
use truepath_runner::load::other_jobs;
use truepath_runner::record::aside::{AsideEntry, aside_entries};

use super::{OutputFormat, print_json};
use crate::error::{CommandError, DONE};
use crate::job_arguments::{Chosen, NamedJob};
use crate::shapes::clean::{CleanShape, KindShape, SetAsideShape, VersionShape};
use crate::show::{TITLE, bytes, files};

/// List what runs have left, and remove what you name
///
/// Nothing is removed without --apply. It shows what the logs of runs that are over take, what runs have set aside beside
/// the frames, checkpoints of frames that are not finished, and what is kept to save time. Frames under their true names
/// and ledgers are never touched, nor what belongs to a run that is at work or is still to be recovered. Of what was set
/// aside only files go that a run has recorded and that are still the same.
///
/// The one exception has to be named: --superseded removes what runs have published of earlier versions of the job, but
/// for the last --keep-last of each deliverable, and only where the current version is valid. It looks for the shots,
/// passes and frames that the job has today. Their hashes stay in lists of the state folder, as `b3sum --check` takes
/// them; files that no run has published, that have changed since, or that another job file beside this one wants, stay
/// too.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  truepath clean\n  truepath clean --logs --older-than 30d --apply\n  truepath clean --set-aside\n  truepath clean --superseded --keep-last 3 --apply"
)]
pub(crate) struct Arguments {
    #[command(flatten)]
    job: NamedJob,
    /// The logs of runs that are over
    #[arg(long)]
    logs: bool,
    /// What was set aside: files that were in the way, not asked for, broken, or not proven
    #[arg(long)]
    set_aside: bool,
    /// A file in a folder set-aside that goes although no run has recorded it; may be given several times
    #[arg(long, value_name = "FILE")]
    also: Vec<PathBuf>,
    /// The checkpoints: frames that are not finished begin anew
    #[arg(long)]
    checkpoints: bool,
    /// What engines answered and what was prepared of scenes; it is made again when it is needed
    #[arg(long)]
    caches: bool,
    /// The small pictures that were made to be shown, of all jobs of this user; they are made again when they are needed
    #[arg(long)]
    proxies: bool,
    /// Only files that have not changed for so long, such as 30d, 12h or 90m
    #[arg(long, value_name = "AGE", value_parser = age)]
    older_than: Option<Duration>,
    /// What runs have published of earlier versions of the job, but for the last of them
    #[arg(long, requires = "keep_last", conflicts_with = "older_than")]
    superseded: bool,
    /// How many earlier versions of each deliverable stay
    #[arg(long, value_name = "NUMBER", requires = "superseded")]
    keep_last: Option<usize>,
    /// Remove what is named; without it, it is only shown
    #[arg(long)]
    apply: bool,
    /// How the result is printed
    #[arg(long, value_enum, default_value = "text")]
    format: OutputFormat,
}

impl Arguments {
    fn is_named(&self, kind: LeftoverKind) -> bool {
        match kind {
            LeftoverKind::Logs => self.logs,
            LeftoverKind::Checkpoints => self.checkpoints,
            LeftoverKind::Caches => self.caches,
            LeftoverKind::Proxies => self.proxies,
        }
    }

    /// Whether anything is named; else all is shown.
    fn names_any(&self) -> bool {
        let kinds = LeftoverKind::ALL.into_iter();
        let is_kind_named = kinds.clone().any(|kind| self.is_named(kind));
        is_kind_named || self.set_aside || !self.also.is_empty() || self.superseded
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

/// What a kind is called, which is its option too.
fn word(kind: LeftoverKind) -> &'static str {
    match kind {
        LeftoverKind::Logs => "logs",
        LeftoverKind::Checkpoints => "checkpoints",
        LeftoverKind::Caches => "caches",
        LeftoverKind::Proxies => "proxies",
    }
}

pub(super) fn run(arguments: Arguments) -> Result<ExitCode, CommandError> {
    let chosen = arguments.job.clone().job().load_latest()?;
    let unreadable = || CommandError::outside("what runs have left cannot be looked through");
    let names_any = arguments.names_any();
    let mut shape = CleanShape::new(arguments.apply);
    let mut left_of_kinds = Vec::new();
    for kind in LeftoverKind::ALL {
        let is_named = arguments.is_named(kind);
        if names_any && !is_named {
            continue;
        }
        let left = kind.find(&chosen.loaded, arguments.older_than);
        let left = left.map_err(unreadable())?;
        let is_removed = is_named && arguments.apply;
        if is_removed {
            left.remove(&RealDisk).map_err(unreadable())?;
        }
        shape.kinds.push(KindShape {
            kind: word(kind),
            files: left.files,
            bytes: left.bytes,
            younger: left.younger,
            removed: is_removed,
        });
        left_of_kinds.push((word(kind), left, is_named));
    }
    let is_aside_named = arguments.set_aside || !arguments.also.is_empty();
    if !names_any || is_aside_named {
        shape.set_aside = set_aside(&arguments, &chosen.chosen).map_err(unreadable())?;
    }
    let versions = match arguments.keep_last {
        Some(keep) => superseded(&arguments, &chosen, keep)?,
        None => Vec::new(),
    };
    shape.versions = versions;
    if arguments.format == OutputFormat::Json {
        print_json(&shape)?;
        return Ok(ExitCode::from(DONE));
    }
    let mut out = crate::show::out();
    for (title, left, is_named) in &left_of_kinds {
        let what = match (is_named, arguments.apply) {
            (true, true) => "removed".to_owned(),
            (true, false) => "removed with --apply".to_owned(),
            (false, _) => format!("removed by --{title} --apply"),
        };
        show(&mut out, title, left, &what)?;
    }
    if !names_any || is_aside_named {
        show_aside(&mut out, &shape.set_aside, &arguments)?;
    }
    if arguments.keep_last.is_some() {
        show_versions(&mut out, &shape.versions, arguments.apply)?;
    }
    if !names_any {
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

/// What lies in the folders of what runs set aside; removes what may be, where that is asked for.
fn set_aside(arguments: &Arguments, all: &Expansion) -> io::Result<Vec<SetAsideShape>> {
    let now = SystemTime::now();
    let is_young = |entry: &AsideEntry| {
        let age = entry.changed.and_then(|then| now.duration_since(then).ok());
        arguments
            .older_than
            .is_some_and(|least| age.is_none_or(|age| age < least))
    };
    let named: Vec<PathBuf> = arguments
        .also
        .iter()
        .map(|path| path.canonicalize())
        .collect::<io::Result<_>>()?;
    let mut shapes = Vec::new();
    for entry in aside_entries(all)? {
        let real = entry.path.canonicalize().unwrap_or(entry.path.clone());
        let mut stays = None;
        let mut is_removed = false;
        if named.contains(&real) {
            if arguments.apply {
                entry.remove_by_name(&RealDisk)?;
                is_removed = true;
            }
        } else if entry.record.is_none() {
            stays = Some("no run has recorded that it moved it there; --also names it");
        } else if is_young(&entry) {
            stays = Some("it is younger");
        } else if arguments.set_aside && arguments.apply {
            stays = entry.remove(&RealDisk)?;
            is_removed = stays.is_none();
        }
        shapes.push(SetAsideShape {
            path: entry.path.display().to_string(),
            files: entry.files,
            bytes: entry.bytes,
            from: entry.record.as_ref().map(|record| record.from.clone()),
            why: entry.record.as_ref().map(|record| record.why.clone()),
            time: entry.record.as_ref().map(|record| record.time.clone()),
            stays: stays.map(str::to_owned),
            removed: is_removed,
        });
    }
    Ok(shapes)
}

fn show_aside(
    out: &mut impl Write,
    entries: &[SetAsideShape],
    arguments: &Arguments,
) -> io::Result<()> {
    let sum = |of: &dyn Fn(&SetAsideShape) -> u64| entries.iter().map(of).sum::<u64>();
    let size = format!(
        "{}, {}",
        files(sum(&|one| one.files)),
        bytes(sum(&|one| one.bytes))
    );
    let removed = sum(&|one| if one.removed { one.files } else { 0 });
    let staying = sum(&|one| u64::from(one.stays.is_some()));
    let what = match (arguments.apply, arguments.set_aside) {
        _ if entries.is_empty() => String::new(),
        (true, _) => format!("{} removed", files(removed)),
        (false, true) => "removed with --apply".to_owned(),
        (false, false) => "removed by --set-aside --apply".to_owned(),
    };
    writeln!(
        out,
        "{}",
        format!("{TITLE}{:<11}{TITLE:#}  {size:<22}  {what}", "set aside").trim_end()
    )?;
    const MOST: usize = 5;
    let mut folders: Vec<&str> = entries
        .iter()
        .filter_map(|one| one.path.rsplit_once('/'))
        .map(|(folder, _)| folder)
        .collect();
    folders.dedup();
    for folder in folders.iter().take(MOST) {
        writeln!(out, "  {folder}")?;
    }
    let more = folders.len().saturating_sub(MOST) as u64;
    if more > 0 {
        writeln!(out, "  and {}", count(more, "more folder", "more folders"))?;
    }
    let stays = entries
        .iter()
        .filter_map(|one| Some((one, one.stays.as_ref()?)));
    for (one, why) in stays.take(MOST) {
        writeln!(out, "  stays: {}: {why}", one.path)?;
    }
    let more = staying.saturating_sub(MOST as u64);
    if more > 0 {
        writeln!(out, "  and {} that stay", count(more, "more", "more"))?;
    }
    Ok(())
}

/// So many versions back are looked for.
const MOST_VERSIONS: i64 = 1000;

/// Finds earlier versions, and removes them where that is asked for.
fn superseded(
    arguments: &Arguments,
    chosen: &Chosen,
    keep: usize,
) -> Result<Vec<VersionShape>, CommandError> {
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
    // What another job file of the folder wants is no earlier version of anything.
    let beside = other_jobs(&chosen.loaded, crate::profiles::SHIPPED)?;
    let others: Vec<Expansion> = beside
        .iter()
        .map(|other| expand(&other.job, &other.surroundings, &Selection::default()))
        .collect();
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
    let found = superseded_versions(&chosen.loaded, &chosen.chosen, &others, &mut earlier, keep);
    let found = found.map_err(CommandError::outside("earlier versions"))?;
    if let Some(error) = failed {
        return Err(error);
    }
    let mut shapes = Vec::new();
    for version in &found {
        let mut lists = Vec::new();
        if !version.files.is_empty() && arguments.apply {
            lists = version.remove(&chosen.loaded, &RealDisk).map_err(refused)?;
        }
        shapes.push(version_shape(version, &lists, arguments.apply));
    }
    Ok(shapes)
}

fn version_shape(version: &SupersededVersion, lists: &[PathBuf], is_removed: bool) -> VersionShape {
    VersionShape {
        version: version.version,
        files: version.files.len() as u64,
        bytes: version.bytes,
        kept: version.kept,
        not_published: version.staying,
        without_successor: version.without_successor,
        removed: is_removed && !version.files.is_empty(),
        lists: lists
            .iter()
            .map(|list| list.display().to_string())
            .collect(),
    }
}

fn show_versions(
    out: &mut impl Write,
    versions: &[VersionShape],
    is_applied: bool,
) -> io::Result<()> {
    for one in versions {
        let title = format!("version {}", one.version);
        let size = format!("{}, {}", files(one.files), bytes(one.bytes));
        let mut parts = Vec::new();
        if one.files > 0 {
            let what = if is_applied {
                "removed"
            } else {
                "removed with --apply"
            };
            parts.push(what.to_owned());
        }
        for (number, what) in [
            (one.kept, "kept"),
            (one.not_published, "not as a run has published, kept too"),
            (
                one.without_successor,
                "kept, since the current version is not valid",
            ),
        ] {
            if number > 0 {
                parts.push(format!("{} {what}", files(number)));
            }
        }
        let what = parts.join("; ");
        writeln!(out, "{TITLE}{title:<11}{TITLE:#}  {size:<22}  {what}")?;
        for list in &one.lists {
            writeln!(out, "  hashes in {list}")?;
        }
    }
    if versions.is_empty() {
        writeln!(out, "nothing is there of earlier versions")?;
    }
    Ok(())
}

fn show(out: &mut impl Write, title: &str, left: &Leftovers, what: &str) -> io::Result<()> {
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
