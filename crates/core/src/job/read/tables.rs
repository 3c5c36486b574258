//! Reads tables of keys.

use super::JobReader;
use crate::finding::Finding;
use crate::job::kinds::Given;
use crate::job::{KEYS, NamedTable, PlacedText, Setting, Table, TableKind, Value, is_group};
use crate::nearest::advice;
use crate::source::{Level, Place, Sourced};
use crate::template::refuse_component;
use crate::toml_tree::{Entry, Node, NodeKind};

/// The tables that may stand in a table of this kind: key, kind and level.
fn inner_kinds(kind: TableKind) -> &'static [(&'static str, TableKind, Level)] {
    match kind {
        TableKind::Output => &[("pass", TableKind::OutputPass, Level::OutputPass)],
        TableKind::Shot => &[
            ("pass", TableKind::ShotPass, Level::ShotPass),
            ("variant", TableKind::ShotVariant, Level::ShotVariant),
            ("view", TableKind::ShotView, Level::ShotView),
        ],
        _ => &[],
    }
}

/// So many mistakes are looked for at most.
const MOST_FINDINGS: usize = 1_000;

impl JobReader<'_> {
    pub(super) fn inner<'a>(&mut self, entry: &'a Entry, title: &str) -> Option<&'a [Entry]> {
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

    /// `[shot.*]` and the like, with the tables in them.
    pub(super) fn named(
        &mut self,
        entry: &Entry,
        kind: TableKind,
        level: Level,
    ) -> Vec<NamedTable> {
        let Some(tables) = self.inner(entry, kind.title()) else {
            return Vec::new();
        };
        let mut named = Vec::new();
        for one in tables {
            let NodeKind::Table(inner) = &one.value.kind else {
                let title = kind.title().replace('*', &one.key);
                self.wrong_table(&one.key_place, &title, &one.value);
                continue;
            };
            // Of a slip in every table some say as much as all.
            if self.findings.len() >= MOST_FINDINGS {
                break;
            }
            self.component(&one.key, &one.key_place, kind.title());
            let mut tables = Vec::new();
            let mut inherits = None;
            let mut keys = Vec::new();
            for entry in inner {
                let of_tables = inner_kinds(kind).iter().find(|(key, ..)| *key == entry.key);
                if let Some(&(_, kind, level)) = of_tables {
                    tables.extend(self.named(entry, kind, level));
                } else if kind == TableKind::Variant && entry.key == "inherits" {
                    inherits = self.inherits(entry);
                } else {
                    keys.push(entry.clone());
                }
            }
            named.push(NamedTable {
                name: one.key.clone(),
                name_place: one.key_place.clone(),
                kind,
                table: self.table(&keys, kind, level),
                inherits,
                inner: tables,
            });
        }
        named
    }

    fn inherits(&mut self, entry: &Entry) -> Option<PlacedText> {
        if let NodeKind::Text(text) = &entry.value.kind {
            return Some(PlacedText {
                text: text.clone(),
                place: entry.value.place.clone(),
            });
        }
        self.findings.push(
            Finding::error(
                "TP003",
                format!(
                    "`inherits` takes the name of a variant, not {}",
                    entry.value.kind_word()
                ),
            )
            .at(&entry.value.place, ""),
        );
        None
    }

    pub(super) fn component(&mut self, name: &str, place: &Place, what: &str) {
        if let Some(reason) = refuse_component(name) {
            self.findings.push(
                Finding::error("TP004", format!("the name {name:?} of {what} {reason}"))
                    .at(place, "")
                    .advise("it becomes one part of a file name, so it takes letters, digits, spaces and signs"),
            );
        }
    }

    /// The keys of one table of one file.
    pub(super) fn table(&mut self, entries: &[Entry], kind: TableKind, level: Level) -> Table {
        let mut table = Table::empty(level);
        for entry in &self.ungrouped(entries) {
            let known = KEYS.iter().find(|facts| facts.name == entry.key);
            let Some(facts) = known.filter(|facts| facts.stands_in(kind)) else {
                let finding = self.unknown_key(entry, kind, known.is_some());
                self.findings.push(finding);
                continue;
            };
            if facts.name == "unset" {
                self.unset(entry, kind, &mut table);
                continue;
            }
            if let Some(twin) = table.get(facts.key) {
                self.findings.push(twice(entry, twin));
                continue;
            }
            let given = Given {
                key: facts.name,
                example: facts.example,
                kind: facts.kind,
                node: &entry.value,
                sizes: &self.sizes,
            };
            match (facts.kind.read)(given) {
                Ok(value) => table.settings.push(Setting {
                    key: facts.key,
                    key_place: entry.key_place.clone(),
                    value: Sourced {
                        value,
                        level,
                        place: entry.value.place.clone(),
                    },
                }),
                Err(findings) => self.findings.extend(findings),
            }
        }
        table
    }

    /// The keys of `movie = { from = "frames" }` and the like by their whole names: `movie.from`.
    fn ungrouped(&mut self, entries: &[Entry]) -> Vec<Entry> {
        let mut all = Vec::with_capacity(entries.len());
        for entry in entries {
            let group = &entry.key;
            match &entry.value.kind {
                NodeKind::Table(inner) if is_group(group) => {
                    all.extend(inner.iter().map(|one| Entry {
                        key: format!("{group}.{}", one.key),
                        ..one.clone()
                    }));
                }
                _ if is_group(group) => {
                    let keys = KEYS.iter().filter(|facts| facts.name.starts_with(group));
                    let examples: Vec<&str> = keys.map(|facts| facts.example).take(2).collect();
                    self.findings.push(
                        Finding::error(
                            "TP003",
                            format!("`{group}` is a table, not {}", entry.value.kind_word()),
                        )
                        .at(&entry.value.place, "")
                        .advise(format!("for example: {}", examples.join(" and "))),
                    );
                }
                _ => all.push(entry.clone()),
            }
        }
        all
    }

    /// `unset = ["camera"]`: each key as a setting of its own.
    fn unset(&mut self, entry: &Entry, kind: TableKind, table: &mut Table) {
        let NodeKind::List(items) = &entry.value.kind else {
            self.findings.push(
                Finding::error(
                    "TP003",
                    format!(
                        "`unset` takes a list of keys, not {}",
                        entry.value.kind_word()
                    ),
                )
                .at(&entry.value.place, "")
                .advise("for example: unset = [\"camera\"]"),
            );
            return;
        };
        for item in items {
            let name = item.scalar().unwrap_or_default();
            let names: Vec<&str> = KEYS
                .iter()
                .filter(|facts| facts.stands_in(kind) && facts.name != "unset")
                .map(|facts| facts.name)
                .collect();
            let facts = KEYS.iter().find(|facts| facts.name == name);
            let Some(facts) = facts.filter(|facts| names.contains(&facts.name)) else {
                self.findings.push(
                    Finding::error(
                        "TP004",
                        format!("`{name}` is no key that can be unset here"),
                    )
                    .at(&item.place, "")
                    .advise(advice(&name, &names)),
                );
                continue;
            };
            if let Some(twin) = table.get(facts.key) {
                self.findings.push(twice(entry, twin));
                continue;
            }
            table.settings.push(Setting {
                key: facts.key,
                key_place: entry.key_place.clone(),
                value: Sourced {
                    value: Value::Unset,
                    level: table.level,
                    place: item.place.clone(),
                },
            });
        }
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

/// A key that one table of one file speaks about twice.
fn twice(entry: &Entry, twin: &Setting) -> Finding {
    let sentence = if entry.key.starts_with("camera") {
        "`camera` and `cameras` are both set here".to_owned()
    } else {
        format!("`{}` is set and unset here", twin.key.facts().name)
    };
    Finding::error("TP004", sentence)
        .at(&entry.key_place, "")
        .at(&twin.key_place, "the other one")
        .advise("keep one of them")
}
