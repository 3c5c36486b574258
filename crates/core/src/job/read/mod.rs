//! Reads a job from the text of its file, of the files that it builds on, and of `--set` arguments.

mod bases;
mod checks;
mod inheritance;
mod part;
mod places;
mod short;
mod shot_list;
mod tables;

use super::table::{build_on, build_over};
use super::{CheckTable, Job, KEYS, Table, TableKind, is_group};
use crate::finding::{Finding, Severity};
use crate::nearest::advice;
use crate::picture::Size;
use crate::source::{Level, Place, SourceKind, Sources};
use crate::toml_tree::{self, Entry, NodeKind};

pub(crate) use short::stem;

/// A job that was read, and what was wrong with it. A job with errors is not to be used.
#[derive(Debug)]
pub struct Reading {
    /// What could be read.
    pub job: Job,
    /// What is wrong.
    pub findings: Vec<Finding>,
}

impl Reading {
    /// Whether there are no errors.
    #[must_use]
    pub fn is_sound(&self) -> bool {
        self.findings
            .iter()
            .all(|finding| finding.severity != Severity::Error)
    }
}

/// Gives the text of a file that a job names; the path is relative to the job's folder. The error
/// is a sentence.
pub type Fetch<'a> = dyn FnMut(&str) -> Result<String, String> + 'a;

/// For jobs that name no other files: gives nothing.
///
/// # Errors
/// Always.
pub fn no_files(path: &str) -> Result<String, String> {
    Err(format!("{path} is not to be read here"))
}

/// Whether a text is a job with frames of its own, as far as it can be read: not a scene, a queue, or a file that jobs build
/// on.
#[must_use]
pub fn is_job(text: &str) -> bool {
    let mut sources = Sources::default();
    let file = sources.add("", text, SourceKind::File);
    let (entries, _) = toml_tree::parse(text, file);
    let has = |key: &str| entries.iter().any(|entry| entry.key == key);
    has("shot") || has("shot-list") || has("path")
}

/// The tables of the long form.
const TOP: [&str; 14] = [
    "check",
    "part",
    "project",
    "place",
    "token",
    "size",
    "shot",
    "shot-list",
    "variant",
    "view",
    "pass",
    "preset",
    "output",
    "base",
];

/// What is built in, weaker than everything that somebody writes.
const BUILT_IN: &str =
    "[preset.trial]\nscale = \"1/8\"\nonly = \"first-middle-last\"\nsubfolder = \"trial\"\n";

/// Reads a job. `name` is how the file is called in messages; `fetch` gives the texts of the files
/// that it names.
#[must_use]
pub fn read(name: &str, text: &str, sets: &[String], fetch: &mut Fetch<'_>) -> Reading {
    let mut sources = Sources::default();
    let file = sources.add(name, text, SourceKind::File);
    let start = Place {
        source: file,
        span: 0..0,
    };
    let (entries, findings) = toml_tree::parse(text, file);
    let mut reader = JobReader {
        findings,
        sources,
        short: short::is_short(&entries),
        sizes: Vec::new(),
        fetch,
    };
    let mut files = vec![entries];
    if reader.findings.is_empty() {
        reader.bases(&mut files, name);
    }
    let mut command_line = Vec::new();
    if reader.findings.is_empty() {
        for set in sets {
            let source = reader.sources.add("--set", set, SourceKind::Argument);
            if let Err(finding) =
                super::arguments::apply(set, source, &mut files, &mut command_line)
            {
                reader.findings.push(*finding);
            }
        }
    }
    let mut job = Job::empty(reader.short);
    if reader.findings.is_empty() {
        reader.job(files, &command_line, &mut job, &start);
    }
    job.sources = reader.sources;
    Reading {
        job,
        findings: reader.findings,
    }
}

struct JobReader<'f> {
    findings: Vec<Finding>,
    sources: Sources,
    /// Whether the job file is written in the short form.
    short: bool,
    /// `[size]`
    sizes: Vec<(String, Size)>,
    fetch: &'f mut Fetch<'f>,
}

impl JobReader<'_> {
    fn job(
        &mut self,
        files: Vec<Vec<Entry>>,
        command_line: &[Entry],
        job: &mut Job,
        start: &Place,
    ) {
        // Own sizes first: values everywhere may name them.
        for entry in files.iter().flatten().filter(|entry| entry.key == "size") {
            self.own_sizes(entry);
        }
        job.check = self.checks(&files);
        job.command_line = self.table(command_line, TableKind::CommandLine, Level::CommandLine);
        for (index, entries) in files.into_iter().enumerate() {
            if index == 0 && self.short {
                self.short(entries, job, start);
            } else {
                self.long(&entries, job);
            }
        }
        let source = self.sources.add("presets", BUILT_IN, SourceKind::BuiltIn);
        let (entries, _) = toml_tree::parse(BUILT_IN, source);
        self.long(&entries, job);
        if self.findings.is_empty() {
            self.complete(job, start);
        }
    }

    /// Reads the tables of one file; what is there already is stronger.
    fn long(&mut self, entries: &[Entry], job: &mut Job) {
        let mut shots = Vec::new();
        for entry in entries {
            let key = entry.key.as_str();
            match key {
                "project" => {
                    if let Some(inner) = self.inner(entry, "[project]") {
                        let table = self.table(inner, TableKind::Project, Level::Project);
                        job.project.build_on(table);
                    }
                }
                "shot" => {
                    let tables = self.named(entry, TableKind::Shot, Level::Shot);
                    // A table of its own beats a row of a list, wherever they stand.
                    build_over(&mut shots, tables);
                }
                "variant" => {
                    let tables = self.named(entry, TableKind::Variant, Level::Variant);
                    build_on(&mut job.variants, tables);
                }
                "view" => {
                    let tables = self.named(entry, TableKind::View, Level::View);
                    build_on(&mut job.views, tables);
                }
                "pass" => {
                    let tables = self.named(entry, TableKind::Pass, Level::Pass);
                    build_on(&mut job.passes, tables);
                }
                "preset" => {
                    let tables = self.named(entry, TableKind::Preset, Level::Preset);
                    build_on(&mut job.presets, tables);
                }
                "output" => {
                    let tables = self.named(entry, TableKind::Output, Level::Output);
                    build_on(&mut job.outputs, tables);
                }
                "shot-list" => {
                    let tables = self.shot_list(entry);
                    build_on(&mut shots, tables);
                }
                "place" | "token" => self.places_and_tokens(entry, job),
                "size" if matches!(entry.value.kind, NodeKind::Table(_)) => {}
                "check" => {} // Read with all files at hand.
                "part" => self.part(entry, job),
                other if is_group(other) || KEYS.iter().any(|facts| facts.name == other) => self.findings.push(
                    Finding::error("TP002", format!("`{other}` stands outside the tables"))
                        .at(&entry.key_place, "")
                        .advise("in a job file with tables it belongs under [project], [shot.*] or [output.*]"),
                ),
                other => self.findings.push(
                    Finding::error("TP002", format!("a job file has no table or key `{other}`"))
                        .at(&entry.key_place, "")
                        .advise(advice(other, &TOP)),
                ),
            }
        }
        build_on(&mut job.shots, shots);
    }

    /// What no job can do without, and what must fit together.
    fn complete(&mut self, job: &Job, start: &Place) {
        for (empty, what, example) in [
            (job.shots.is_empty(), "shot", "[shot.dawn]"),
            (job.outputs.is_empty(), "output", "[output.frames]"),
        ] {
            if empty {
                self.findings.push(
                    Finding::error("TP005", format!("the job has no {what}"))
                        .at(start, "")
                        .advise(format!("add a table such as {example}")),
                );
            }
        }
        // An edit of a shot that no list and no file has.
        let strangers = job
            .shots
            .iter()
            .filter(|shot| self.sources.get(shot.name_place.source).kind == SourceKind::Argument);
        let names: Vec<&str> = job.shots.iter().map(|shot| shot.name.as_str()).collect();
        for shot in strangers {
            let known: Vec<&str> = names
                .iter()
                .copied()
                .filter(|name| *name != shot.name)
                .collect();
            self.findings.push(
                Finding::error("TP006", format!("the job has no shot `{}`", shot.name))
                    .at(&shot.name_place, "")
                    .advise(advice(&shot.name, &known)),
            );
        }
        self.inheritance(job);
    }
}

/// Every table of a job as a new one has it.
impl Job {
    fn empty(short: bool) -> Self {
        Self {
            sources: Sources::default(),
            short,
            project: Table::empty(Level::Project),
            places: Vec::new(),
            tokens: Vec::new(),
            shots: Vec::new(),
            variants: Vec::new(),
            views: Vec::new(),
            passes: Vec::new(),
            presets: Vec::new(),
            outputs: Vec::new(),
            command_line: Table::empty(Level::CommandLine),
            check: CheckTable::default(),
            part: None,
        }
    }
}
