//! A place where nothing can be written.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::rules::{Rule, Subject};

/// TP604 `place-not-writable`.
pub(super) const RULE: Rule = Rule {
    code: "TP604",
    name: "place-not-writable",
    weight: Weight::Error,
    what: "Nobody here may make files in the folder.",
    why: "No frame could be published.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/locked"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    mend: "Change its permissions, or use another place.",
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
                rule.finding("nothing can be written here")
                    .at(&place, text)
                    .so(format!(
                        "{} could not be published",
                        count(files, "file", "files")
                    ))
                    .advise("change its permissions, or use another place"),
            )
        })
        .collect()
}

/// What is wrong with the folder that the paths start from.
fn wrong(subject: &Subject<'_>, one: &Deliverable) -> Option<String> {
    let facts = subject.answers.folders.get(&*one.root)?;
    (!facts.writable).then(|| one.root.to_string())
}
