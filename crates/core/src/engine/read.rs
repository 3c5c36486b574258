//! Reads a profile from TOML.

use super::{
    Argument, Each, LogKind, LogPattern, Naming, PassesTake, Profile, Refusal, Takes, VersionQuery,
    WordTable, keys_of,
};
use crate::finding::Finding;
use crate::job::{Entry, Node, NodeKind, parse_tree};
use crate::nearest::advice;
use crate::picture::Holds;
use crate::source::{Place, SourceKind, Sources};
use crate::template::Template;

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
    let (entries, findings) = parse_tree(text, source);
    let mut reader = Reader { findings };
    let start = Place { source, span: 0..0 };
    let profile = reader.profile(&entries, &start);
    if reader.findings.is_empty() {
        Ok(profile)
    } else {
        Err(reader.findings)
    }
}

struct Reader {
    findings: Vec<Finding>,
}

impl Reader {
    fn profile(&mut self, entries: &[Entry], start: &Place) -> Profile {
        let mut profile = Profile {
            name: String::new(),
            program: String::new(),
            takes: Takes::One,
            passes: PassesTake::One,
            holds: Vec::new(),
            version: None,
            wants: None,
            needs: Vec::new(),
            one_core: false,
            describe: None,
            scenes: Vec::new(),
            words: Vec::new(),
            arguments: Vec::new(),
            naming: Naming::Learned,
            links: Vec::new(),
            log: Vec::new(),
            lowest_frame: None,
            shortest_clip: 1,
            refuses: None,
            place: None,
        };
        for entry in entries {
            match entry.key.as_str() {
                "engine" => self.engine(entry, &mut profile),
                "version" => {
                    let mut query = VersionQuery {
                        ask: Vec::new(),
                        find: String::new(),
                    };
                    for one in self.table(entry) {
                        match one.key.as_str() {
                            "ask" => query.ask = self.texts(&one.value),
                            "find" => query.find = self.text(&one.value),
                            "at-least" => profile.wants = Some(self.text(&one.value)),
                            _ => self.unknown(one, &keys_of("version")),
                        }
                    }
                    profile.version = Some(query);
                }
                "word" => {
                    for one in self.table(entry) {
                        let table = self.word_table(one);
                        profile.words.push(table);
                    }
                }
                "arguments" => {
                    for item in self.list(&entry.value) {
                        let argument = self.argument(item);
                        profile.arguments.push(argument);
                    }
                }
                "describe" => {
                    let items = self.list(&entry.value);
                    profile.describe = Some(items.iter().map(|item| self.template(item)).collect());
                }
                "needs" => profile.needs = self.texts(&entry.value),
                "one-core" => profile.one_core = self.truth(&entry.value),
                "native" => profile.naming = Naming::Native(self.template(&entry.value)),
                "links" => {
                    for one in self.table(entry) {
                        let template = self.template(&one.value);
                        profile.links.push((one.key.clone(), template));
                    }
                }
                "log" => {
                    for item in self.list(&entry.value) {
                        for one in self.entries(item) {
                            match LogKind::ALL.into_iter().find(|kind| kind.word() == one.key) {
                                Some(kind) => {
                                    let find = self.text(&one.value);
                                    profile.log.push(LogPattern { kind, find });
                                }
                                None => self.unknown(one, &LogKind::ALL.map(LogKind::word)),
                            }
                        }
                    }
                }
                "lowest-frame" => profile.lowest_frame = Some(self.number(&entry.value)),
                "shortest-clip" => profile.shortest_clip = self.number(&entry.value).max(1),
                "refuses" => {
                    let mut refusal = Refusal {
                        characters: String::new(),
                        non_ascii: false,
                        why: String::new(),
                    };
                    for one in self.table(entry) {
                        match one.key.as_str() {
                            "characters" => refusal.characters = self.text(&one.value),
                            "non-ascii" => refusal.non_ascii = self.truth(&one.value),
                            "why" => refusal.why = self.text(&one.value),
                            _ => self.unknown(one, &keys_of("refuses")),
                        }
                    }
                    profile.refuses = Some(refusal);
                }
                _ => self.unknown(entry, &keys_of("")),
            }
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

    fn engine(&mut self, entry: &Entry, profile: &mut Profile) {
        for one in self.table(entry) {
            match one.key.as_str() {
                "name" => profile.name = self.text(&one.value),
                "program" => profile.program = self.text(&one.value),
                "frames" => {
                    let rows = [
                        ("one", Takes::One),
                        ("range", Takes::Range),
                        ("stepped", Takes::Stepped),
                        ("list", Takes::List),
                    ];
                    if let Some(takes) = self.choice(&one.value, &rows) {
                        profile.takes = takes;
                    }
                }
                "passes" => {
                    let rows = [("one", PassesTake::One), ("all", PassesTake::All)];
                    if let Some(passes) = self.choice(&one.value, &rows) {
                        profile.passes = passes;
                    }
                }
                "scenes" => profile.scenes = self.texts(&one.value),
                "together" => {
                    let rows = [("passes", Holds::Passes), ("views", Holds::Views)];
                    for item in self.list(&one.value) {
                        profile.holds.extend(self.choice(item, &rows));
                    }
                }
                _ => self.unknown(
                    one,
                    &["name", "program", "frames", "passes", "together", "scenes"],
                ),
            }
        }
    }

    fn word_table(&mut self, entry: &Entry) -> WordTable {
        let mut table = WordTable {
            name: entry.key.clone(),
            by: Vec::new(),
            rows: Vec::new(),
        };
        for one in self.table(entry) {
            if one.key == "by" {
                table.by = self.texts(&one.value);
            } else {
                let word = self.text(&one.value);
                table.rows.push((one.key.clone(), word));
            }
        }
        table
    }

    fn argument(&mut self, node: &Node) -> Argument {
        let mut argument = Argument {
            when: Vec::new(),
            each: None,
            put: Vec::new(),
            changes_picture: true,
        };
        if !matches!(node.kind, NodeKind::Table(_)) {
            argument.put = self.put(node);
            return argument;
        }
        for one in self.entries(node) {
            match one.key.as_str() {
                "put" => argument.put = self.put(&one.value),
                "each" => {
                    let rows = [
                        ("settings", Each::Settings),
                        ("passes", Each::Passes),
                        ("views", Each::Views),
                    ];
                    argument.each = self.choice(&one.value, &rows);
                }
                "changes-picture" => argument.changes_picture = self.truth(&one.value),
                "when" => {
                    for condition in self.table(one) {
                        let values = match condition.value.scalar() {
                            Some(text) => vec![text],
                            None => self.texts(&condition.value),
                        };
                        argument.when.push((condition.key.clone(), values));
                    }
                }
                _ => self.unknown(one, &["put", "each", "when", "changes-picture"]),
            }
        }
        argument
    }

    fn put(&mut self, node: &Node) -> Vec<Template> {
        match &node.kind {
            NodeKind::List(items) => items.iter().map(|item| self.template(item)).collect(),
            _ => vec![self.template(node)],
        }
    }

    fn template(&mut self, node: &Node) -> Template {
        let text = self.text(node);
        text.parse()
            .unwrap_or_else(|error: crate::template::TemplateError| {
                self.findings.push(
                    Finding::error("TP004", error.message)
                        .at(&node.place.part(text.len(), error.span), "")
                        .advise(error.advice),
                );
                Template::empty()
            })
    }

    fn wrong(&mut self, node: &Node, wanted: &str) {
        self.findings.push(
            Finding::error(
                "TP003",
                format!("this takes {wanted}, not {}", node.kind_word()),
            )
            .at(&node.place, ""),
        );
    }

    fn unknown(&mut self, entry: &Entry, known: &[&str]) {
        self.findings.push(
            Finding::error(
                "TP002",
                format!("a profile has no key `{}` here", entry.key),
            )
            .at(&entry.key_place, "")
            .advise(advice(&entry.key, known)),
        );
    }

    fn entries<'a>(&mut self, node: &'a Node) -> &'a [Entry] {
        if let NodeKind::Table(entries) = &node.kind {
            entries
        } else {
            self.wrong(node, "a table");
            &[]
        }
    }

    fn table<'a>(&mut self, entry: &'a Entry) -> &'a [Entry] {
        self.entries(&entry.value)
    }

    fn list<'a>(&mut self, node: &'a Node) -> &'a [Node] {
        if let NodeKind::List(items) = &node.kind {
            items
        } else {
            self.wrong(node, "a list");
            &[]
        }
    }

    fn texts(&mut self, node: &Node) -> Vec<String> {
        self.list(node)
            .iter()
            .map(|item| {
                item.scalar().unwrap_or_else(|| {
                    self.wrong(item, "a text");
                    String::new()
                })
            })
            .collect()
    }

    fn text(&mut self, node: &Node) -> String {
        if let NodeKind::Text(text) = &node.kind {
            text.clone()
        } else {
            self.wrong(node, "a text");
            String::new()
        }
    }

    fn number(&mut self, node: &Node) -> i64 {
        if let NodeKind::Integer(number) = node.kind {
            number
        } else {
            self.wrong(node, "a whole number");
            0
        }
    }

    fn truth(&mut self, node: &Node) -> bool {
        if let NodeKind::Boolean(truth) = node.kind {
            truth
        } else {
            self.wrong(node, "true or false");
            false
        }
    }

    fn choice<T: Copy>(&mut self, node: &Node, rows: &[(&str, T)]) -> Option<T> {
        let text = self.text(node);
        let found = rows.iter().find(|(word, _)| *word == text);
        if found.is_none() {
            let words: Vec<&str> = rows.iter().map(|(word, _)| *word).collect();
            self.findings.push(
                Finding::error("TP004", format!("`{text}` is no value here"))
                    .at(&node.place, "")
                    .advise(advice(&text, &words)),
            );
        }
        found.map(|(_, value)| *value)
    }
}
