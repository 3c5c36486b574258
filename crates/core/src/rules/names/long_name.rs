//! A name that no file system takes.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP118 `long-name`.
pub(super) const RULE: Rule = Rule {
    code: "TP118",
    name: "long-name",
    severity: Severity::Error,
    what: "A folder or file has a name of more than 255 bytes.",
    why: "The file could not be made.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/a-very-long-name-that-goes-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on_a-very-long-name-that-goes-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on_a-very-long-name-that-goes-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on-and-on_{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Shorten it, or make folders of its parts.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| Some((one.template.place.clone(), longest(one)?)))
        .into_iter()
        .map(|(one, (_, bytes), files)| {
            rule.finding(format!("a name has {bytes} bytes"))
                .at(&one.template.place, format!("file systems take {MOST}"))
                .so(format!(
                    "{} could not be made",
                    count(files, "file", "files")
                ))
                .advise("shorten it, or make folders of its parts")
        })
        .collect()
}

/// The most bytes of a name, on the file systems in use.
const MOST: usize = 255;

/// The bytes of the longest name, if they are too many.
fn longest(one: &Deliverable) -> Option<usize> {
    let path = one.path(one.common.frames.files.value.last()?);
    let longest = path.split('/').map(str::len).max()?;
    (longest > MOST).then_some(longest)
}
