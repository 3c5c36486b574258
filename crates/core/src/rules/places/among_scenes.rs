//! Output among the scenes.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP609 `among-scenes`.
pub(super) const RULE: Rule = Rule {
    code: "TP609",
    name: "among-scenes",
    severity: Severity::Note,
    what: "Files are written into the folder of the scene itself.",
    why: "Scenes and pictures are mixed, and a careless deletion takes both.",
    breaks: r#"[project]
engine = "understudy"
[place]
work = "."
[shot.dawn]
scene = "{place.work}/dawn.toml"
frames = "1-48"
[output.frames]
path = "{place.work}/{shot}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
[place]
work = "."
[shot.dawn]
scene = "{place.work}/dawn.toml"
frames = "1-48"
[output.frames]
path = "{place.work}/renders/{shot}.{frame:04}.png"
"#,
    fix: "Give the files a folder of their own.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let among = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        let path = one.path(one.common.frames.files.value.first()?);
        let (folder, _) = path.rsplit_once('/')?;
        (folder == scene.folder()).then(|| (one.template.place.clone(), folder.to_owned()))
    };
    subject
        .once(among)
        .into_iter()
        .map(|(_, (place, folder), files)| {
            rule.finding("these files go among the scenes")
                .at(&place, folder)
                .so(format!(
                    "{} would lie beside the scene",
                    count(files, "file", "files")
                ))
                .advise("give them a folder of their own, such as `renders/`")
        })
        .collect()
}
