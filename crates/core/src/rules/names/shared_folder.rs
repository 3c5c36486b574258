//! A folder with the files of another job.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP123 `shared-folder`.
pub(super) const RULE: Rule = Rule {
    code: "TP123",
    name: "shared-folder",
    severity: Severity::Note,
    what: "The folder of a sequence holds other sequences of the same kind that no part of this job wants.",
    why: "Nobody can see at a glance what belongs to what.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "shared/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Give each job, or each version, a folder of its own.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once_by(|one| {
            let others = &subject.existing(one)?.others;
            others.first()?;
            Some((&one.template.place, others))
        })
        .into_iter()
        .filter_map(|(one, others, _)| {
            Some(
                rule.finding("this folder holds files of another job")
                    .at(&one.template.place, format!("such as {}", others.first()?))
                    .so(format!(
                        "{} would lie among those of {}",
                        count(others.len() as u64, "such file", "such files"),
                        one.label()
                    ))
                    .advise("give each job, or each version, a folder of its own"),
            )
        })
        .collect()
}
