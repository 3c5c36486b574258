//! A file that other machines cannot see.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::helpers::is_below;
use crate::rules::{Rule, Subject};

/// TP516 `needed-file-local`.
pub(super) const RULE: Rule = Rule {
    code: "TP516",
    name: "needed-file-local",
    severity: Severity::Warning,
    what: "The scene needs a file that lies in the home folder or among temporary files.",
    why: "On another machine it is not there.",
    breaks: r#"scene = "answered-local.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Copy it beside the scene.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let machine = &subject.answers.machine;
    let local = |path: &String| {
        let folders = [machine.home.as_ref(), machine.temporary.as_ref()];
        let under = |folder: &&String| is_below(path, folder);
        // Beside a job that lies there itself it is where everything is.
        folders.into_iter().flatten().any(|folder| under(&folder))
            && !is_below(path, &subject.around.job_folder)
    };
    let found = |one: &Deliverable| {
        let scene = one.common.scene.as_ref()?;
        let needed = &subject.answers.scenes.get(&scene.path)?.needed;
        let file = needed.iter().find(|path| local(path))?;
        Some((scene.place.clone(), file.clone()))
    };
    subject
        .once(found)
        .into_iter()
        .map(|(_, (place, file), _)| {
            rule.finding("this scene needs a file that only this machine has")
                .at(&place, file)
                .so("on another machine it would be missing")
                .advise("copy it beside the scene, and let the scene name it there")
        })
        .collect()
}
