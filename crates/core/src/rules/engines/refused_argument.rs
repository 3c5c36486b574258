//! A value that the engine cannot take as an argument.

use crate::at_least_one::AtLeastOne;
use crate::command::{ArgumentError, Invocation};
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::frames::FrameSet;
use crate::rules::{Rule, Subject};

/// TP507 `refused-argument`.
pub(super) const RULE: Rule = Rule {
    code: "TP507",
    name: "refused-argument",
    severity: Severity::Error,
    what: "An argument holds what the engine cannot take, or its profile asks for what is not there.",
    why: "The engine would read something else than was meant.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{scene}.{frame:04}.png"
engine = "plain"
settings = { note = "two words" }
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{scene}.{frame:04}.png"
engine = "plain"
settings = { note = "one-word" }
"#,
    fix: "Change the value.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    // An engine that takes everything can only be wrong in its profile: one of its deliverables
    // says that for all.
    let firsts: Vec<&Deliverable> = subject
        .once(|one| Some(one.common.engine.name.clone()))
        .into_iter()
        .map(|(one, ..)| one)
        .collect();
    let refusal = |one: &Deliverable| {
        let frames = FrameSet::from_frames(one.common.frames.files.value.first());
        let engine = &one.common.engine;
        let alone = AtLeastOne::one(one);
        let invocation = Invocation {
            profile: engine,
            deliverables: &alone,
            frames: &frames,
            staging: "/staging",
            prepared: engine.prepare.as_ref().map(|_| "/prepared"),
            threads: None,
        };
        let whole =
            engine.rejects.is_some() || firsts.iter().any(|first| std::ptr::eq(*first, one));
        let written = if whole {
            invocation.spec().map(|_| ())
        } else {
            Ok(())
        };
        written
            .and_then(|()| invocation.output_name(one).map(|_| ()))
            .err()
    };
    subject
        .once_by(|one| {
            let error = refusal(one)?;
            let key = (one.common.engine.name.clone(), error.to_string());
            Some((key, error))
        })
        .into_iter()
        .map(|(one, error, _)| {
            let culprit = match &error {
                ArgumentError::Refused { argument, .. } => one
                    .settings
                    .iter()
                    .find(|(_, word)| argument.contains(&word.text))
                    .map(|(_, word)| &word.place),
                ArgumentError::Token(_) => None,
            };
            let place = culprit
                .or(one.common.engine.place.as_ref())
                .unwrap_or(&one.template.place);
            rule.finding(format!("{}: {error}", one.common.engine.name))
                .at(place, "")
                .advise("change the value, or the profile that hands it on")
        })
        .collect()
}
