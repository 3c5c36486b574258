//! Bits that the format does not have.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject, one_of};

/// TP302 `bits-of-format`.
pub(super) const RULE: Rule = Rule {
    code: "TP302",
    name: "bits-of-format",
    severity: Severity::Error,
    what: "The format cannot hold the bits that are asked for.",
    why: "Writers round to what the format has, without a message, and the loss shows in the grade.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
bits = "half"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
bits = 16
"#,
    fix: "Choose another format or other bits.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let asked = one.picture.bits.as_ref()?;
            let has = one.picture.format.bits.contains(&asked.value);
            (!has).then(|| (asked.place.clone(), one.picture.format.name))
        })
        .into_iter()
        .filter_map(|(one, _, files)| Some((one, files, one.picture.bits.as_ref()?)))
        .map(|(one, files, asked)| {
            let format = one.picture.format;
            let mut finding = rule
                .finding(format!(
                    "{} cannot hold {}",
                    format.name,
                    format_args!("{} bits", asked.value)
                ))
                .at(&asked.place, "");
            if let Some(place) = &one.picture.format_place {
                finding = finding.at(place, format!("the format is {}", format.name));
            }
            finding
                .so(format!(
                    "{} would come with other bits than asked for",
                    count(files, "file", "files")
                ))
                .advise(format!("{} holds {}", format.name, one_of(format.bits)))
        })
        .collect()
}
