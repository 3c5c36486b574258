//! A `run` line without `{target}`.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::Key;
use crate::rules::{Rule, Subject};
use crate::template::Template;

/// TP528 `target-not-passed`.
pub(super) const RULE: Rule = Rule {
    code: "TP528",
    name: "target-not-passed",
    severity: Severity::Warning,
    what: "A `run` line has no `{target}`.",
    why: "The program does not get the path of the file. A run finds only the files that it writes into its working folder.",
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
    fix: "Add `{target}` or `{target.folder}`, with the flag that the program has for its output.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let untold = |one: &Deliverable| {
        let engine = &one.common.engine;
        if !engine.is_run_line || engine.writes.is_some() || one.is_assembled() {
            return None;
        }
        let templates = engine.arguments.iter().flat_map(|argument| &argument.put);
        let tokens: Vec<&str> = templates
            .flat_map(Template::tokens)
            .map(|(token, _)| token.name.as_str())
            .collect();
        // `{target}` and its parts, such as `{target.folder}`.
        let is_told = tokens
            .iter()
            .any(|name| name.split('.').next() == Some("target"));
        (!is_told).then(|| tokens.contains(&"output"))
    };
    subject
        .once(untold)
        .into_iter()
        .map(|(one, has_output, files)| {
            let place = subject.place_of(one, Key::Run);
            let place = place.unwrap_or_else(|| one.template.place.clone());
            let finding = rule
                .finding("this `run` line has no `{target}`")
                .at(&place, "the program does not get the path of the file")
                .so(format!(
                    "a run finds {} only if the program writes into its working folder",
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
