//! A person's or machine's configuration: who is at work, and where places are on this machine.

use crate::deliverable::Person;
use crate::finding::Finding;
use crate::job::{Job, NamedPlace};
use crate::nearest::advice;
use crate::source::{Level, SourceKind, Sourced, Sources};
use crate::system::System;
use crate::template::refuse_component;
use crate::toml_tree::{Entry, NodeKind, parse};

/// What a configuration says.
#[derive(Debug, Clone, Default)]
pub struct Configuration {
    /// Who is at work, as far as it says.
    pub person: Person,
    /// Where places are on this machine.
    pub places: Vec<NamedPlace>,
}

impl Configuration {
    /// Lets its places win over those of a job; places that the job does not name are not added.
    pub fn apply(&self, job: &mut Job) {
        for place in &mut job.places {
            if let Some(own) = self.places.iter().find(|own| own.name == place.name) {
                place.folders.splice(0..0, own.folders.iter().cloned());
            }
        }
    }
}

/// Reads a configuration. `name` is how its file is called in messages; `here` is the system of
/// this machine, which a folder is for that names no other.
///
/// # Errors
/// Every mistake in it.
pub fn read_configuration(
    name: &str,
    text: &str,
    here: System,
    sources: &mut Sources,
) -> Result<Configuration, Vec<Finding>> {
    let source = sources.add(name, text, SourceKind::File);
    let (entries, mut findings) = parse(text, source);
    let mut configuration = Configuration::default();
    for entry in &entries {
        let person = &mut configuration.person;
        match (entry.key.as_str(), &entry.value.kind) {
            ("place", NodeKind::Table(inner)) => {
                for one in inner {
                    configuration.places.push(NamedPlace {
                        name: one.key.clone(),
                        name_place: one.key_place.clone(),
                        folders: folders_of(one, here, &mut findings),
                    });
                }
            }
            ("artist", _) => person.artist = word_of(entry, &mut findings),
            ("user", _) => person.user = word_of(entry, &mut findings),
            ("host", _) => person.host = word_of(entry, &mut findings),
            (other, _) => findings.push(
                Finding::error("TP002", format!("a configuration has no key `{other}`"))
                    .at(&entry.key_place, "")
                    .advise(advice(other, &["artist", "user", "host", "place"])),
            ),
        }
    }
    if findings.is_empty() {
        Ok(configuration)
    } else {
        Err(findings)
    }
}

/// A folder on this machine, or a table of folders by system.
fn folders_of(
    entry: &Entry,
    here: System,
    findings: &mut Vec<Finding>,
) -> Vec<(Option<System>, Sourced<String>)> {
    let NodeKind::Table(systems) = &entry.value.kind else {
        let folder = text_of(entry, findings);
        return folder
            .map(|folder| (Some(here), folder))
            .into_iter()
            .collect();
    };
    let mut folders = Vec::new();
    for one in systems {
        match System::from_name(&one.key) {
            Some(system) => {
                folders.extend(text_of(one, findings).map(|folder| (Some(system), folder)));
            }
            None => findings.push(
                Finding::error("TP002", format!("there is no system `{}`", one.key))
                    .at(&one.key_place, "")
                    .advise(advice(&one.key, &System::ALL.map(System::word))),
            ),
        }
    }
    folders
}

fn text_of(entry: &Entry, findings: &mut Vec<Finding>) -> Option<Sourced<String>> {
    match &entry.value.kind {
        NodeKind::Text(text) if !text.is_empty() && !text.chars().any(char::is_control) => {
            Some(Sourced {
                value: text.clone(),
                level: Level::Configuration,
                place: entry.value.place.clone(),
            })
        }
        _ => {
            findings.push(
                Finding::error("TP003", format!("`{}` takes a text", entry.key))
                    .at(&entry.value.place, ""),
            );
            None
        }
    }
}

/// A text that can be part of a file name.
fn word_of(entry: &Entry, findings: &mut Vec<Finding>) -> Option<String> {
    let text = text_of(entry, findings)?.value;
    if let Some(reason) = refuse_component(&text) {
        findings.push(
            Finding::error(
                "TP004",
                format!("`{}` is {text:?}, which {reason}", entry.key),
            )
            .at(&entry.value.place, ""),
        );
        return None;
    }
    Some(text)
}
