//! A place on a file system that knows no hard links.

use crate::deliverable::Deliverable;
use crate::finding::Severity;
use crate::rules::places::report;
use crate::rules::{Rule, Subject};

/// TP614 `no-hard-links`.
pub(super) const RULE: Rule = Rule {
    code: "TP614",
    name: "no-hard-links",
    severity: Severity::Note,
    what: "The files go to a FAT or exFAT disk, which knows no hard links, no symbolic links and no exchange of two names.",
    why: "Frames that are replaced stay in `set-aside`, and engines that need links cannot work there.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/media/exfat-card"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    fix: "Render to a disk of this system, and copy what is finished.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<crate::finding::Finding> {
    let sentence = "this disk knows no hard links";
    report(rule, subject, sentence, wrong, |finding, files| {
        finding
            .so(format!(
                "{files} are published by an empty file that takes their name; those that are replaced stay in `set-aside`"
            ))
            .advise("render to a disk of this system, and copy what is finished")
    })
}

/// What the file system of the folder is that the paths start from, where it is one of these.
fn wrong(subject: &Subject<'_>, one: &Deliverable) -> Option<String> {
    let facts = subject.answers.folders.get(&*one.root)?;
    facts.without_links.clone()
}
