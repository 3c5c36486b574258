//! A disk without room for the files.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count, grouped};
use crate::overview::{Progress, overview};
use crate::rules::{Rule, Subject};

/// TP611 `disk-space`.
pub(super) const RULE: Rule = Rule {
    code: "TP611",
    name: "disk-space",
    weight: Weight::Warning,
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
    mend: "Make room, or use another disk.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| wrong(subject, one).map(|_| one.root.clone()))
        .into_iter()
        .filter_map(|(one, files)| {
            let text = wrong(subject, one)?;
            let place = subject.place_of_root(one);
            Some(
                rule.finding("this disk may have no room for the files")
                    .at(&place, text)
                    .so(format!("a run would stop before all {} are there", count(files, "file", "files")))
                    .advise("make room, or use another disk; `truepath overview` tells what each part needs"),
            )
        })
        .collect()
}

/// What is wrong with the folder that the paths start from.
fn wrong(subject: &Subject<'_>, one: &Deliverable) -> Option<String> {
    let free = subject.answers.folders.get(&*one.root)?.free?;
    let expansion = subject.expansion;
    let disk = |other: &Deliverable| other.root == one.root;
    // By the same account as the overview's.
    let needed: u64 = overview(expansion, &|_| Progress::default())
        .iter()
        .filter(|line| line.deliverables.first().is_some_and(|first| disk(first)))
        .filter_map(|line| line.bytes)
        .sum();
    (needed > free).then(|| {
        format!(
            "about {} MB wanted, {} MB free",
            grouped(needed / 1_000_000),
            grouped(free / 1_000_000)
        )
    })
}
