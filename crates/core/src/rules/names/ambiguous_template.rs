//! A template whose names can be read in two ways.

use std::sync::Arc;

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject, one_of};
use crate::template::{Candidates, TokenValue, Values, expand, readings};

/// TP115 `ambiguous-template`.
pub(super) const RULE: Rule = Rule {
    code: "TP115",
    name: "ambiguous-template",
    severity: Severity::Warning,
    what: "A name of this template can be read in two ways with the job's own values.",
    why: "Nobody can see afterwards which values a file was made for.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
cameras = ["c", "a_c"]
[shot.dawn_a]
scene = "dawn.toml"
frames = "1-48"
cameras = ["b"]
[output.frames]
path = "renders/{scene}/{shot}_{camera}_.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
cameras = ["c", "a_c"]
[shot.dawn_a]
scene = "dawn.toml"
frames = "1-48"
cameras = ["b"]
[output.frames]
path = "renders/{shot}/{shot}-{camera}.{frame:04}.png"
"#,
    fix: "Separate the tokens with a character that no value contains.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    subject
        .once(|one| Some(one.template.place.clone()))
        .into_iter()
        .filter_map(|(one, ..)| {
            let of_template: Vec<&Deliverable> = all
                .iter()
                .filter(|other| other.template.place == one.template.place)
                .collect();
            let (path, several) = ambiguous(one, &of_template)?;
            let reading = |values: &Values| {
                let words: Vec<String> = differing(&several, values);
                words.join(", ")
            };
            Some(
                rule.finding("a name of this template can be read in two ways")
                    .at(&one.template.place, format!("such as {path}"))
                    .so(format!(
                        "it reads as {}",
                        one_of(several.iter().map(reading))
                    ))
                    .advise("part the tokens by a sign that no value holds, or by a folder"),
            )
        })
        .collect()
}

/// The values of a reading that another reading has otherwise.
fn differing(all: &[Values], values: &Values) -> Vec<String> {
    values
        .iter()
        .filter(|pair| !all.iter().all(|other| other.contains(pair)))
        .map(|(name, value)| format!("{name} {value}"))
        .collect()
}

/// The first name that can be read in two ways, with the ways.
fn ambiguous(first: &Deliverable, all: &[&Deliverable]) -> Option<(String, Vec<Values>)> {
    let template = &first.template.template;
    // Values that are the same everywhere or stand alone cannot be mistaken for one another.
    let mut known: Vec<(&str, Arc<[String]>)> = Vec::new();
    for (token, _) in template.tokens() {
        if known.iter().any(|(name, _)| *name == token.name) {
            continue;
        }
        let mut values: Vec<String> = Vec::new();
        for one in all {
            let value = match one.token(&token.name) {
                TokenValue::Text(text) | TokenValue::Path(text) => text,
                _ => continue,
            };
            if !values.contains(&value) {
                values.push(value);
            }
            // Two thousand shots do not make a template clearer than some do.
            if values.len() >= MOST_VALUES {
                break;
            }
        }
        known.push((&token.name, values.into()));
    }
    let candidates = |name: &str| match known.iter().find(|(known, _)| *known == name) {
        Some((_, values)) if !values.is_empty() => Candidates::Known(Arc::clone(values)),
        _ if name == "date" => Candidates::Date,
        _ => Candidates::Number,
    };
    all.iter().take(MOST_VALUES).find_map(|one| {
        let path = expand(template, &|name| one.token(name)).ok()?;
        let path = path.path(one.common.frames.files.value.first()?);
        let found = readings(template, &path, &candidates).ok()?;
        (found.len() > 1).then_some((path, found))
    })
}

/// Values of a token, and names, that are tried.
const MOST_VALUES: usize = 64;
