//! The files that a job builds on.

use super::JobReader;
use crate::finding::Finding;
use crate::job::PlacedText;
use crate::source::SourceKind;
use crate::toml_tree::{self, Entry, NodeKind};

impl JobReader<'_> {
    /// Adds the files that a job builds on, the strongest first: the last that is named wins over
    /// those before it, and each wins over what it builds on itself.
    pub(super) fn bases(&mut self, files: &mut Vec<Vec<Entry>>, name: &str) {
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
                let (entries, findings) = toml_tree::parse(&text, source);
                // Of a file that is no TOML nothing is shown: it may be anything.
                let is_toml = findings.is_empty();
                self.findings.extend(findings.into_iter().map(|finding| {
                    let place = finding.labels.first().map(|label| label.place.clone());
                    let line = place.map_or(1, |place| self.sources.line_and_column(&place).0);
                    Finding::error(finding.code, format!("line {line} of `{path}` is not TOML"))
                        .at(&base.place, "built on here")
                        .advise("correct that file, or name another one in `base`")
                }));
                if !is_toml {
                    continue;
                }
                let folder = path.rfind('/').map_or("", |at| &path[..=at]);
                files.insert(behind, entries);
                folders.insert(behind, folder.to_owned());
                behind += 1;
                known.push(path);
            }
            next += 1;
        }
    }

    fn named_bases(&mut self, entries: &mut Vec<Entry>) -> Vec<PlacedText> {
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
                NodeKind::Text(text) => words.push(PlacedText {
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
}
