//! A file name without an extension.

use crate::deliverable::ProblemKind;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP106 `no-extension`.
pub(super) const RULE: Rule = Rule {
    code: "TP106",
    name: "no-extension",
    severity: Severity::Error,
    what: "A file name has no extension, or one that no format has.",
    why: "Programs recognise the format by the extension; some add their own, and the file is not where it was expected.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}"
engine = "understudy"
format = "png"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.{ext}"
engine = "understudy"
format = "png"
"#,
    fix: "End the path with .{ext}.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let unknown = subject
        .problems()
        .filter(|problem| problem.kind == ProblemKind::NoFormat)
        .map(|problem| {
            rule.finding("this path does not give the format")
                .at(&problem.place, "")
                .advise("end it with an extension such as `.png` or `.exr`, or with `.{ext}` and set `format`")
        });
    let missing = subject
        .once(|one| {
            let end = one.pattern.end();
            let bare = end.rfind('.').is_none_or(|dot| dot + 1 == end.len());
            bare.then(|| one.template.place.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let frame = one.common.frames.files.value.first().unwrap_or(1);
            rule.finding("this file name has no extension")
                .at(&one.template.place, "")
                .so(format!(
                    "files would be called `{}`, and programs that go by the extension would not know them as {}",
                    one.pattern.split().1.path(frame),
                    one.picture.format.name
                ))
                .advise("end the path with `.{ext}`")
                .fix(
                    &one.template.place,
                    format!("{}.{{ext}}", subject.text(&one.template.place).trim_end_matches('.')),
                )
        });
    unknown.chain(missing).collect()
}
