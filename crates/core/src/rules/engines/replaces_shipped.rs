//! A profile of the project that takes the place of one that ships.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP527 `replaces-shipped`.
pub(super) const RULE: Rule = Rule {
    code: "TP527",
    name: "replaces-shipped",
    severity: Severity::Note,
    what: "A profile in `engines/` has the name of a profile that ships, and is used in place of it.",
    why: "In a folder of somebody else, another program may be started than the name says.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "python"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "plain"
"#,
    fix: "Read the profile with `truepath engines NAME`, and give it a name of its own.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let replaced = |one: &Deliverable| {
        let engine = &one.common.engine;
        let program = (engine.name.clone(), engine.program.clone());
        engine.replaces_shipped.then_some(program)
    };
    subject
        .once(replaced)
        .into_iter()
        .map(|(one, (engine, program), files)| {
            let place = subject
                .place_of(one, Key::Engine)
                .unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!(
                "the profile {engine} of this project is used in place of the one that ships"
            ))
            .at(&place, format!("starts `{program}`"))
            .so(format!("it makes {}", count(files, "file", "files")))
            .advise(format!(
                "read it with `truepath engines {engine}`, and give it a name of its own"
            ))
        })
        .collect()
}
