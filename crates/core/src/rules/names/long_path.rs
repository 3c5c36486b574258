//! A path that is too long for Windows.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};
use crate::system::System;

/// TP119 `long-path`.
pub(super) const RULE: Rule = Rule {
    code: "TP119",
    name: "long-path",
    severity: Severity::Warning,
    what: "A path has more than 259 characters, and its place has a folder on Windows.",
    why: "Most programs on Windows could not open the file.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/a-folder-with-a-long-name-in-a-folder-with-a-long-name/a-folder-with-a-long-name-in-a-folder-with-a-long-name/a-folder-with-a-long-name-in-a-folder-with-a-long-name/a-folder-with-a-long-name-in-a-folder-with-a-long-name/a-folder-with-a-long-name-in-a-folder-with-a-long-name/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = { linux = "/srv/renders", windows = 'R:\renders' }
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = { linux = "/srv/renders", windows = 'R:\renders' }
"#,
    fix: "Shorten the names of folders.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let length = |one: &Deliverable| {
        let path = one.path(one.common.frames.files.value.last()?);
        let below = path.strip_prefix(&*one.root)?;
        // As it is there: the place's folder on Windows, and what is below.
        let there = subject.folder_on(one, System::Windows)?;
        let length = there.chars().count() + below.chars().count();
        (length > MOST).then_some(length)
    };
    subject
        .once(|one| Some((one.template.place.clone(), length(one)?)))
        .into_iter()
        .map(|(one, (_, length), files)| {
            rule.finding(format!("this path has {length} characters on Windows"))
                .at(&one.template.place, "")
                .so(format!(
                    "most programs there could not open {}",
                    count(files, "file", "files")
                ))
                .advise(format!(
                    "shorten names; programs there take {MOST} characters"
                ))
        })
        .collect()
}

/// MAX_PATH of Windows is 260, with the zero at its end.
const MOST: usize = 259;
