//! An extension that belongs to another format.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject, one_of};

/// TP108 `extension-of-format`.
pub(super) const RULE: Rule = Rule {
    code: "TP108",
    name: "extension-of-format",
    severity: Severity::Error,
    what: "The extension is not one of the format.",
    why: "The file is not what its name says.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
format = "exr"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.exr"
engine = "understudy"
format = "exr"
"#,
    fix: "End the path with .{ext}, or change the format.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let extension = one.pattern.end().rsplit_once('.')?.1;
            let known = one.picture.format.extensions;
            let other = !known
                .iter()
                .any(|known| known.eq_ignore_ascii_case(extension));
            (other && !extension.is_empty())
                .then(|| (one.template.place.clone(), extension.to_owned()))
        })
        .into_iter()
        .map(|(one, ..)| {
            let format = one.picture.format;
            let text = subject.text(&one.template.place);
            let mut finding = rule
                .finding(format!("this extension is not one of {}", format.name))
                .at(&one.template.place, "");
            if let Some(place) = &one.picture.format_place {
                finding = finding.at(place, format!("the format is {}", format.name));
            }
            finding
                .so(format!(
                    "{} pictures would be called something else",
                    format.name
                ))
                .fix(
                    &one.template.place,
                    text.rsplit_once('.').map_or_else(
                        || format!("{text}.{{ext}}"),
                        |(stem, _)| format!("{stem}.{{ext}}"),
                    ),
                )
                .advise(format!(
                    "end the path with `.{{ext}}`, or with {}",
                    one_of(format.extensions)
                ))
        })
        .collect()
}
