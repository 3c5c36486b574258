//! A program that is not here.

use crate::finding::{Finding, Weight, count};
use crate::rules::{Rule, Subject};

/// TP503 `program-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP503",
    name: "program-missing",
    weight: Weight::Error,
    what: "The program of an engine is not on this machine.",
    why: "Nothing can be started.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["missing-render", "{frame}", "{target}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{frame}", "{target}"]
"#,
    mend: "Install it, put it on the PATH, or name it with its folder.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let programs = &subject.answers.programs;
    subject
        .once(|one| {
            let program = &one.common.engine.program;
            matches!(programs.get(program), Some(None)).then(|| program.clone())
        })
        .into_iter()
        .map(|(one, files)| {
            let engine = &one.common.engine;
            let place = engine
                .place
                .as_ref()
                .or(one.common.scene.as_ref().map(|scene| &scene.place))
                .unwrap_or(&one.template.place);
            rule.finding(format!(
                "the program `{}` is not on this machine",
                engine.program
            ))
            .at(place, format!("rendered by {}", engine.name))
            .so(format!(
                "{} could not be rendered",
                count(files, "file", "files")
            ))
            .advise("install it, put its folder on the PATH, or name it with its folder")
        })
        .collect()
}
