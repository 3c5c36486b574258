//! A program of another version than the profile wants.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP510 `old-program`.
pub(super) const RULE: Rule = Rule {
    code: "TP510",
    name: "old-program",
    severity: Severity::Error,
    what: "The profile names the lowest version that it was written for, and the program is older.",
    why: "It may not know the arguments, or draw other pictures.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "aged"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "plain"
"#,
    fix: "Install a newer one, or use a profile for this one.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let old = |one: &Deliverable| {
        let engine = &one.common.engine;
        let (wants, has) = (
            engine.wants.as_ref()?,
            subject.answers.versions.get(&engine.name)?,
        );
        (numbers(has) < numbers(wants)).then(|| (engine.name.clone(), wants.clone(), has.clone()))
    };
    subject
        .once(old)
        .into_iter()
        .map(|(one, (engine, wants, has), files)| {
            let place = subject
                .place_of(one, Key::Engine)
                .unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!("{engine} is version {has} here"))
                .at(&place, format!("its profile is for {wants} and later"))
                .so(format!(
                    "{} may come out otherwise, or not at all",
                    count(files, "file", "files")
                ))
                .advise("install a newer one, or write a profile for this one in engines/")
        })
        .collect()
}

/// The numbers of a version, for comparing.
fn numbers(version: &str) -> Vec<u64> {
    version
        .split(|c: char| !c.is_ascii_digit())
        .filter_map(|part| part.parse().ok())
        .collect()
}
