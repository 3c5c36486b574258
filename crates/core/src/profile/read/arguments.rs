//! Reads the arguments of a profile, and the tables of words that they use.

use super::ProfileReader;
use crate::profile::{Argument, Each, ValueMap};
use crate::template::Template;
use crate::toml_tree::{Entry, Node, NodeKind};

impl ProfileReader {
    pub(super) fn value_map(&mut self, entry: &Entry) -> ValueMap {
        let mut table = ValueMap {
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

    pub(super) fn argument(&mut self, node: &Node) -> Argument {
        let mut argument = Argument {
            when: Vec::new(),
            each: None,
            split: false,
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
                    let rows = Each::ALL.map(|each| (each.word(), each));
                    argument.each = self.choice(&one.value, &rows);
                }
                "split" => argument.split = self.truth(&one.value),
                "changes-picture" => argument.changes_picture = self.truth(&one.value),
                "when" => {
                    for condition in self.table(one) {
                        self.condition(&condition.key, &condition.value, &mut argument);
                    }
                }
                _ => self.unknown(one, &["put", "each", "when", "split", "changes-picture"]),
            }
        }
        argument
    }

    /// `channels = "rgb"`, or `settings.shade = ["full", "low"]`, which is a table in a table.
    fn condition(&mut self, token: &str, node: &Node, argument: &mut Argument) {
        if let NodeKind::Table(entries) = &node.kind {
            for one in entries {
                self.condition(&format!("{token}.{}", one.key), &one.value, argument);
            }
            return;
        }
        let values = match node.scalar() {
            Some(text) => vec![text],
            None => self.texts(node),
        };
        argument.when.push((token.to_owned(), values));
    }

    pub(super) fn put(&mut self, node: &Node) -> Vec<Template> {
        match &node.kind {
            NodeKind::List(items) => items.iter().map(|item| self.template(item)).collect(),
            _ => vec![self.template(node)],
        }
    }
}
