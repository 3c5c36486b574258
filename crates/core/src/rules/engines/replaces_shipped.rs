//! A profile of the project with the same name as a shipped one.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP527 `replaces-shipped`.
pub(super) const RULE: Rule = Rule {
    code: "TP527",
    name: "replaces-shipped",
    severity: Severity::Note,
    what: "A profile in `engines/` has the same name as a shipped profile. The job uses the one in `engines/`.",
    why: "In the folder of another person, this profile may start another program than its name suggests.",
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
                "the job uses the profile {engine} of this project, not the shipped one"
            ))
            .at(&place, format!("starts `{program}`"))
            .so(format!("it makes {}", count(files, "file", "files")))
            .advise(format!(
                "read it with `truepath engines {engine}`, and give it a name of its own"
            ))
        })
        .collect()
}
