//! Output in a folder that this program keeps for other things.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP613 `own-folders`.
pub(super) const RULE: Rule = Rule {
    code: "TP613",
    name: "own-folders",
    severity: Severity::Error,
    what: "Files are written into a folder `set-aside` or `.truepath`.",
    why: "Runs move what is in the way into `set-aside`, and keep their records in `.truepath`; wanted files would lie among these.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/set-aside/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Give the folder another name.",
    check,
};

/// The names of the folders.
const FOLDERS: [&str; 2] = ["set-aside", ".truepath"];

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let inside = |one: &Deliverable| {
        let path = one.path(one.common.frames.files.value.first()?);
        let (folder, _) = path.strip_prefix(&*one.root)?.rsplit_once('/')?;
        let folder = folder.split('/').find(|name| FOLDERS.contains(name))?;
        Some((one.template.place.clone(), folder.to_owned()))
    };
    subject
        .once(inside)
        .into_iter()
        .map(|(_, (place, folder), files)| {
            rule.finding(format!("these files go into a folder `{folder}`"))
                .at(&place, "")
                .so(format!(
                    "{} would lie among what runs keep there",
                    count(files, "file", "files")
                ))
                .advise("give the folder another name")
        })
        .collect()
}
