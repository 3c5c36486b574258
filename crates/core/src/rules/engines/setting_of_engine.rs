//! Settings that the engine's profile does not know, or with values that it does not take.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::PlacedText;
use crate::nearest::advice;
use crate::profile::Profile;
use crate::rules::{Rule, Subject};

/// TP520 `setting-of-engine`.
pub(super) const RULE: Rule = Rule {
    code: "TP520",
    name: "setting-of-engine",
    severity: Severity::Error,
    what: "The profile of the engine lists the settings it takes, and this one does not fit.",
    why: "The engine would stop, or render something else.",
    breaks: r#"scene = "kiln.dat"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "tachyon"
settings = { samples = -4 }
"#,
    keeps: r#"scene = "kiln.dat"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "tachyon"
settings = { samples = 4 }
"#,
    fix: "Give it a value that the engine takes.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once_by(|one| {
            let (name, word, mistake) = mistake(one)?;
            Some(((&word.place, name), (name, word, mistake)))
        })
        .into_iter()
        .map(|(one, (name, word, mistake), files)| {
            let engine = &one.common.engine.name;
            let (sentence, advice) = match mistake {
                SettingMistake::Name(advice) => {
                    (format!("{engine} knows no setting `{name}`"), advice)
                }
                SettingMistake::Value(wanted) => (
                    format!("{engine} takes no `{}` for `{name}`", word.text),
                    format!("it takes {wanted}"),
                ),
            };
            rule.finding(sentence)
                .at(&word.place, "")
                .so(format!(
                    "{} would not be what is meant",
                    count(files, "file", "files")
                ))
                .advise(advice)
        })
        .collect()
}

/// What is wrong with a setting.
enum SettingMistake {
    /// Its name; with the nearest.
    Name(String),
    /// Its value; with what is taken.
    Value(String),
}

/// The first setting of a deliverable that its engine does not take.
fn mistake(one: &Deliverable) -> Option<(&str, &PlacedText, SettingMistake)> {
    let profile: &Profile = &one.common.engine;
    if profile.settings.is_empty() || one.is_assembled() {
        return None;
    }
    one.settings.iter().find_map(|(name, word)| {
        let known = profile.settings.iter().find(|known| known.name == *name);
        let wrong = match known {
            Some(known) => SettingMistake::Value(known.rejects(&word.text)?),
            None => {
                let names: Vec<&str> = profile
                    .settings
                    .iter()
                    .map(|one| one.name.as_str())
                    .collect();
                SettingMistake::Name(advice(name, &names))
            }
        };
        Some((name.as_str(), word, wrong))
    })
}
