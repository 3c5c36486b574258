//! A sequence that is scattered over runs, people or machines.

use crate::deliverable::{Deliverable, DeliverableKind};
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};

/// TP121 `scattered`.
pub(super) const RULE: Rule = Rule {
    code: "TP121",
    name: "scattered",
    severity: Severity::Warning,
    what: "The path of a sequence has a token of the clock, of a person or of a machine.",
    why: "A part that is rendered later or elsewhere lands under another name, and no place has all frames.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{date:%Y%m%d}/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/v001/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Use {version}, and keep dates for what is made in one go.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let token = scattering(one)?;
            Some((one.template.place.clone(), token))
        })
        .into_iter()
        .map(|(one, (_, token), _)| {
            rule.finding(format!("`{{{token}}}` scatters this sequence"))
                .at(&one.template.place, "")
                .so(format!(
                    "{} would lie in several places when a part is rendered later or elsewhere",
                    count(one.common.frames.files.value.count(), "frame", "frames")
                ))
                .advise("use `{version}`; the ledger knows who rendered a frame, where and when")
        })
        .collect()
}

fn scattering(one: &Deliverable) -> Option<String> {
    if one.kind != DeliverableKind::Sequence || one.common.frames.files.value.count() < 2 {
        return None;
    }
    let tokens = one.template.template.tokens();
    tokens
        .iter()
        .map(|(token, _)| &token.name)
        .find(|name| ["date", "user", "artist", "host"].contains(&name.as_str()))
        .cloned()
}
