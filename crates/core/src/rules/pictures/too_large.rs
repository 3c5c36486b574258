//! A picture that is larger than its format.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP310 `too-large`.
pub(super) const RULE: Rule = Rule {
    code: "TP310",
    name: "too-large",
    severity: Severity::Error,
    what: "A side has more pixels than the format can count.",
    why: "No file could be written.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.webp"
engine = "plain"
size = "20000x1000"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.webp"
engine = "plain"
size = "10000x5000"
"#,
    fix: "Use a smaller size, or another format.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let size = one.picture.size.as_ref()?;
            let large = size.value.width.max(size.value.height) > one.picture.format.longest_side;
            large.then(|| (size.place.clone(), one.picture.format.name))
        })
        .into_iter()
        .filter_map(|(one, _, files)| {
            let format = one.picture.format;
            let size = one.picture.size.as_ref()?;
            Some(
                rule.finding(format!("{} has no room for {}", format.name, size.value))
                    .at(
                        &size.place,
                        format!("it takes {} pixels a side", format.longest_side),
                    )
                    .so(format!(
                        "{} could not be written",
                        count(files, "file", "files")
                    ))
                    .advise("use a smaller size, or another format"),
            )
        })
        .collect()
}
