//! A place that is not there.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::helpers::is_below;
use crate::rules::places::report;
use crate::rules::{Rule, Subject};

/// TP603 `place-missing`.
pub(super) const RULE: Rule = Rule {
    code: "TP603",
    name: "place-missing",
    severity: Severity::Warning,
    what: "A folder outside that of the job is not there.",
    why: "It may be a disk that is not mounted; the files would land on another one.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/missing"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    fix: "Mount it, or make the folder.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "this place is not there",
        wrong,
        |finding, files| {
            finding
                .so(format!(
                    "{files} would land in a new folder, perhaps on another disk"
                ))
                .advise("mount the disk, or make the folder")
        },
    )
}

/// What is wrong with the folder that the paths start from.
fn wrong(subject: &Subject<'_>, one: &Deliverable) -> Option<String> {
    let facts = subject.answers.folders.get(&*one.root)?;
    let outside = !is_below(&one.root, &subject.around.job_folder);
    (!facts.there && outside).then(|| one.root.to_string())
}
