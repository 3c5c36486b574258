//! An engine that writes where its scene says, and that is where the true names are.

use std::collections::HashMap;

use crate::at_least_one::AtLeastOne;
use crate::command::Invocation;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP521 `writes-true-names`.
pub(super) const RULE: Rule = Rule {
    code: "TP521",
    name: "writes-true-names",
    severity: Severity::Error,
    what: "The engine writes where its scene says, and those are the true names of the job.",
    why: "Whoever looks finds half a file under a true name while it is being written.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "own/{scene}.{frame:04}.png"
engine = "wayward"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{scene}.{frame:04}.png"
engine = "wayward"
"#,
    fix: "Let the path lead to another folder.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    if all.iter().all(|one| one.common.engine.writes.is_none()) {
        return Vec::new();
    }
    let mut paths: HashMap<String, Vec<String>> = HashMap::new();
    for one in all {
        if let Some(frame) = one.common.frames.files.value.first() {
            let path = one.path(frame);
            let folder = path.rsplit_once('/').map_or("", |(folder, _)| folder);
            paths.entry(folder.to_owned()).or_default().push(path);
        }
    }
    let hit = |one: &Deliverable| {
        let first = one.common.frames.files.value.first()?;
        let (members, frames) = (AtLeastOne::one(one), FrameSet::from_frames([first]));
        let invocation = Invocation::planned(&one.common.engine, &members, &frames);
        let writes = invocation.writes().ok()??;
        let there = paths.get(&writes.split().0.path(first))?;
        there
            .iter()
            .find(|path| writes.read(path).is_some())
            .cloned()
    };
    subject
        .once_by(|one| Some((&one.template.place, hit(one)?)))
        .into_iter()
        .map(|(one, hit, files)| {
            let engine = &one.common.engine.name;
            rule.finding(format!("{engine} itself writes to these names"))
                    .at(&one.template.place, format!("such as {hit}"))
                    .so(format!(
                        "{} would be seen half-written, and would be out of the way while others are rendered",
                        count(files, "file", "files")
                    ))
                    .advise("let the path lead to another folder: finished files are brought there")
        })
        .collect()
}
