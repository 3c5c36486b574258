//! A disk without room for the files.

use std::collections::BTreeSet;

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count, grouped};
use crate::overview::{FilesDone, overview};
use crate::rules::{Rule, Subject};

/// TP611 `disk-space`.
pub(super) const RULE: Rule = Rule {
    code: "TP611",
    name: "disk-space",
    severity: Severity::Warning,
    what: "The files that are wanted need more room than the disk has.",
    why: "The run would stop when the disk is full.",
    breaks: r#"scene = "kiln.toml"
frames = "1-480000"
path = "{place.renders}/{shot}.{frame:06}.png"
size = "uhd"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    fix: "Make room, or use another disk.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    // By the same account as the overview's, taken once.
    let mut wanted: Vec<(&Deliverable, u64, u64)> = Vec::new();
    for line in overview(subject.expansion, &|_| FilesDone::default()) {
        let Some(bytes) = line.bytes else {
            continue;
        };
        let first = *line.deliverables.first();
        match wanted
            .iter_mut()
            .find(|(known, ..)| known.root == first.root)
        {
            Some((_, known, files)) => {
                *known += bytes;
                *files += line.files;
            }
            None => wanted.push((first, bytes, line.files)),
        }
    }
    wanted
        .into_iter()
        .filter_map(|(one, bytes, files)| {
            let bytes = bytes.saturating_add(prepared(subject, &one.root));
            let free = subject.answers.folders.get(&*one.root)?.free?;
            (bytes > free).then_some((one, bytes, files, free))
        })
        .map(|(one, bytes, files, free)| {
            let megabytes = |bytes: u64| grouped(bytes / 1_000_000);
            let text = format!("about {} MB wanted, {} MB free", megabytes(bytes), megabytes(free));
            rule.finding("this disk may have no room for the files")
                .at(&subject.place_of_root(one), text)
                .so(format!(
                    "a run would stop before all {} are there",
                    count(files, "file", "files")
                ))
                .advise("make room, or use another disk; `truepath overview` shows what each part needs")
        })
        .collect()
}

/// The bytes of what is made of scenes before their frames, taken to be as large as the scenes; it
/// usually lies on the disk of the files.
fn prepared(subject: &Subject<'_>, root: &str) -> u64 {
    let scenes: BTreeSet<&str> = subject
        .expansion
        .deliverables
        .iter()
        .filter(|one| one.common.engine.prepare.is_some() && &*one.root == root)
        .filter_map(|one| Some(one.common.scene.as_ref()?.path.as_str()))
        .collect();
    let bytes = |scene: &str| subject.answers.scenes.get(scene)?.bytes;
    scenes.into_iter().filter_map(bytes).sum()
}
