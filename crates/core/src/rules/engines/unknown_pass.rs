//! A pass that the scene does not have.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::nearest::{advice, nearest};
use crate::rules::{Rule, Subject};

/// TP513 `unknown-pass`.
pub(super) const RULE: Rule = Rule {
    code: "TP513",
    name: "unknown-pass",
    weight: Weight::Error,
    what: "A pass is asked for that the scene does not have.",
    why: "The engine would stop, or render something else.",
    breaks: r#"scene = "told.toml"
frames = "1-48"
path = "renders/{shot}_{pass}.{frame:04}.png"
engine = "understudy"
passes = ["beauty", "shadw"]
"#,
    keeps: r#"scene = "told.toml"
frames = "1-48"
path = "renders/{shot}_{pass}.{frame:04}.png"
engine = "understudy"
passes = ["beauty", "shadow"]
"#,
    mend: "Mend the name.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let wrong = |one: &Deliverable| {
        if one.is_put_together() {
            return None;
        }
        let facts = subject.scene_facts(one)?;
        let known = facts.passes.as_ref()?;
        let words = one.planes.iter().filter_map(|plane| plane.pass.as_ref());
        let word = words.into_iter().find(|word| !known.contains(&word.text))?;
        Some((word.clone(), known))
    };
    subject
        .once(|one| wrong(one).map(|(word, _)| (word.text, word.place)))
        .into_iter()
        .filter_map(|(one, files)| {
            let (word, known) = wrong(one)?;
            let known: Vec<&str> = known.iter().map(String::as_str).collect();
            let mut finding = rule
                .finding(format!("the scene has no pass `{}`", word.text))
                .at(&word.place, "")
                .so(format!(
                    "{} would not be rendered",
                    count(files, "file", "files")
                ))
                .advise(advice(&word.text, &known));
            if let Some(near) = nearest(&word.text, known.iter().copied()) {
                finding = finding.mend(&word.place, near);
            }
            Some(finding)
        })
        .collect()
}
