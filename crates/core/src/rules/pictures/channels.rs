//! Channels that the format does not have.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject, one_of};

/// TP301 `channels-of-format`.
pub(super) const RULE: Rule = Rule {
    code: "TP301",
    name: "channels-of-format",
    severity: Severity::Error,
    what: "The format cannot hold the channels that are asked for.",
    why: "Writers drop what the format does not have, without a message: the alpha is gone when the compositor asks for it.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.jpg"
engine = "understudy"
channels = "rgba"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
channels = "rgba"
"#,
    fix: "Choose another format or other channels.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let asked = one.picture.channels.as_ref()?;
            let has = one.picture.format.channels.contains(&asked.value);
            (!has).then(|| (asked.place.clone(), one.picture.format.name))
        })
        .into_iter()
        .filter_map(|(one, _, files)| Some((one, files, one.picture.channels.as_ref()?)))
        .map(|(one, files, asked)| {
            let format = one.picture.format;
            let mut finding = rule
                .finding(format!("{} cannot hold {}", format.name, asked.value))
                .at(&asked.place, "");
            if let Some(place) = &one.picture.format_place {
                finding = finding.at(place, format!("the format is {}", format.name));
            }
            finding
                .so(format!(
                    "{} would come without what was asked for",
                    count(files, "file", "files")
                ))
                .advise(format!("{} holds {}", format.name, one_of(format.channels)))
        })
        .collect()
}
