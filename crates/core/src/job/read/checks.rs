//! Reads `[check]`.

use super::JobReader;
use crate::finding::{Finding, Severity};
use crate::job::{CheckTable, Exemption, PlacedText};
use crate::nearest::advice;
use crate::source::Place;
use crate::toml_tree::{Entry, Node, NodeKind};

impl JobReader<'_> {
    /// `[check]` of all files, the strongest first.
    pub(super) fn checks(&mut self, files: &[Vec<Entry>]) -> CheckTable {
        let mut table = CheckTable::default();
        for entry in files.iter().flatten().filter(|entry| entry.key == "check") {
            let Some(inner) = self.inner(entry, "[check]") else {
                continue;
            };
            for one in inner {
                if one.key == "exempt" {
                    self.exemptions(&one.value, files, &mut table);
                } else if let Some(severity) = self.severity(&one.value) {
                    let code = PlacedText {
                        text: one.key.clone(),
                        place: one.key_place.clone(),
                    };
                    table.severities.push((code, severity));
                }
            }
        }
        table
    }

    fn severity(&mut self, node: &Node) -> Option<Option<Severity>> {
        let word = match &node.kind {
            NodeKind::Text(word) => word.as_str(),
            _ => "",
        };
        match word {
            "off" => Some(None),
            "note" => Some(Some(Severity::Note)),
            "warning" => Some(Some(Severity::Warning)),
            "error" => Some(Some(Severity::Error)),
            _ => {
                self.findings.push(
                    Finding::error("TP004", "this is not a severity")
                        .at(&node.place, "")
                        .advise(advice(word, &["off", "note", "warning", "error"])),
                );
                None
            }
        }
    }

    /// `exempt = [{ rule = "TP105", at = "output.frames.path", reason = "…" }]`
    fn exemptions(&mut self, node: &Node, files: &[Vec<Entry>], table: &mut CheckTable) {
        let example =
            "exempt = [{ rule = \"TP105\", at = \"output.frames.path\", reason = \"why\" }]";
        let wrong = |place: &Place, sentence: String| {
            Finding::error("TP003", sentence)
                .at(place, "")
                .advise(format!("for example: {example}"))
        };
        let NodeKind::List(items) = &node.kind else {
            let sentence = format!("`exempt` takes a list, not {}", node.kind_word());
            self.findings.push(wrong(&node.place, sentence));
            return;
        };
        for item in items {
            let NodeKind::Table(entries) = &item.kind else {
                let sentence = format!("an exemption is a table, not {}", item.kind_word());
                self.findings.push(wrong(&item.place, sentence));
                continue;
            };
            let text = |key: &str| {
                let found = entries.iter().find(|entry| entry.key == key)?;
                match &found.value.kind {
                    NodeKind::Text(text) if !text.trim().is_empty() => {
                        Some((text.as_str(), &found.value.place))
                    }
                    _ => None,
                }
            };
            let (Some((code, code_place)), Some((at, at_place)), Some((reason, _))) =
                (text("rule"), text("at"), text("reason"))
            else {
                let keys = ["rule", "at", "reason"].into_iter();
                let missing = keys.filter(|key| text(key).is_none());
                let missing: Vec<String> = missing.map(|key| format!("`{key}`")).collect();
                let sentence = format!("this exemption lacks {}", missing.join(" and "));
                self.findings.push(wrong(&item.place, sentence));
                continue;
            };
            match files.iter().find_map(|entries| find(entries, at)) {
                Some(place) => table.exempt.push(Exemption {
                    code: PlacedText {
                        text: code.to_owned(),
                        place: code_place.clone(),
                    },
                    place,
                    reason: reason.to_owned(),
                }),
                None => self.findings.push(
                    Finding::error("TP006", format!("the job has no `{at}`"))
                        .at(at_place, "")
                        .advise("write it as `--set` does, such as `output.frames.path`"),
                ),
            }
        }
    }
}

/// The place of a key that is written as `output.frames.path`, with all that stands in it.
fn find(entries: &[Entry], path: &str) -> Option<Place> {
    entries.iter().find_map(|entry| {
        let rest = path.strip_prefix(entry.key.as_str())?;
        if rest.is_empty() {
            return Some(whole(entry));
        }
        match &entry.value.kind {
            NodeKind::Table(inner) => find(inner, rest.strip_prefix('.')?),
            _ => None,
        }
    })
}

/// From the key to the end of its value.
fn whole(entry: &Entry) -> Place {
    let mut place = entry.key_place.clone();
    let end = end_of(&entry.value);
    place.span.start = place.span.start.min(entry.value.place.span.start);
    place.span.end = place.span.end.max(end);
    place
}

fn end_of(node: &Node) -> usize {
    let inner = match &node.kind {
        NodeKind::Table(entries) => entries.iter().map(|entry| end_of(&entry.value)).max(),
        NodeKind::List(items) => items.iter().map(end_of).max(),
        _ => None,
    };
    node.place.span.end.max(inner.unwrap_or(0))
}
