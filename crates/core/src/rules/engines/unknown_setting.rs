//! A setting that the scene does not know.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::job::Word;
use crate::nearest::advice;
use crate::rules::{Rule, Subject};

/// TP514 `unknown-setting`.
pub(super) const RULE: Rule = Rule {
    code: "TP514",
    name: "unknown-setting",
    weight: Weight::Error,
    what: "A setting is handed over that the scene does not know.",
    why: "The engine would stop, or render something else.",
    breaks: r#"scene = "told.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
settings = { exposre = 1.0 }
"#,
    keeps: r#"scene = "told.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
settings = { exposure = 1.0 }
"#,
    mend: "Mend the name.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let wrong = |one: &Deliverable| {
        if one.is_put_together() {
            return None;
        }
        let facts = subject.scene_facts(one)?;
        let known = facts.settings.as_ref()?;
        let settings = &one.settings;
        let (name, value) = settings.iter().find(|(name, _)| !known.contains(name))?;
        let word = Word {
            text: name.clone(),
            place: value.place.clone(),
        };
        Some((word, known))
    };
    subject
        .once(|one| wrong(one).map(|(word, _)| (word.text, word.place)))
        .into_iter()
        .filter_map(|(one, files)| {
            let (word, known) = wrong(one)?;
            let known: Vec<&str> = known.iter().map(String::as_str).collect();
            Some(
                rule.finding(format!("the scene has no setting `{}`", word.text))
                    .at(&word.place, "")
                    .so(format!(
                        "{} would be rendered as if nobody had set it",
                        count(files, "file", "files")
                    ))
                    .advise(advice(&word.text, &known)),
            )
        })
        .collect()
}
