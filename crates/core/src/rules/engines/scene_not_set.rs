//! A line that wants a scene, and a shot without one.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP529 `scene-not-set`.
pub(super) const RULE: Rule = Rule {
    code: "TP529",
    name: "scene-not-set",
    severity: Severity::Error,
    what: "A line has `{scene.file}`, and no scene is set.",
    why: "The argument is left out, and the program renders nothing, or something else.",
    breaks: r#"frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    fix: "Set `scene`, or put the argument into a group in brackets if it may be left out.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| wants_scene(one).then(|| one.common.names.shot.clone()))
        .into_iter()
        .map(|(one, shot, files)| {
            let engine = &one.common.engine;
            let place = engine.place.clone();
            let place = place.or_else(|| subject.place_of(one, Key::Engine));
            let place = place.unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!("`{shot}` has no scene, and this line wants one"))
                .at(&place, "`{scene.file}` is left out")
                .so(format!(
                    "{} could not be rendered from a scene",
                    count(files, "file", "files")
                ))
                .advise("set scene = \"…\" for it")
        })
        .collect()
}

/// Whether an argument that is no group needs the scene, and there is none.
fn wants_scene(one: &Deliverable) -> bool {
    let engine = &one.common.engine;
    let mut arguments = engine.arguments.iter();
    one.common.scene.is_none()
        && one.is_rendered()
        && arguments.any(|argument| {
            let is_scene = |name: &str| matches!(name, "scene.file" | "scene.folder");
            argument.when.is_empty()
                && matches!(&argument.put[..], [one] if one.tokens().iter().any(|(token, _)| is_scene(&token.name)))
        })
}
