//! Reads a profile from TOML.

mod arguments;
mod tables;
mod values;

use super::{FramesPerProcess, Makes, Naming, PassesPerProcess, Profile, keys_of};
use crate::finding::Finding;
use crate::picture::Holds;
use crate::source::{Place, SourceKind, Sources};
use crate::split::SplitWord;
use crate::template::Template;
use crate::toml_tree::{Entry, Node, parse};

/// Reads a profile. `name` is how its file is called in messages.
///
/// # Errors
/// Every mistake in it.
pub fn read_profile(
    name: &str,
    text: &str,
    kind: SourceKind,
    sources: &mut Sources,
) -> Result<Profile, Vec<Finding>> {
    let source = sources.add(name, text, kind);
    let (entries, findings) = parse(text, source);
    let mut reader = ProfileReader {
        findings,
        templates: Vec::new(),
        // Those that ship are tested, and every start would pay for it.
        compiles: kind == SourceKind::File,
    };
    let start = Place { source, span: 0..0 };
    let profile = reader.profile(&entries, &start);
    let tables: Vec<String> = profile
        .maps
        .iter()
        .map(|table| table.name.clone())
        .collect();
    let templates = std::mem::take(&mut reader.templates);
    reader.words_of_templates(&tables, &templates);
    if reader.findings.is_empty() {
        Ok(profile)
    } else {
        Err(reader.findings)
    }
}

struct ProfileReader {
    findings: Vec<Finding>,
    /// Every template that was read, with its place.
    templates: Vec<(Template, Node)>,
    /// Whether patterns are compiled to see that they can be.
    compiles: bool,
}

impl ProfileReader {
    fn profile(&mut self, entries: &[Entry], start: &Place) -> Profile {
        let mut profile = Profile::default();
        for entry in entries {
            match entry.key.as_str() {
                "engine" => self.engine(entry, &mut profile),
                "version" => {
                    let (query, wants) = self.version(entry);
                    profile.version = Some(query);
                    profile.wants = wants;
                }
                "map" => {
                    for one in self.table(entry) {
                        let table = self.value_map(one);
                        profile.maps.push(table);
                    }
                }
                "arguments" => {
                    for item in self.list(&entry.value) {
                        let argument = self.argument(item);
                        profile.arguments.push(argument);
                    }
                }
                "describe" => profile.describe = Some(self.templates(&entry.value)),
                "scene-files" => profile.scene_file_names = Some(self.scene_file_names(entry)),
                "needs" => profile.needs = self.texts(&entry.value),
                "single-threaded" => profile.single_threaded = self.truth(&entry.value),
                "output-name" => profile.naming = Naming::Template(self.template(&entry.value)),
                "links" => profile.links = self.named_templates(entry),
                "environment" => profile.environment = self.named_templates(entry),
                "set-up" => profile.set_up = Some(self.text(&entry.value)),
                "max-processes" => {
                    profile.max_processes = u64::try_from(self.number(&entry.value)).ok()
                }
                "folder" => profile.folder = Some(self.template(&entry.value)),
                "writes" => profile.writes = Some(self.template(&entry.value)),
                "frame-files" => profile.frame_files = self.templates(&entry.value),
                "usual-pixels" => {
                    for one in self.table(entry) {
                        let pixels = self.text(&one.value);
                        profile.usual_pixels.push((one.key.clone(), pixels));
                    }
                }
                "in-order" => profile.in_order = self.truth(&entry.value),
                "split" => {
                    let rows = SplitWord::ALL.map(|word| (word.word(), word));
                    profile.split = self.choice(&entry.value, &rows);
                }
                "error-fails" => profile.error_fails = self.truth(&entry.value),
                "background-limit" => profile.background_limit = self.duration(&entry.value),
                "success-codes" => {
                    for item in self.list(&entry.value) {
                        let code = self.number(item);
                        profile.success_codes.push(code);
                    }
                }
                "setting" => {
                    for one in self.table(entry) {
                        let setting = self.setting(one);
                        profile.settings.push(setting);
                    }
                }
                "file" => {
                    for item in self.list(&entry.value) {
                        let file = self.given_file(item);
                        profile.files.push(file);
                    }
                }
                "prepare" => profile.prepare = Some(self.preparation(entry)),
                "checkpoint" => profile.checkpoint = Some(self.checkpoint(entry)),
                "proof" => profile.proof = Some(self.proof(entry)),
                "log" => profile.log = self.log(entry),
                "lowest-frame" => profile.lowest_frame = Some(self.number(&entry.value)),
                "shortest-clip" => profile.shortest_clip = self.number(&entry.value).max(1),
                "rejects" => profile.rejects = Some(self.rejection(entry)),
                _ => self.unknown(entry, &keys_of("")),
            }
        }
        if !profile.frame_files.is_empty() && profile.takes != FramesPerProcess::One {
            self.findings.push(
                Finding::error("TP005", "`frame-files` needs engine.frames = \"one\"")
                    .at(start, ""),
            );
        }
        for (missing, what) in [
            (profile.name.is_empty(), "engine = { name = \"…\" }"),
            (profile.program.is_empty(), "engine = { program = \"…\" }"),
        ] {
            if missing && self.findings.is_empty() {
                self.findings.push(
                    Finding::error("TP005", format!("the profile does not say {what}"))
                        .at(start, ""),
                );
            }
        }
        profile
    }

    /// `engine = { … }`
    fn engine(&mut self, entry: &Entry, profile: &mut Profile) {
        for one in self.table(entry) {
            match one.key.as_str() {
                "name" => profile.name = self.text(&one.value),
                "program" => profile.program = self.text(&one.value),
                "frames" => {
                    let rows = [
                        ("one", FramesPerProcess::One),
                        ("range", FramesPerProcess::Range),
                        ("stepped", FramesPerProcess::Stepped),
                        ("list", FramesPerProcess::List),
                    ];
                    if let Some(takes) = self.choice(&one.value, &rows) {
                        profile.takes = takes;
                    }
                }
                "passes" => {
                    let rows = [
                        ("one", PassesPerProcess::One),
                        ("all", PassesPerProcess::All),
                    ];
                    if let Some(passes) = self.choice(&one.value, &rows) {
                        profile.passes = passes;
                    }
                }
                "makes" => {
                    let rows = Makes::ALL.map(|makes| (makes.word(), makes));
                    profile.makes = self.choice(&one.value, &rows).unwrap_or_default();
                }
                "scenes" => profile.scenes = self.texts(&one.value),
                "together" => {
                    let rows = [("passes", Holds::Passes), ("views", Holds::Views)];
                    for item in self.list(&one.value) {
                        profile.holds.extend(self.choice(item, &rows));
                    }
                }
                _ => self.unknown(one, &keys_of("engine")),
            }
        }
    }
}
