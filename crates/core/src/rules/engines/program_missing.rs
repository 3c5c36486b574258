//! A program that is not here.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP503 `program-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP503",
    name: "program-missing",
    severity: Severity::Error,
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
    fix: "Install it, put it on the PATH, or name it with its folder.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let programs = &subject.answers.programs;
    let is_missing = |program: &str| matches!(programs.get(program), Some(None));
    let missing = |one: &Deliverable| -> Option<(String, &'static str)> {
        let engine = &one.common.engine;
        let proof = engine.proof.as_ref().map(|proof| &proof.program);
        let prepare = engine.prepare.as_ref();
        let prepare = prepare.and_then(|step| step.program.as_ref());
        let all = [
            (Some(&engine.program), "renders"),
            (prepare, "prepares the scene"),
            (proof.filter(|_| one.movie().is_some()), "proves the movie"),
        ];
        let mut missing = all
            .into_iter()
            .filter_map(|(program, what)| Some((program?, what)));
        let (program, what) = missing.find(|(program, _)| is_missing(program))?;
        Some((program.clone(), what))
    };
    subject
        .once(missing)
        .into_iter()
        .map(|(one, (program, what), files)| {
            let engine = &one.common.engine;
            // What is assembled has no scene of its own.
            let scene = one.common.scene.as_ref().filter(|_| one.is_rendered());
            let place = engine
                .place
                .as_ref()
                .or(scene.map(|scene| &scene.place))
                .unwrap_or(&one.template.place);
            let label = match what {
                "renders" if one.movie().is_some() => format!("encoded by {}", engine.name),
                "renders" => format!("rendered by {}", engine.name),
                what => format!("{} needs it: it {what}", engine.name),
            };
            let finding = rule
                .finding(format!("the program `{program}` is not on this machine"))
                .at(place, label)
                .so(format!(
                    "{} could not be made",
                    count(files, "file", "files")
                ));
            if program.contains('/') {
                finding.advise(format!(
                    "correct the path; a file that is there must be executable: chmod +x {program}"
                ))
            } else {
                finding.advise("install it, put its folder on the PATH, or name it with its folder")
            }
        })
        .collect()
}
