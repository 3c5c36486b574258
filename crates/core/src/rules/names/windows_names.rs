//! A name that Windows refuses.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};
use crate::system::System;

/// TP117 `windows-names`.
pub(super) const RULE: Rule = Rule {
    code: "TP117",
    name: "windows-names",
    severity: Severity::Note,
    what: "A name has characters, a reserved word or an end that Windows does not take. Where the place has a folder on Windows, that is an error.",
    why: "Machines with Windows could not make the file, or would make it under another name.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}:{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Use letters, digits, dots, dashes and underscores.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| Some((one.template.place.clone(), refused(one)?)))
        .into_iter()
        .map(|(one, (_, (name, reason)), files)| {
            let severity = if subject.is_shared_with(one, System::Windows) {
                Severity::Error
            } else {
                rule.severity
            };
            Finding::new(
                rule.code,
                severity,
                format!("Windows refuses the name `{name}`"),
            )
            .at(&one.template.place, reason)
            .so(format!(
                "{} could not be made or copied there",
                count(files, "file", "files")
            ))
            .advise("use letters, digits, dots, dashes and underscores")
        })
        .collect()
}

/// The first name below the root that Windows does not take, and why. After "Naming files, paths,
/// and namespaces" of its documentation.
fn refused(one: &Deliverable) -> Option<(String, &'static str)> {
    let frame = one.common.frames.files.value.first()?;
    let path = one.path(frame);
    let below = path.strip_prefix(&*one.root)?;
    below
        .split('/')
        .find_map(|name| Some((name.to_owned(), reason(name)?)))
}

fn reason(name: &str) -> Option<&'static str> {
    if name.contains(['<', '>', ':', '"', '|', '?', '*', '\\']) {
        return Some("it has a character that stands for something else there");
    }
    if name.ends_with(['.', ' ']) {
        return Some("its last dot or space would be dropped");
    }
    let stem = name.split('.').next().unwrap_or(name).trim_end();
    let is = |word: &str| stem.eq_ignore_ascii_case(word);
    let numbered = |word: &str| match stem.split_at_checked(word.len()) {
        Some((start, number)) => {
            start.eq_ignore_ascii_case(word) && matches!(number.as_bytes(), [b'1'..=b'9'])
        }
        None => false,
    };
    let device = ["CON", "PRN", "AUX", "NUL"].into_iter().any(is);
    (device || numbered("COM") || numbered("LPT")).then_some("it is the name of a device")
}
