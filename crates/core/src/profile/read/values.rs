//! Reads single values of a profile.

use std::time::Duration;

use super::ProfileReader;
use crate::finding::Finding;
use crate::job::length_of_time;
use crate::nearest::advice;
use crate::template::Template;
use crate::toml_tree::{Entry, Node, NodeKind};

impl ProfileReader {
    pub(super) fn template(&mut self, node: &Node) -> Template {
        let text = self.text(node);
        match text.parse::<Template>() {
            Ok(template) => {
                self.templates.push((template.clone(), node.clone()));
                template
            }
            Err(error) => {
                self.findings.push(
                    Finding::error("TP004", error.message)
                        .at(&node.place.part(text.len(), error.span), "")
                        .advise(error.advice),
                );
                Template::empty()
            }
        }
    }

    /// A name that is one part of a path.
    pub(super) fn file_name(&mut self, node: &Node) -> String {
        let text = self.text(node);
        if let Some(reason) = crate::template::refuse_component(&text) {
            self.findings.push(
                Finding::error("TP004", format!("{text:?} {reason}"))
                    .at(&node.place, "")
                    .advise("it is the name of a file in the staging folder"),
            );
        }
        text
    }

    /// A number with or without a fraction.
    pub(super) fn decimal(&mut self, node: &Node) -> f64 {
        match node.kind {
            NodeKind::Integer(number) => number as f64,
            NodeKind::Float(number) => number,
            _ => {
                self.wrong(node, "a number");
                0.0
            }
        }
    }

    /// A regular expression that has one of these groups.
    pub(super) fn pattern(&mut self, node: &Node, groups: &[&str]) -> String {
        let text = self.text(node);
        if !self.compiles {
            return text;
        }
        let wrong = match regex::Regex::new(&text) {
            Err(error) => {
                let last = error.to_string();
                last.lines().last().unwrap_or_default().trim().to_owned()
            }
            Ok(found) => {
                let named = found.capture_names().flatten();
                let known = named.into_iter().any(|name| groups.contains(&name));
                if known || text.is_empty() {
                    return text;
                }
                format!("it has no group called {}", groups.join(" or "))
            }
        };
        let group = groups.first().copied().unwrap_or_default();
        self.findings.push(
            Finding::error("TP004", format!("this is no pattern for it: {wrong}"))
                .at(&node.place, "")
                .advise(format!("a group is written (?P<{group}>…)")),
        );
        text
    }

    pub(super) fn templates(&mut self, node: &Node) -> Vec<Template> {
        self.list(node)
            .iter()
            .map(|item| self.template(item))
            .collect()
    }

    pub(super) fn named_templates(&mut self, entry: &Entry) -> Vec<(String, Template)> {
        let mut all = Vec::new();
        for one in self.table(entry) {
            all.push((one.key.clone(), self.template(&one.value)));
        }
        all
    }

    pub(super) fn wrong(&mut self, node: &Node, wanted: &str) {
        self.findings.push(
            Finding::error(
                "TP003",
                format!("this takes {wanted}, not {}", node.kind_word()),
            )
            .at(&node.place, ""),
        );
    }

    pub(super) fn unknown(&mut self, entry: &Entry, known: &[&str]) {
        self.findings.push(
            Finding::error(
                "TP002",
                format!("a profile has no key `{}` here", entry.key),
            )
            .at(&entry.key_place, "")
            .advise(advice(&entry.key, known)),
        );
    }

    pub(super) fn entries<'a>(&mut self, node: &'a Node) -> &'a [Entry] {
        if let NodeKind::Table(entries) = &node.kind {
            entries
        } else {
            self.wrong(node, "a table");
            &[]
        }
    }

    pub(super) fn table<'a>(&mut self, entry: &'a Entry) -> &'a [Entry] {
        self.entries(&entry.value)
    }

    pub(super) fn list<'a>(&mut self, node: &'a Node) -> &'a [Node] {
        if let NodeKind::List(items) = &node.kind {
            items
        } else {
            self.wrong(node, "a list");
            &[]
        }
    }

    pub(super) fn texts(&mut self, node: &Node) -> Vec<String> {
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

    pub(super) fn text(&mut self, node: &Node) -> String {
        if let NodeKind::Text(text) = &node.kind {
            text.clone()
        } else {
            self.wrong(node, "a text");
            String::new()
        }
    }

    pub(super) fn number(&mut self, node: &Node) -> i64 {
        if let NodeKind::Integer(number) = node.kind {
            number
        } else {
            self.wrong(node, "a whole number");
            0
        }
    }

    pub(super) fn duration(&mut self, node: &Node) -> Option<Duration> {
        let length = length_of_time(&self.text(node));
        if length.is_none() {
            self.wrong(node, "a time such as `60s` or `5m`");
        }
        length
    }

    pub(super) fn truth(&mut self, node: &Node) -> bool {
        if let NodeKind::Boolean(truth) = node.kind {
            truth
        } else {
            self.wrong(node, "true or false");
            false
        }
    }

    pub(super) fn choice<T: Copy>(&mut self, node: &Node, rows: &[(&str, T)]) -> Option<T> {
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
