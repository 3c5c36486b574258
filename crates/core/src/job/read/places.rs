//! Reads `[place]`, `[token]` and `[size]`.

use super::JobReader;
use crate::finding::Finding;
use crate::job::{Job, NamedPlace};
use crate::nearest::advice;
use crate::picture::{NAMED_SIZES, Size};
use crate::source::{Level, Place, Sourced};
use crate::system::System;
use crate::toml_tree::{Entry, NodeKind};

impl JobReader<'_> {
    /// `[place]` and `[token]`, which both forms have. What is there already is stronger.
    pub(super) fn places_and_tokens(&mut self, entry: &Entry, job: &mut Job) {
        let is_place = entry.key == "place";
        let Some(inner) = self.inner(entry, if is_place { "[place]" } else { "[token]" }) else {
            return;
        };
        for one in inner {
            if is_place {
                if let Some(place) = self.place(one)
                    && !job.places.iter().any(|known| known.name == place.name)
                {
                    job.places.push(place);
                }
            } else if let Some(text) = self.single(one) {
                if crate::token::is_built_in(&one.key) {
                    self.built_in(one, "token");
                }
                self.component(&text.value, &text.place, &one.key);
                if !job.tokens.iter().any(|(known, _)| *known == one.key) {
                    job.tokens.push((one.key.clone(), text));
                }
            }
        }
    }

    /// `[size]`: names for sizes.
    pub(super) fn own_sizes(&mut self, entry: &Entry) {
        let NodeKind::Table(inner) = &entry.value.kind else {
            return; // `size = "hd"` of a short job file.
        };
        for one in inner {
            let text = one.value.scalar().unwrap_or_default();
            match text.parse::<Size>() {
                Ok(_) if NAMED_SIZES.iter().any(|(name, _)| *name == one.key) => {
                    self.built_in(one, "size");
                }
                Ok(size) if !self.sizes.iter().any(|(known, _)| *known == one.key) => {
                    self.sizes.push((one.key.clone(), size));
                }
                Ok(_) => {}
                Err(error) => self.findings.push(
                    Finding::error("TP004", error.to_string())
                        .at(&one.value.place, "")
                        .advise("it takes pixels such as `2048x2048`"),
                ),
            }
        }
    }

    fn built_in(&mut self, entry: &Entry, what: &str) {
        self.findings.push(
            Finding::error("TP004", format!("the {what} `{}` is built in", entry.key))
                .at(&entry.key_place, "")
                .advise("choose another name"),
        );
    }

    fn place(&mut self, entry: &Entry) -> Option<NamedPlace> {
        // Where the job file lies is known here, and can be translated for other systems.
        let allowed = entry.key == "job" && matches!(entry.value.kind, NodeKind::Table(_));
        if matches!(entry.key.as_str(), "job" | "scene") && !allowed {
            self.built_in(entry, "place");
            return None;
        }
        let mut folders = Vec::new();
        if let NodeKind::Table(systems) = &entry.value.kind {
            for system in systems {
                let Some(known) = System::from_name(&system.key) else {
                    self.findings.push(
                        Finding::error("TP002", format!("there is no system `{}`", system.key))
                            .at(&system.key_place, "")
                            .advise(advice(&system.key, &System::ALL.map(System::word))),
                    );
                    continue;
                };
                if let Some(folder) = self.single(system) {
                    folders.push((Some(known), folder));
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

    pub(super) fn single(&mut self, entry: &Entry) -> Option<Sourced<String>> {
        let value = &entry.value;
        let text = value.scalar().filter(|text| !text.is_empty());
        match text {
            Some(text) if text == "~" || text.starts_with("~/") => {
                self.findings.push(tilde(&text, &value.place));
                None
            }
            Some(text) if !text.chars().any(char::is_control) => Some(Sourced {
                value: text,
                level: Level::Project,
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
}

/// A home folder that no shell writes out here.
fn tilde(text: &str, place: &Place) -> Finding {
    Finding::error("TP004", format!("`{text}` is not written out here: a folder called `~` would be made"))
        .at(place, "")
        .advise("name the whole folder, such as /home/me/renders; or, since no other machine has yours, one that all machines see")
}
