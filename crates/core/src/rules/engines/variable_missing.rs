//! A variable of the environment that the engine needs.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP511 `variable-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP511",
    name: "variable-missing",
    severity: Severity::Error,
    what: "The engine needs a variable that is set neither by the job nor on this machine.",
    why: "It would not start, or find no licence.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "needy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "needy"
env = { LAMP = "on" }
"#,
    fix: "Set it under env.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let missing = |one: &Deliverable| {
        let common = &one.common;
        let found = common.engine.needs.iter().find(|name| {
            let set = subject.answers.variables.get(*name) == Some(&false);
            set && common.processes.env.iter().all(|(known, _)| known != *name)
        })?;
        (!one.is_assembled()).then(|| (found.clone(), common.engine.name.clone()))
    };
    subject
        .once(missing)
        .into_iter()
        .map(|(one, (name, engine), files)| {
            let place = subject
                .place_of(one, Key::Engine)
                .unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!("{engine} needs the variable `{name}`"))
                .at(&place, "")
                .so(format!(
                    "{} could not be rendered",
                    count(files, "file", "files")
                ))
                .advise(format!(
                    "env = {{ {name} = \"…\" }}, or set it before True Path is started"
                ))
        })
        .collect()
}
