//! Deliverables of different templates or names that come to one path.

use super::left_out_token::left_out;
use crate::finding::{Finding, Weight, count};
use crate::rules::{Rule, Subject};

/// TP102 `same-path`.
pub(super) const RULE: Rule = Rule {
    code: "TP102",
    name: "same-path",
    weight: Weight::Error,
    what: "Two deliverables come to the same path.",
    why: "One overwrites the other, in silence.",
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
    mend: "Tell the paths apart by a token or a word.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    subject
        .collisions
        .iter()
        .filter(|collision| left_out(collision, all).is_empty())
        .map(|collision| {
            let one = &all[collision.members[0]];
            let other = collision
                .members
                .iter()
                .map(|&member| &all[member])
                .find(|other| other.template.place != one.template.place)
                .unwrap_or(&all[collision.members[1]]);
            let mut finding = rule
                .finding(format!(
                    "{} come to the same path",
                    count(
                        collision.members.len() as u64,
                        "deliverable",
                        "deliverables"
                    )
                ))
                .at(
                    &other.template.place,
                    format!("{} writes it too", other.label()),
                );
            if other.template.place != one.template.place {
                finding = finding.at(&one.template.place, format!("{} writes it", one.label()));
            }
            finding
                .so(format!(
                    "{} would be written over, such as {}",
                    count(collision.lost, "file", "files"),
                    collision.example
                ))
                .advise("tell the paths apart by a token such as `{output}`, or by a word")
        })
        .collect()
}
