//! Reads the file of a queue.

use super::{Queue, QueueEntry};
use crate::deliverable::Selection;
use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::nearest::advice;
use crate::source::{Place, SourceKind, Sources};
use crate::toml_tree::{self, Entry, Node, NodeKind};

/// The table of a job in a queue.
pub(super) const ENTRY: &str = "entry";
/// The keys of a queue outside of its tables.
const TOP: [&str; 3] = [ENTRY, FORMAT_KEY, "stop-at-failure"];
/// The key of the format of the file; a queue that does not say it is of the first.
pub(super) const FORMAT_KEY: &str = "format";
/// The format that this program knows.
pub(super) const FORMAT: i64 = 1;
/// The keys of a job in a queue.
const KEYS: [&str; 12] = [
    "job", "shot", "camera", "variant", "view", "pass", "output", "frames", "set", "preset",
    "note", "on",
];

/// Whether a text is a queue, as far as it can be read: it has entries, and nothing of a job.
#[must_use]
pub fn is_queue(text: &str) -> bool {
    let mut sources = Sources::default();
    let source = sources.add("", text, SourceKind::File);
    let (entries, _) = toml_tree::parse(text, source);
    let own = [ENTRY, "stop-at-failure"];
    entries
        .iter()
        .any(|entry| own.contains(&entry.key.as_str()))
}

/// Reads a queue; `name` is how its file is called in messages.
///
/// # Errors
/// Everything that is wrong with it, and the text that the findings point into.
pub fn read_queue(name: &str, text: &str) -> Result<Queue, (Sources, Vec<Finding>)> {
    let mut queue = Queue::default();
    let source = queue.sources.add(name, text, SourceKind::File);
    let (entries, findings) = toml_tree::parse(text, source);
    let mut reader = QueueReader { findings };
    for entry in &entries {
        match entry.key.as_str() {
            ENTRY => {
                let NodeKind::List(nodes) = &entry.value.kind else {
                    reader.wrong(&entry.value, "each job is a table of its own: [[entry]]");
                    continue;
                };
                queue
                    .entries
                    .extend(nodes.iter().filter_map(|node| reader.entry(node)));
            }
            FORMAT_KEY => reader.format(&entry.value),
            "stop-at-failure" => {
                queue.stops_at_failure = reader.truth(&entry.value).unwrap_or(false)
            }
            other => reader.unknown(entry, "a queue", other, &TOP),
        }
    }
    for (at, one) in queue.entries.iter().enumerate() {
        if let Some(first) = queue.entries[..at].iter().find(|known| known.is_same(one)) {
            reader.findings.push(
                Finding::error("TP004", format!("`{}` is in the queue twice", one.label()))
                    .at(&one.place, "again")
                    .at(&first.place, "the first time")
                    .so("it would be worked off twice")
                    .advise("remove one of them, or choose another part of the job"),
            );
        }
    }
    let is_sound = |finding: &Finding| finding.severity != Severity::Error;
    if reader.findings.iter().all(is_sound) {
        Ok(queue)
    } else {
        Err((queue.sources, reader.findings))
    }
}

struct QueueReader {
    findings: Vec<Finding>,
}

impl QueueReader {
    fn entry(&mut self, node: &Node) -> Option<QueueEntry> {
        let NodeKind::Table(keys) = &node.kind else {
            self.wrong(node, "each job is a table of its own: [[entry]]");
            return None;
        };
        let mut job: Option<(String, Place)> = None;
        let mut one = QueueEntry {
            job: String::new(),
            place: node.place.clone(),
            selection: Selection::default(),
            sets: Vec::new(),
            preset: None,
            note: None,
            is_on: true,
        };
        for entry in keys {
            let value = &entry.value;
            match entry.key.as_str() {
                "job" => job = self.text(value).map(|text| (text, value.place.clone())),
                "shot" => one.selection.shots = self.texts(value),
                "camera" => one.selection.cameras = self.texts(value),
                "variant" => one.selection.variants = self.texts(value),
                "view" => one.selection.views = self.texts(value),
                "pass" => one.selection.passes = self.texts(value),
                "output" => one.selection.outputs = self.texts(value),
                "frames" => one.selection.frames = self.frames(value),
                "set" => one.sets = self.sets(value),
                "preset" => one.preset = self.text(value),
                "note" => one.note = self.text(value),
                "on" => one.is_on = self.truth(value).unwrap_or(true),
                other => self.unknown(entry, "a job of a queue", other, &KEYS),
            }
        }
        match job {
            Some((job, place)) if !job.trim().is_empty() => {
                (one.job, one.place) = (job, place);
                Some(one)
            }
            found => {
                let place = found.map_or(node.place.clone(), |(_, place)| place);
                self.findings.push(
                    Finding::error("TP005", "an entry of the queue names no job")
                        .at(&place, "")
                        .advise("add its file: job = \"orrery/truepath.toml\""),
                );
                None
            }
        }
    }

    fn wrong(&mut self, node: &Node, what: &str) {
        let sentence = format!("{} stands here", node.kind_word());
        self.findings.push(
            Finding::error("TP003", sentence)
                .at(&node.place, "")
                .advise(what),
        );
    }

    fn unknown(&mut self, entry: &Entry, what: &str, key: &str, known: &[&str]) {
        self.findings.push(
            Finding::error("TP002", format!("{what} has no key `{key}`"))
                .at(&entry.key_place, "")
                .advise(advice(key, known)),
        );
    }

    fn text(&mut self, node: &Node) -> Option<String> {
        match &node.kind {
            NodeKind::Text(text) => Some(text.clone()),
            _ => {
                self.wrong(node, "it takes a text");
                None
            }
        }
    }

    /// A text, or a list of texts.
    fn texts(&mut self, node: &Node) -> Vec<String> {
        match &node.kind {
            NodeKind::List(nodes) => nodes.iter().filter_map(|node| self.text(node)).collect(),
            _ => self.text(node).into_iter().collect(),
        }
    }

    fn truth(&mut self, node: &Node) -> Option<bool> {
        match node.kind {
            NodeKind::Boolean(truth) => Some(truth),
            _ => {
                self.wrong(node, "it takes true or false");
                None
            }
        }
    }

    fn format(&mut self, node: &Node) {
        match node.kind {
            NodeKind::Integer(FORMAT) => {}
            NodeKind::Integer(other) => self.findings.push(
                Finding::error(
                    "TP004",
                    format!("the queue is of format {other}, and this program knows {FORMAT}"),
                )
                .at(&node.place, "")
                .advise("use the version of True Path that wrote it, or a newer one"),
            ),
            _ => self.wrong(node, "it takes a whole number"),
        }
    }

    fn frames(&mut self, node: &Node) -> Option<FrameSet> {
        let text = match &node.kind {
            NodeKind::Integer(number) => number.to_string(),
            _ => self.text(node)?,
        };
        match text.parse::<FrameSet>() {
            Ok(frames) => Some(frames),
            Err(error) => {
                let finding = Finding::error("TP004", error.message).at(&node.place, "");
                self.findings.push(match error.advice {
                    Some(advice) => finding.advise(advice),
                    None => finding,
                });
                None
            }
        }
    }

    fn sets(&mut self, node: &Node) -> Vec<String> {
        let sets = self.texts(node);
        if sets.iter().any(|set| !set.contains('=')) {
            self.wrong(
                node,
                "each is written KEY=VALUE, such as \"settings.samples=64\"",
            );
        }
        sets
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_queue_is_read_with_its_parts() {
        let queue = read_queue(
            "queue.toml",
            "# for tonight\nstop-at-failure = true\n\
             [[entry]]\njob = \"orrery\"\nshot = \"dawn\"\nframes = \"1-48\"\npreset = \"final\"\n\
             [[entry]]\njob = \"other/truepath.toml\"\nset = [\"jobs=2\"]\nnote = \"later\"\non = false\n",
        )
        .unwrap();
        assert!(queue.stops_at_failure);
        let labels: Vec<String> = queue.entries.iter().map(QueueEntry::label).collect();
        assert_eq!(
            labels,
            [
                "orrery · dawn · frames 1-48 · final",
                "other/truepath.toml · jobs=2"
            ]
        );
        assert!(queue.entries[0].is_on && !queue.entries[1].is_on);
    }

    #[test]
    fn every_mistake_is_found_at_its_line() {
        for (text, line, words) in [
            ("[[entry]]\njob = 3\n", 2, "a number stands here"),
            ("[[entry]]\nshot = \"dawn\"\n", 1, "names no job"),
            (
                "[[entry]]\njob = \"a\"\nshots = \"dawn\"\n",
                3,
                "no key `shots`",
            ),
            ("[[entry]]\njob = \"a\"\nframes = \"1-\"\n", 3, ""),
            (
                "[[entry]]\njob = \"a\"\nset = \"jobs\"\n",
                3,
                "a text stands here",
            ),
            (
                "[[entry]]\njob = \"a\"\non = 1\n",
                3,
                "a number stands here",
            ),
            (
                "[[entry]]\njob = \"a\"\n[[entry]]\njob = \"./a/truepath.toml\"\n",
                4,
                "twice",
            ),
            ("entry = 3\n", 1, "a number stands here"),
            ("format = 2\n[[entry]]\njob = \"a\"\n", 1, "of format 2"),
            ("[[entries]]\njob = \"a\"\n", 1, "no key `entries`"),
        ] {
            let (sources, findings) = read_queue("queue.toml", text).unwrap_err();
            let finding = &findings[0];
            let (at, _) = sources.line_and_column(&finding.labels[0].place);
            assert_eq!(at, line, "{text}: {finding:?}");
            assert!(finding.sentence.contains(words), "{text}: {finding:?}");
        }
    }

    #[test]
    fn parts_of_one_job_are_no_mistake() {
        let text = "[[entry]]\njob = \"a\"\nshot = \"x\"\n[[entry]]\njob = \"a\"\nshot = \"y\"\n";
        assert_eq!(read_queue("q", text).unwrap().entries.len(), 2);
        assert!(is_queue(text) && !is_queue("scene = \"a.toml\"\n"));
    }
}
