//! Two places that are one folder.

use crate::finding::{Finding, Severity};
use crate::job::NamedPlace;
use crate::rules::{Rule, Subject};

/// TP605 `same-folder`.
pub(super) const RULE: Rule = Rule {
    code: "TP605",
    name: "same-folder",
    severity: Severity::Warning,
    what: "Two places lead to the same folder.",
    why: "The two places are the same folder: one may be deleted to make room, and the other is gone.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
archive = "/srv/renders/"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
archive = "/srv/archive"
"#,
    fix: "Give each a folder of its own, or use one place.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let system = subject.around.system;
    let mut known: Vec<(&str, &NamedPlace)> = Vec::new();
    let mut findings = Vec::new();
    for place in &subject.job.places {
        let Some(folder) = place.folder(system) else {
            continue;
        };
        let values = subject.expansion.deliverables.first();
        let named = values.and_then(|one| {
            let places = &one.common.project_values.places;
            places.iter().find(|(name, _)| *name == place.name)
        });
        let Some((_, path)) = named else { continue };
        let real = subject
            .answers
            .folders
            .get(path)
            .and_then(|facts| facts.real.as_ref());
        let real = real.unwrap_or(path);
        let twin = known.iter().find(|(other, _)| other == real);
        if let Some((_, twin)) = twin.filter(|_| place.name != "job") {
            let mut finding = rule
                .finding(format!(
                    "the places `{}` and `{}` are one folder",
                    twin.name, place.name
                ))
                .at(&folder.place, real.as_str());
            if let Some(other) = twin.folder(system) {
                finding = finding.at(&other.place, "");
            }
            findings.push(
                finding
                    .so("what is deleted in one is gone from the other")
                    .advise("give each a folder of its own, or use one place"),
            );
        }
        known.push((real, place));
    }
    findings
}
