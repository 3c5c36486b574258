//! Compression that the format does not have.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject, one_of};

/// TP303 `compression-of-format`.
pub(super) const RULE: Rule = Rule {
    code: "TP303",
    name: "compression-of-format",
    severity: Severity::Error,
    what: "The format does not know the compression that is asked for.",
    why: "The engine refuses it, or silently takes another.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.exr"
engine = "understudy"
compression = "lzw"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.exr"
engine = "understudy"
compression = "zip"
"#,
    fix: "Choose another format or other compression.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let asked = one.picture.compression.as_ref()?;
            let has = one
                .picture
                .format
                .compressions
                .contains(&asked.value.as_str());
            (!has).then(|| (asked.place.clone(), one.picture.format.name))
        })
        .into_iter()
        .filter_map(|(one, _, files)| Some((one, files, one.picture.compression.as_ref()?)))
        .map(|(one, files, asked)| {
            let format = one.picture.format;
            let mut finding = rule
                .finding(format!(
                    "{} has no `{}` compression",
                    format.name, asked.value
                ))
                .at(&asked.place, "");
            if let Some(place) = &one.picture.format_place {
                finding = finding.at(place, format!("the format is {}", format.name));
            }
            finding
                .so(format!(
                    "{} would be refused or compressed otherwise",
                    count(files, "file", "files")
                ))
                .advise(if format.compressions.is_empty() {
                    format!("{} leaves no choice: drop `compression`", format.name)
                } else {
                    format!("{} knows {}", format.name, one_of(format.compressions))
                })
        })
        .collect()
}
