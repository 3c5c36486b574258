//! A `run` line that is not told where to write.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP528 `target-not-passed`.
pub(super) const RULE: Rule = Rule {
    code: "TP528",
    name: "target-not-passed",
    severity: Severity::Warning,
    what: "A `run` line has no `{target}`.",
    why: "The program is not told where to write. Only what it writes into the folder that it works in is found.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "--input", "{scene.file}", "--frame", "{frame}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "--input", "{scene.file}", "--frame", "{frame}", "--to", "{target}"]
"#,
    fix: "Add the argument that says where to write, with `{target}` or `{target.folder}`.",
    check,
};

/// What says where to write.
const TARGETS: [&str; 7] = [
    "target",
    "target.folder",
    "target.name",
    "target.stem",
    "target.extension",
    "target.printf",
    "target.hashes",
];

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let untold = |one: &Deliverable| {
        let engine = &one.common.engine;
        if !engine.is_run_line || engine.writes.is_some() || one.is_assembled() {
            return None;
        }
        let has = |name: &str| {
            let mut templates = engine.arguments.iter().flat_map(|one| &one.put);
            templates.any(|template| template.has(name))
        };
        let is_told = TARGETS.iter().any(|target| has(target));
        (!is_told).then(|| has("output"))
    };
    subject
        .once(untold)
        .into_iter()
        .map(|(one, has_output, files)| {
            let place = subject.place_of(one, Key::Run);
            let place = place.unwrap_or_else(|| one.template.place.clone());
            let finding = rule
                .finding("this line is not told where to write")
                .at(&place, "no `{target}` in it")
                .so(format!(
                    "{} are found only if the program writes them into the folder that it works in",
                    count(files, "file", "files")
                ))
                .advise("add `{target}` with the flag that the program has for its output");
            if has_output {
                finding.advise("`{output}` is the name of the output in the job, not the file")
            } else {
                finding
            }
        })
        .collect()
}
