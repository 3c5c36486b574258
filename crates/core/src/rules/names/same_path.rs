//! Deliverables of different templates or names that expand to one path.

use super::clash::{Clash, clashes};
use super::left_out_token::left_out;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP102 `same-path`.
pub(super) const RULE: Rule = Rule {
    code: "TP102",
    name: "same-path",
    severity: Severity::Error,
    what: "Two deliverables expand to the same path.",
    why: "One silently overwrites the other.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.small]
path = "renders/{shot}.{frame:04}.png"
size = "64x64"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.small]
path = "renders/{shot}_small.{frame:04}.png"
size = "64x64"
"#,
    fix: "Tell the paths apart by a token or a word.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    let collisions = subject.collisions.iter();
    let unexplained = collisions.filter(|collision| left_out(collision, all).is_empty());
    let other_template =
        |one: &Deliverable, other: &Deliverable| one.template.place != other.template.place;
    let finding_of = |clash: &Clash<'_>| {
        let members = count(clash.members as u64, "deliverable", "deliverables");
        let sentence = match clash.names {
            1 => format!("{members} expand to the same path"),
            names => format!("{members} expand to {names} common paths"),
        };
        let mut finding = rule.finding(sentence).at(
            &clash.other.template.place,
            format!("{} writes it too", clash.other.label()),
        );
        if other_template(clash.one, clash.other) {
            finding = finding.at(
                &clash.one.template.place,
                format!("{} writes it", clash.one.label()),
            );
        }
        finding
            .so(format!(
                "{} would be written over, such as {}",
                count(clash.lost, "file", "files"),
                clash.example
            ))
            .advise("make the paths differ by a token such as `{output}`, or by a word")
    };
    let found = clashes(unexplained, all, other_template);
    found.iter().map(finding_of).collect()
}
