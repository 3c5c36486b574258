//! A quality for a file that loses nothing.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};

/// TP315 `quality-of-nothing`.
pub(super) const RULE: Rule = Rule {
    code: "TP315",
    name: "quality-of-nothing",
    severity: Severity::Warning,
    what: "A quality is set, and neither the format nor its compression throws anything away.",
    why: "It does nothing; something else was likely meant.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "--quality", "{quality}", "--frame", "{frame}", "{target}"]
quality = 90
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.jpg"
run = ["myrender", "{scene.file}", "--quality", "{quality}", "--frame", "{frame}", "{target}"]
quality = 90
"#,
    fix: "Leave it out, or use a lossy format.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let quality = one.picture.quality.as_ref()?;
            let format = one.picture.format;
            let compression = one
                .picture
                .compression
                .as_ref()
                .map(|one| one.value.as_str());
            let heard = format.quality && format.is_lossy(compression);
            (!heard && one.movie().is_none()).then(|| (quality.place.clone(), format.name))
        })
        .into_iter()
        .filter_map(|(one, ..)| {
            let format = one.picture.format.name;
            Some(
                rule.finding(format!("{format} loses nothing, and takes no quality"))
                    .at(&one.picture.quality.as_ref()?.place, "")
                    .advise("leave it out, or use a format that has one"),
            )
        })
        .collect()
}
