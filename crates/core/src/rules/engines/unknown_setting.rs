//! A setting that the scene does not know.

use crate::finding::{Finding, Severity};
use crate::job::PlacedText;
use crate::rules::engines::unknown::Unknown;
use crate::rules::{Rule, Subject};

/// TP514 `unknown-setting`.
pub(super) const RULE: Rule = Rule {
    code: "TP514",
    name: "unknown-setting",
    severity: Severity::Error,
    what: "A setting is handed over that the scene does not know.",
    why: "The engine would stop, or render something else.",
    breaks: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
settings = { exposre = 1.0 }
"#,
    keeps: r#"scene = "answered.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
settings = { exposure = 1.0 }
"#,
    fix: "Fix the name.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let unknown = Unknown {
        kind: "setting",
        lost: "would be rendered as if nobody had set it",
        place_is_name: false,
    };
    unknown.findings(rule, subject, |one, facts| {
        let known = facts.settings.as_ref()?;
        let settings = &one.settings;
        let (name, value) = settings.iter().find(|(name, _)| !known.contains(name))?;
        let word = PlacedText {
            text: name.clone(),
            place: value.place.clone(),
        };
        Some((word, known))
    })
}
