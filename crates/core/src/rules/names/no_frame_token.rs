//! A sequence whose path has no frame.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP101 `no-frame-token`.
pub(super) const RULE: Rule = Rule {
    code: "TP101",
    name: "no-frame-token",
    severity: Severity::Error,
    what: "A sequence is written to a path without a frame token.",
    why: "Every frame is written over the one before, and one picture is left.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Put {frame:04} into the file name.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let open = !one.pattern.has_frame() && one.common.frames.files.value.count() > 1;
            open.then(|| one.template.place.clone())
        })
        .into_iter()
        .map(|(one, _, files)| {
            let text = one.template.template.to_string();
            let other_notation = super::foreign_notation::fixed(&one.template.template);
            let fixed = match text.rfind('.') {
                _ if other_notation.is_some() => other_notation.unwrap_or_default(),
                Some(dot) => format!("{}.{{frame:04}}{}", &text[..dot], &text[dot..]),
                None => format!("{text}.{{frame:04}}"),
            };
            let frames = one.common.frames.files.value.count();
            rule.finding("this path has no `{frame}`")
                .at(&one.template.place, "the same for every frame")
                .at(
                    &one.common.frames.files.place,
                    count(frames, "frame", "frames"),
                )
                .so(format!(
                    "{} would be written over, and one is left of each sequence",
                    count(files - files / frames, "picture", "pictures")
                ))
                .advise(format!("write \"{fixed}\""))
                .fix(&one.template.place, fixed)
        })
        .collect()
}
