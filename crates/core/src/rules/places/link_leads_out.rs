//! A link that leads out of its place.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::question::first_folder;
use crate::rules::helpers::is_below;
use crate::rules::{Rule, Subject};

/// TP606 `link-leads-out`.
pub(super) const RULE: Rule = Rule {
    code: "TP606",
    name: "link-leads-out",
    severity: Severity::Error,
    what: "A folder below the place is a symbolic link to somewhere else.",
    why: "Files would land outside the place; `run` refuses that.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/linked/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/frames/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    fix: "Make it a folder, or make a place of what it leads to.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let astray = |one: &Deliverable| {
        let first = first_folder(&one.root, &one.pattern)?;
        let real = subject.answers.real.get(first)?.as_ref()?;
        let root = subject.answers.folders.get(&*one.root)?.real.as_ref()?;
        (!is_below(real, root)).then(|| (first.to_owned(), real.clone()))
    };
    subject
        .once(|one| Some((astray(one)?, one.template.place.clone())))
        .into_iter()
        .map(|(one, ((link, real), _), files)| {
            rule.finding("a link leads out of this place")
                .at(&one.template.place, format!("{link} is {real}"))
                .so(format!(
                    "{} would land elsewhere; `run` refuses that",
                    count(files, "file", "files")
                ))
                .advise("make it a folder, or make a place of what it leads to")
        })
        .collect()
}
