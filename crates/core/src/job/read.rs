//! Reads a job from the text of its file and from `--set` arguments.

use super::short;
use super::tree::{Entry, Node, NodeKind};
use super::{Job, KEYS, Key, NamedPlace, NamedTable, Setting, Table, TableKind, tree, value};
use crate::finding::{Finding, Weight};
use crate::nearest::advice;
use crate::source::{Layer, Place, SourceKind, Sourced, Sources};
use crate::template::refuse_component;

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

/// Reads a job. `name` is how the file is called in messages.
#[must_use]
pub fn read(name: &str, text: &str, sets: &[String]) -> Reading {
    let mut sources = Sources::default();
    let file = sources.add(name, text, SourceKind::File);
    let start = Place {
        source: file,
        span: 0..0,
    };
    let (mut entries, findings) = tree::parse(text, file);
    let mut reader = Reader {
        findings,
        short: short::is_short(&entries),
    };
    let mut command_line = Vec::new();
    if reader.findings.is_empty() {
        for set in sets {
            let source = sources.add("--set", set, SourceKind::Argument);
            if let Err(finding) =
                super::arguments::apply(set, source, &mut entries, &mut command_line)
            {
                reader.findings.push(finding);
            }
        }
    }
    let broken = !reader.findings.is_empty();
    let command_line = reader.table(&command_line, TableKind::CommandLine, Layer::CommandLine);
    let mut job = Job {
        sources,
        short: reader.short,
        project: Table::empty(Layer::Project),
        places: Vec::new(),
        tokens: Vec::new(),
        shots: Vec::new(),
        passes: Vec::new(),
        outputs: Vec::new(),
        command_line,
    };
    if broken {
        let findings = reader.findings;
        return Reading { job, findings };
    }
    if reader.short {
        reader.short(entries, &mut job, &start);
    } else {
        reader.long(&entries, &mut job, &start);
    }
    Reading {
        job,
        findings: reader.findings,
    }
}

struct Reader {
    findings: Vec<Finding>,
    /// Whether the file is written in the short form.
    short: bool,
}

impl Reader {
    fn short(&mut self, entries: Vec<Entry>, job: &mut Job, start: &Place) {
        let (tables, keys): (Vec<Entry>, Vec<Entry>) = entries
            .into_iter()
            .partition(|entry| entry.key == "place" || entry.key == "token");
        for entry in &tables {
            self.common(entry, job);
        }
        job.project = self.table(&keys, TableKind::Project, Layer::Project);
        for (key, what) in [
            (
                Key::Path,
                "where the files go: path = \"renders/{scene}.{frame:04}.png\"",
            ),
            (Key::Frames, "which frames are wanted: frames = \"1-48\""),
        ] {
            if job.project.get(key).is_none()
                && job.command_line.get(key).is_none()
                && self.findings.is_empty()
            {
                self.findings.push(
                    Finding::error(
                        "TP005",
                        format!("the job does not say `{}`", key.facts().name),
                    )
                    .at(start, "")
                    .advise(format!("say {what}")),
                );
            }
        }
        let (shot, output) = short::tables(&job.project, start);
        self.component(&shot.name, &shot.name_place, "shot");
        job.shots.push(shot);
        job.outputs.push(output);
    }

    fn long(&mut self, entries: &[Entry], job: &mut Job, start: &Place) {
        for entry in entries {
            match entry.key.as_str() {
                "project" => {
                    if let Some(inner) = self.inner(entry, "[project]") {
                        job.project = self.table(inner, TableKind::Project, Layer::Project);
                    }
                }
                "shot" => job.shots = self.named(entry, TableKind::Shot, Layer::Shot),
                "pass" => job.passes = self.named(entry, TableKind::Pass, Layer::Pass),
                "output" => job.outputs = self.named(entry, TableKind::Output, Layer::Output),
                "place" | "token" => self.common(entry, job),
                other if KEYS.iter().any(|facts| facts.name == other) => {
                    self.findings.push(
                        Finding::error("TP002", format!("`{other}` stands outside the tables"))
                            .at(&entry.key_place, "")
                            .advise("in a job file with tables it belongs under [project], [shot.*] or [output.*]"),
                    );
                }
                other => self.findings.push(
                    Finding::error("TP002", format!("a job file has no table or key `{other}`"))
                        .at(&entry.key_place, "")
                        .advise(advice(
                            other,
                            &["project", "place", "token", "shot", "pass", "output"],
                        )),
                ),
            }
        }
        for (empty, what, example) in [
            (job.shots.is_empty(), "shot", "[shot.dawn]"),
            (job.outputs.is_empty(), "output", "[output.frames]"),
        ] {
            if empty && self.findings.is_empty() {
                self.findings.push(
                    Finding::error("TP005", format!("the job has no {what}"))
                        .at(start, "")
                        .advise(format!("add a table such as {example}")),
                );
            }
        }
    }

    /// `[place]` and `[token]`, which both forms have.
    fn common(&mut self, entry: &Entry, job: &mut Job) {
        let Some(inner) = self.inner(
            entry,
            if entry.key == "place" {
                "[place]"
            } else {
                "[token]"
            },
        ) else {
            return;
        };
        for one in inner {
            if entry.key == "place" {
                if let Some(place) = self.place(one) {
                    job.places.push(place);
                }
            } else if let Some(text) = self.single(one) {
                if crate::token::is_built_in(&one.key) {
                    self.findings.push(
                        Finding::error("TP004", format!("the token `{}` is built in", one.key))
                            .at(&one.key_place, "")
                            .advise("choose another name"),
                    );
                }
                self.component(&text.value, &text.place, &one.key);
                job.tokens.push((one.key.clone(), text));
            }
        }
    }

    fn place(&mut self, entry: &Entry) -> Option<NamedPlace> {
        if matches!(entry.key.as_str(), "job" | "scene") {
            self.findings.push(
                Finding::error("TP004", format!("the place `{}` is built in", entry.key))
                    .at(&entry.key_place, "")
                    .advise("choose another name"),
            );
            return None;
        }
        let mut folders = Vec::new();
        if let NodeKind::Table(systems) = &entry.value.kind {
            for system in systems {
                if !["linux", "windows", "macos"].contains(&system.key.as_str()) {
                    self.findings.push(
                        Finding::error("TP002", format!("there is no system `{}`", system.key))
                            .at(&system.key_place, "")
                            .advise(advice(&system.key, &["linux", "windows", "macos"])),
                    );
                } else if let Some(folder) = self.single(system) {
                    folders.push((Some(system.key.clone()), folder));
                }
            }
        } else {
            folders.push((None, self.single(entry)?));
        }
        Some(NamedPlace {
            name: entry.key.clone(),
            name_place: entry.key_place.clone(),
            folders,
        })
    }

    fn single(&mut self, entry: &Entry) -> Option<Sourced<String>> {
        let value = &entry.value;
        let text = value.scalar().filter(|text| !text.is_empty());
        match text {
            Some(text) if !text.chars().any(char::is_control) => Some(Sourced {
                value: text,
                layer: Layer::Project,
                place: value.place.clone(),
            }),
            Some(_) => {
                self.findings.push(
                    Finding::error(
                        "TP004",
                        format!("`{}` holds a control character", entry.key),
                    )
                    .at(&value.place, ""),
                );
                None
            }
            None => {
                self.findings.push(
                    Finding::error(
                        "TP003",
                        format!("`{}` takes a text, not {}", entry.key, value.kind_word()),
                    )
                    .at(&value.place, ""),
                );
                None
            }
        }
    }

    fn inner<'a>(&mut self, entry: &'a Entry, title: &str) -> Option<&'a [Entry]> {
        match &entry.value.kind {
            NodeKind::Table(inner) => Some(inner),
            _ => {
                self.wrong_table(&entry.key_place, title, &entry.value);
                None
            }
        }
    }

    fn wrong_table(&mut self, place: &Place, title: &str, value: &Node) {
        self.findings.push(
            Finding::error(
                "TP003",
                format!("{title} is a table, not {}", value.kind_word()),
            )
            .at(place, "")
            .advise(format!(
                "write {title} on a line of its own, and its keys below"
            )),
        );
    }

    fn named(&mut self, entry: &Entry, kind: TableKind, layer: Layer) -> Vec<NamedTable> {
        let Some(tables) = self.inner(entry, kind.title()) else {
            return Vec::new();
        };
        let mut named = Vec::new();
        for one in tables {
            let NodeKind::Table(inner) = &one.value.kind else {
                self.wrong_table(
                    &one.key_place,
                    &kind.title().replace('*', &one.key),
                    &one.value,
                );
                continue;
            };
            self.component(&one.key, &one.key_place, kind.title());
            let mut passes = Vec::new();
            let mut keys = Vec::new();
            for entry in inner {
                if kind == TableKind::Output && entry.key == "pass" {
                    passes = self.named(entry, TableKind::OutputPass, Layer::OutputPass);
                } else {
                    keys.push(entry.clone());
                }
            }
            named.push(NamedTable {
                name: one.key.clone(),
                name_place: one.key_place.clone(),
                table: self.table(&keys, kind, layer),
                passes,
            });
        }
        named
    }

    fn component(&mut self, name: &str, place: &Place, what: &str) {
        if let Some(reason) = refuse_component(name) {
            self.findings.push(
                Finding::error("TP004", format!("the name {name:?} of {what} {reason}"))
                    .at(place, "")
                    .advise("it becomes one part of a file name, so it takes letters, digits, spaces and signs"),
            );
        }
    }

    fn table(&mut self, entries: &[Entry], kind: TableKind, layer: Layer) -> Table {
        let mut table = Table::empty(layer);
        for entry in entries {
            let known = KEYS.iter().find(|facts| facts.name == entry.key);
            let Some(facts) = known.filter(|facts| facts.stands_in(kind)) else {
                let finding = self.unknown_key(entry, kind, known.is_some());
                self.findings.push(finding);
                continue;
            };
            if let Some(twin) = table.get(facts.key) {
                self.findings.push(
                    Finding::error("TP004", "`camera` and `cameras` are both set here")
                        .at(&entry.key_place, "")
                        .at(&twin.key_place, "the other one")
                        .advise("keep one of them"),
                );
                continue;
            }
            match value::read(facts, &entry.value) {
                Ok(value) => table.settings.push(Setting {
                    key: facts.key,
                    key_place: entry.key_place.clone(),
                    value: Sourced {
                        value,
                        layer,
                        place: entry.value.place.clone(),
                    },
                }),
                Err(findings) => self.findings.extend(findings),
            }
        }
        table
    }

    fn unknown_key(&self, entry: &Entry, kind: TableKind, elsewhere: bool) -> Finding {
        let names: Vec<&str> = KEYS
            .iter()
            .filter(|facts| facts.stands_in(kind))
            .map(|facts| facts.name)
            .collect();
        let key = &entry.key;
        let title = if self.short && kind == TableKind::Project {
            "a job file without tables"
        } else {
            kind.title()
        };
        if elsewhere {
            let tables: Vec<&str> = KEYS
                .iter()
                .filter(|facts| facts.name == *key)
                .flat_map(|facts| facts.tables.iter().map(|table| table.title()))
                .collect();
            Finding::error("TP002", format!("`{key}` does not belong in {title}"))
                .at(&entry.key_place, "")
                .advise(format!("it belongs in {}", tables.join(", ")))
        } else {
            Finding::error("TP002", format!("{title} has no key `{key}`"))
                .at(&entry.key_place, "")
                .advise(advice(key, &names))
        }
    }
}
