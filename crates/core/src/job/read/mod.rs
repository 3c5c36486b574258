//! Reads a job from the text of its file, of the files that it builds on, and of `--set` arguments.

mod checks;
mod places;
mod short;
mod shot_list;
mod tables;

use super::table::{build_on, build_over};
use super::tree::{Entry, NodeKind};
use super::{CheckTable, Job, KEYS, Table, TableKind, Word, is_group, tree};
use crate::finding::{Finding, Weight};
use crate::nearest::advice;
use crate::picture::Size;
use crate::source::{Layer, Place, SourceKind, Sources};

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
            .all(|finding| finding.weight != Weight::Error)
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

/// The tables of the long form.
const TOP: [&str; 13] = [
    "check",
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
const BUILT_IN: &str = "[preset.trial]\nscale = \"1/8\"\nonly = \"ends\"\nunder = \"trial\"\n";

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
    let (entries, findings) = tree::parse(text, file);
    let mut reader = Reader {
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

struct Reader<'f> {
    findings: Vec<Finding>,
    sources: Sources,
    /// Whether the job file is written in the short form.
    short: bool,
    /// `[size]`
    sizes: Vec<(String, Size)>,
    fetch: &'f mut Fetch<'f>,
}

impl Reader<'_> {
    /// Adds the files that a job builds on, the strongest first: the last that is named wins over
    /// those before it, and each wins over what it builds on itself.
    fn bases(&mut self, files: &mut Vec<Vec<Entry>>, name: &str) {
        let mut known = vec![name.to_owned()];
        let mut next = 0;
        let mut folders = vec![String::new()];
        while next < files.len() {
            let named = self.named_bases(&mut files[next]);
            let folder = folders[next].clone();
            // Directly behind the file that names it, so that it beats what comes later.
            let mut behind = next + 1;
            for base in named.into_iter().rev() {
                let path = format!("{folder}{}", base.text);
                if known.contains(&path) {
                    self.findings.push(
                        Finding::error("TP007", format!("`{path}` is built on twice"))
                            .at(&base.place, "")
                            .advise("name each file once, and none that builds on this one"),
                    );
                    return;
                }
                let text = match (self.fetch)(&path) {
                    Ok(text) => text,
                    Err(reason) => {
                        self.findings.push(
                            Finding::error("TP007", format!("`{path}` cannot be built on"))
                                .at(&base.place, reason)
                                .advise("the path starts at the folder of the file that names it"),
                        );
                        continue;
                    }
                };
                let source = self.sources.add(path.clone(), &text, SourceKind::File);
                let (entries, findings) = tree::parse(&text, source);
                self.findings.extend(findings);
                let folder = path.rfind('/').map_or("", |at| &path[..=at]);
                files.insert(behind, entries);
                folders.insert(behind, folder.to_owned());
                behind += 1;
                known.push(path);
            }
            next += 1;
        }
    }

    fn named_bases(&mut self, entries: &mut Vec<Entry>) -> Vec<Word> {
        let Some(at) = entries.iter().position(|entry| entry.key == "base") else {
            return Vec::new();
        };
        let entry = entries.remove(at);
        let NodeKind::List(items) = &entry.value.kind else {
            self.findings.push(
                Finding::error(
                    "TP003",
                    format!(
                        "`base` takes a list of files, not {}",
                        entry.value.kind_word()
                    ),
                )
                .at(&entry.value.place, "")
                .advise("for example: base = [\"../studio.toml\"]"),
            );
            return Vec::new();
        };
        let mut words = Vec::new();
        for item in items {
            match &item.kind {
                NodeKind::Text(text) => words.push(Word {
                    text: text.clone(),
                    place: item.place.clone(),
                }),
                _ => self.findings.push(
                    Finding::error(
                        "TP003",
                        format!("a file is a text, not {}", item.kind_word()),
                    )
                    .at(&item.place, ""),
                ),
            }
        }
        words
    }

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
        job.command_line = self.table(command_line, TableKind::CommandLine, Layer::CommandLine);
        for (index, entries) in files.into_iter().enumerate() {
            if index == 0 && self.short {
                self.short(entries, job, start);
            } else {
                self.long(&entries, job);
            }
        }
        let source = self.sources.add("presets", BUILT_IN, SourceKind::BuiltIn);
        let (entries, _) = tree::parse(BUILT_IN, source);
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
                        let table = self.table(inner, TableKind::Project, Layer::Project);
                        job.project.build_on(table);
                    }
                }
                "shot" => {
                    let tables = self.named(entry, TableKind::Shot, Layer::Shot);
                    // A table of its own beats a row of a list, wherever they stand.
                    build_over(&mut shots, tables);
                }
                "variant" => {
                    let tables = self.named(entry, TableKind::Variant, Layer::Variant);
                    build_on(&mut job.variants, tables);
                }
                "view" => {
                    let tables = self.named(entry, TableKind::View, Layer::View);
                    build_on(&mut job.views, tables);
                }
                "pass" => {
                    let tables = self.named(entry, TableKind::Pass, Layer::Pass);
                    build_on(&mut job.passes, tables);
                }
                "preset" => {
                    let tables = self.named(entry, TableKind::Preset, Layer::Preset);
                    build_on(&mut job.presets, tables);
                }
                "output" => {
                    let tables = self.named(entry, TableKind::Output, Layer::Output);
                    build_on(&mut job.outputs, tables);
                }
                "shot-list" => {
                    let tables = self.shot_list(entry);
                    build_on(&mut shots, tables);
                }
                "place" | "token" => self.places_and_tokens(entry, job),
                "size" if matches!(entry.value.kind, NodeKind::Table(_)) => {}
                "check" => {} // Read with all files at hand.
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

    /// Every variant inherits from one that is declared, and none from itself.
    fn inheritance(&mut self, job: &Job) {
        let names: Vec<&str> = job.variants.iter().map(|one| one.name.as_str()).collect();
        for variant in &job.variants {
            let mut path = vec![variant.name.as_str()];
            let mut from = variant.inherits.as_ref();
            while let Some(word) = from {
                let Some(parent) = job.variants.iter().find(|one| one.name == word.text) else {
                    // Told where it is written, not for all that inherit from it.
                    if path.len() == 1 {
                        self.findings.push(
                            Finding::error(
                                "TP006",
                                format!("the job has no variant `{}`", word.text),
                            )
                            .at(&word.place, "")
                            .advise(advice(&word.text, &names)),
                        );
                    }
                    break;
                };
                path.push(&parent.name);
                if parent.name == variant.name {
                    // A circle is told once, for the first of its variants.
                    let first = names.iter().find(|name| path.contains(name));
                    if first != Some(&variant.name.as_str()) {
                        break;
                    }
                    self.findings.push(
                        Finding::error(
                            "TP006",
                            format!("the variant `{}` inherits from itself", variant.name),
                        )
                        .at(&word.place, path.join(" → "))
                        .advise("take one of these steps out"),
                    );
                    break;
                }
                if path.len() > names.len() {
                    // A circle that this variant only leads into is told where it is.
                    break;
                }
                from = parent.inherits.as_ref();
            }
        }
    }
}

/// Every table of a job as a new one has it.
impl Job {
    fn empty(short: bool) -> Self {
        Self {
            sources: Sources::default(),
            short,
            project: Table::empty(Layer::Project),
            places: Vec::new(),
            tokens: Vec::new(),
            shots: Vec::new(),
            variants: Vec::new(),
            views: Vec::new(),
            passes: Vec::new(),
            presets: Vec::new(),
            outputs: Vec::new(),
            command_line: Table::empty(Layer::CommandLine),
            check: CheckTable::default(),
        }
    }
}
