//! Reads the tables of a profile that stand for one thing each.

use serde_json::Value;

use super::ProfileReader;
use crate::finding::Finding;
use crate::nearest::advice;
use crate::profile::{
    Checkpoint, Content, GivenFile, JsonTemplate, Language, LogKind, LogPattern, MovieProof,
    Preparation, Rejection, SceneFileNames, SettingFacts, SettingTakes, VersionQuery, keys_of,
};
use crate::template::Template;
use crate::toml_tree::{Entry, Node, NodeKind};

impl ProfileReader {
    /// How the program is asked for its version, and the lowest that will do.
    pub(super) fn version(&mut self, entry: &Entry) -> (VersionQuery, Option<String>) {
        let mut query = VersionQuery {
            ask: Vec::new(),
            find: String::new(),
        };
        let mut wants = None;
        for one in self.table(entry) {
            match one.key.as_str() {
                "ask" => query.ask = self.texts(&one.value),
                "find" => query.find = self.pattern(&one.value, &["version"]),
                "at-least" => wants = Some(self.text(&one.value)),
                _ => self.unknown(one, &keys_of("version")),
            }
        }
        (query, wants)
    }

    pub(super) fn log(&mut self, entry: &Entry) -> Vec<LogPattern> {
        let mut log = Vec::new();
        for item in self.list(&entry.value) {
            for one in self.entries(item) {
                match LogKind::ALL.into_iter().find(|kind| kind.word() == one.key) {
                    Some(kind) => {
                        let find = self.pattern(&one.value, kind.groups());
                        log.push(LogPattern { kind, find });
                    }
                    None => self.unknown(one, &LogKind::ALL.map(LogKind::word)),
                }
            }
        }
        log
    }

    pub(super) fn rejection(&mut self, entry: &Entry) -> Rejection {
        let mut rejection = Rejection {
            characters: String::new(),
            non_ascii: false,
            why: String::new(),
        };
        for one in self.table(entry) {
            match one.key.as_str() {
                "characters" => rejection.characters = self.text(&one.value),
                "non-ascii" => rejection.non_ascii = self.truth(&one.value),
                "why" => rejection.why = self.text(&one.value),
                _ => self.unknown(one, &keys_of("rejects")),
            }
        }
        rejection
    }

    /// A setting that the engine knows.
    pub(super) fn setting(&mut self, entry: &Entry) -> SettingFacts {
        let (mut kind, mut from, mut to, mut words) = ("text", None, None, Vec::new());
        for one in self.table(entry) {
            match one.key.as_str() {
                "takes" => {
                    let rows =
                        ["text", "truth", "whole", "number", "word"].map(|word| (word, word));
                    kind = self.choice(&one.value, &rows).unwrap_or("text");
                }
                "from" => from = Some(self.decimal(&one.value)),
                "to" => to = Some(self.decimal(&one.value)),
                "words" => words = self.texts(&one.value),
                _ => self.unknown(one, &["takes", "from", "to", "words"]),
            }
        }
        let takes = match kind {
            "truth" => SettingTakes::Truth,
            "whole" => SettingTakes::Whole(from, to),
            "number" => SettingTakes::Number(from, to),
            "word" => SettingTakes::Words(words),
            _ => SettingTakes::Text,
        };
        SettingFacts {
            name: entry.key.clone(),
            takes,
        }
    }

    pub(super) fn preparation(&mut self, entry: &Entry) -> Preparation {
        let mut step = Preparation {
            program: None,
            arguments: Vec::new(),
            makes: Template::empty(),
            keep: true,
        };
        for one in self.table(entry) {
            match one.key.as_str() {
                "program" => step.program = Some(self.text(&one.value)),
                "arguments" => step.arguments = self.templates(&one.value),
                "makes" => {
                    self.file_name(&one.value);
                    step.makes = self.template(&one.value);
                }
                "keep" => step.keep = self.truth(&one.value),
                _ => self.unknown(one, &keys_of("prepare")),
            }
        }
        self.must(
            entry,
            step.makes.parts().is_empty(),
            "makes = \"{scene}.exported\"",
        );
        let has_prepared = step.arguments.iter().any(|one| one.has("prepared"));
        self.must(
            entry,
            !has_prepared,
            "where the result goes: \"{prepared}\" among its arguments",
        );
        step
    }

    pub(super) fn checkpoint(&mut self, entry: &Entry) -> Checkpoint {
        let mut checkpoint = Checkpoint {
            files: Template::empty(),
            put: Vec::new(),
        };
        for one in self.table(entry) {
            match one.key.as_str() {
                "files" => checkpoint.files = self.template(&one.value),
                "put" => checkpoint.put = self.put(&one.value),
                _ => self.unknown(one, &keys_of("checkpoint")),
            }
        }
        self.must(
            entry,
            checkpoint.files.parts().is_empty(),
            "files = \"picture.state\"",
        );
        checkpoint
    }

    pub(super) fn scene_file_names(&mut self, entry: &Entry) -> SceneFileNames {
        let mut names = SceneFileNames {
            find: Vec::new(),
            follow: false,
        };
        for one in self.table(entry) {
            match one.key.as_str() {
                "find" => {
                    for item in self.list(&one.value) {
                        let find = self.pattern(item, &["file"]);
                        names.find.push(find);
                    }
                }
                "follow" => names.follow = self.truth(&one.value),
                _ => self.unknown(one, &keys_of("scene-files")),
            }
        }
        self.must(
            entry,
            names.find.is_empty(),
            r#"find = ['include "(?P<file>[^"]+)"']"#,
        );
        names
    }

    pub(super) fn proof(&mut self, entry: &Entry) -> MovieProof {
        let mut proof = MovieProof {
            program: String::new(),
            arguments: Vec::new(),
            find: Vec::new(),
        };
        for one in self.table(entry) {
            match one.key.as_str() {
                "program" => proof.program = self.text(&one.value),
                "arguments" => proof.arguments = self.templates(&one.value),
                "find" => {
                    let groups = ["frames", "width", "height", "error"];
                    for item in self.list(&one.value) {
                        let pattern = self.pattern(item, &groups);
                        proof.find.push(pattern);
                    }
                }
                _ => self.unknown(one, &keys_of("proof")),
            }
        }
        self.must(entry, proof.program.is_empty(), "program = \"…\"");
        proof
    }

    /// A file that the engine is given.
    pub(super) fn given_file(&mut self, node: &Node) -> GivenFile {
        let (mut name, mut language, mut content) = (String::new(), Language::Plain, None);
        let mut text = None;
        for one in self.entries(node) {
            match one.key.as_str() {
                "name" => name = self.file_name(&one.value),
                "language" => {
                    language = self.choice(&one.value, &Language::ALL).unwrap_or(language);
                }
                "text" => text = Some(self.template(&one.value)),
                "json" => content = Some(Content::Json(self.json(&one.value))),
                _ => self.unknown(one, &["name", "language", "text", "json"]),
            }
        }
        let content = match (content, text) {
            (Some(content), None) => Some(content),
            (None, Some(text)) => Some(Content::Text(language, text)),
            _ => None,
        };
        if name.is_empty() || content.is_none() {
            self.findings.push(
                Finding::error("TP005", "a file takes a name, and either a text or JSON")
                    .at(&node.place, "")
                    .advise("{ name = \"options.json\", json = { scene = \"{scene.file}\" } }"),
            );
        }
        let empty = || Content::Text(language, Template::empty());
        GivenFile {
            name,
            content: content.unwrap_or_else(empty),
        }
    }

    fn json(&mut self, node: &Node) -> JsonTemplate {
        match &node.kind {
            NodeKind::Text(_) => JsonTemplate::Text(self.template(node)),
            NodeKind::Integer(number) => JsonTemplate::Plain(Value::from(*number)),
            NodeKind::Float(number) => JsonTemplate::Plain(Value::from(*number)),
            NodeKind::Boolean(truth) => JsonTemplate::Plain(Value::from(*truth)),
            NodeKind::Date(text) => JsonTemplate::Plain(Value::from(text.as_str())),
            NodeKind::List(items) => {
                JsonTemplate::List(items.iter().map(|item| self.json(item)).collect())
            }
            NodeKind::Table(entries) => JsonTemplate::Object(
                entries
                    .iter()
                    .map(|one| (one.key.clone(), self.json(&one.value)))
                    .collect(),
            ),
        }
    }

    /// Reports what a table does not set and must.
    fn must(&mut self, entry: &Entry, missing: bool, what: &str) {
        if missing {
            self.findings.push(
                Finding::error("TP005", format!("`{}` does not say {what}", entry.key))
                    .at(&entry.key_place, ""),
            );
        }
    }

    /// Tells of words that no table has.
    pub(super) fn words_of_templates(&mut self, tables: &[String], templates: &[(Template, Node)]) {
        for (template, node) in templates {
            for (token, _) in template.tokens() {
                let Some(word) = token.name.strip_prefix("map.") else {
                    continue;
                };
                if !tables.iter().any(|table| table == word) {
                    let known: Vec<&str> = tables.iter().map(String::as_str).collect();
                    let length = node.scalar().map_or(0, |text| text.len());
                    let advice = if known.is_empty() {
                        format!("write a table: word.{word} = {{ by = [\"format\"], … }}")
                    } else {
                        advice(word, &known)
                    };
                    self.findings.push(
                        Finding::error("TP004", format!("there is no table `map.{word}`"))
                            .at(&node.place.part(length, token.span.clone()), "")
                            .advise(advice),
                    );
                }
            }
        }
    }
}
