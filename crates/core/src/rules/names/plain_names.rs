//! A name with spaces or letters beyond ASCII.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};
use crate::template::Part;

/// TP120 `plain-names`.
pub(super) const RULE: Rule = Rule {
    code: "TP120",
    name: "plain-names",
    severity: Severity::Note,
    what: "A name has a space, or a letter that is not ASCII.",
    why: "Some programs split names at spaces, or write other letters in another way.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot} final.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_final.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Use an underscore, and plain letters.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| odd(one).map(|c| (one.template.place.clone(), c)))
        .into_iter()
        .map(|(one, (_, odd), files)| {
            let what = match odd {
                ' ' => "a space".to_owned(),
                other => format!("`{other}`, which is not ASCII"),
            };
            rule.finding(format!("a name has {what}"))
                .at(&one.template.place, "")
                .so(format!(
                    "some programs would not find {}",
                    count(files, "file", "files")
                ))
                .advise(advice(one))
        })
        .collect()
}

/// The first odd character below the root.
fn odd(one: &Deliverable) -> Option<char> {
    let path = one.path(one.common.frames.files.value.first()?);
    let below = path.strip_prefix(&*one.root)?;
    below.chars().find(|c| *c == ' ' || !c.is_ascii())
}

/// What to change: a literal text in the path itself, or how a value is written.
fn advice(one: &Deliverable) -> &'static str {
    let is_odd = |part: &Part| match part {
        Part::Text(text) => text.contains(' ') || !text.is_ascii(),
        Part::Token(_) | Part::Optional(_) => false,
    };
    if one.template.template.parts().iter().any(is_odd) {
        "write the path itself with letters, digits, `.`, `-` and `_`"
    } else {
        "the format `slug` makes plain names: `{shot:slug}`"
    }
}
