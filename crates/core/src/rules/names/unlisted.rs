//! A variant or view that is declared and listed nowhere.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP113 `unlisted`.
pub(super) const RULE: Rule = Rule {
    code: "TP113",
    name: "unlisted",
    severity: Severity::Warning,
    what: "A variant or view is declared and listed nowhere.",
    why: "It is not made, and somebody may wait for it.",
    breaks: r#"[project]
engine = "understudy"
variants = ["day"]
[variant.day]
settings = { exposure = 1 }
[variant.night]
settings = { exposure = -2 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{variant}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
variants = ["day", "night"]
[variant.day]
settings = { exposure = 1 }
[variant.night]
settings = { exposure = -2 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{variant}.{frame:04}.png"
"#,
    fix: "List it in variants or views, or take the table out.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let job = subject.job;
    let mut findings = Vec::new();
    for (kind, key, tables) in [
        ("variant", Key::Variants, &job.variants),
        ("view", Key::Views, &job.views),
    ] {
        let listed = job.words(key);
        for table in tables {
            let inherited = tables.iter().any(|other| {
                let from = other.inherits.as_ref();
                from.is_some_and(|word| word.text == table.name)
            });
            if !listed.contains(&table.name.as_str()) && !inherited {
                findings.push(
                    rule.finding(format!("the {kind} `{}` is made nowhere", table.name))
                        .at(&table.name_place, "declared here and listed nowhere")
                        .advise(format!("list it: {kind}s = [\"{}\"]", table.name)),
                );
            }
        }
    }
    findings
}
