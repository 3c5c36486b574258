//! A file name with two extensions.

use crate::finding::{Finding, Severity};
use crate::picture::format_of_extension;
use crate::rules::{Rule, Subject};

/// TP107 `doubled-extension`.
pub(super) const RULE: Rule = Rule {
    code: "TP107",
    name: "doubled-extension",
    severity: Severity::Error,
    what: "A file name has two picture extensions.",
    why: "What the file is depends on who reads the name.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png.{ext}"
engine = "understudy"
format = "png"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.{ext}"
engine = "understudy"
format = "png"
"#,
    fix: "Keep one of them.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let mut parts = one.pattern.end().rsplit('.');
            let twice = parts
                .next()
                .is_some_and(|last| format_of_extension(last).is_some())
                && parts
                    .next()
                    .is_some_and(|before| format_of_extension(before).is_some());
            twice.then(|| one.template.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let frame = one.common.frames.files.value.first().unwrap_or(1);
            rule.finding("this file name has two extensions")
                .at(&one.template.place, "")
                .so(format!(
                    "files would be called `{}`",
                    one.pattern.split().1.path(frame)
                ))
                .advise("keep one of them")
        })
        .collect()
}
