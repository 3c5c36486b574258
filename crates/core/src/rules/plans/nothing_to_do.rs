//! Nothing to do.

use crate::finding::{Finding, Severity};
use crate::job::{Key, Value};
use crate::rules::{Rule, Subject};

/// TP701 `nothing-to-do`.
pub(super) const RULE: Rule = Rule {
    code: "TP701",
    name: "nothing-to-do",
    severity: Severity::Warning,
    what: "Nothing is made: all is switched off, or no part fits what was chosen.",
    why: "A run would end at once.",
    breaks: r#"[project]
engine = "understudy"
enabled = false
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
"#,
    fix: "Switch something on.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let expansion = subject.expansion;
    if !expansion.deliverables.is_empty() || !expansion.problems.is_empty() {
        return Vec::new();
    }
    let job = subject.job;
    let tables = std::iter::once(&job.project).chain(
        [
            &job.outputs,
            &job.shots,
            &job.variants,
            &job.views,
            &job.presets,
        ]
        .into_iter()
        .flatten()
        .map(|table| &table.table),
    );
    let mut off = tables
        .filter_map(|table| table.get(Key::Enabled))
        .filter(|setting| setting.value.value == Value::Truth(false));
    let place = off.next().map(|setting| &setting.value.place);
    let place = place.or(job.shots.first().map(|shot| &shot.name_place));
    place
        .map(|place| {
            rule.finding("there is nothing to do")
                .at(place, "")
                .advise("switch something on, or choose another part")
        })
        .into_iter()
        .collect()
}
