//! A flag in front of a token that has no value.

use crate::at_least_one::AtLeastOne;
use crate::command::Invocation;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::frames::FrameSet;
use crate::job::{Key, RunEntry};
use crate::profile::Argument;
use crate::rules::{Rule, Subject};
use crate::source::Place;
use crate::template::{Template, TokenValue};

/// TP525 `flag-without-value`.
pub(super) const RULE: Rule = Rule {
    code: "TP525",
    name: "flag-without-value",
    severity: Severity::Error,
    what: "A flag stands alone in front of a token that has no value.",
    why: "The renderer would take the next flag for its value.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "--camera", "{camera}", "--frame", "{frame}", "--to", "{target}"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", ["--camera", "{camera}"], "--frame", "{frame}", "--to", "{target}"]
"#,
    fix: "Put the flag and the token into one group, which is left out whole.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let lone = subject.once(|one| lone_flag(subject, one));
    let found = lone.into_iter().map(|(_, lone, files)| {
        let token = &lone.token;
        rule.finding(format!(
            "`{}` stands in front of {{{token}}}, which has no value here",
            lone.flag
        ))
        .at(&lone.place, "the next flag would be taken for its value")
        .so(format!(
            "the command lines of {} would be wrong",
            count(files, "file", "files")
        ))
        .advise(format!(
            "write [\"{}\", \"{}\"]: a group is left out whole when a token in it has no value",
            lone.flag, lone.value
        ))
    });
    found.collect()
}

#[derive(PartialEq, Eq, Hash)]
struct Lone {
    place: Place,
    flag: String,
    token: String,
    value: String,
}

/// The first flag of a deliverable's `run` line or profile that would stand alone.
fn lone_flag(subject: &Subject<'_>, one: &Deliverable) -> Option<Lone> {
    let profile = &one.common.engine;
    if one.is_assembled() {
        return None;
    }
    let first = FrameSet::from_frames(one.common.frames.shot.first());
    let alone = AtLeastOne::one(one);
    let invocation = Invocation::planned(profile, &alone, &first);
    let pairs = profile.arguments.windows(2);
    let at = pairs
        .clone()
        .position(|pair| is_lone(&invocation, &pair[0], &pair[1]))?;
    let (flag, value) = (&profile.arguments[at], &profile.arguments[at + 1]);
    let token = empty_token(&invocation, value.put.first()?)?;
    // Of a run line the place of the flag, else that of what names the profile.
    let place = match subject.chain(one).value::<Vec<RunEntry>>(Key::Run) {
        Some(line) if profile.place.is_some() => place_of(&line, at + 1),
        _ => subject.place_of(one, Key::Engine),
    };
    Some(Lone {
        place: place.unwrap_or_else(|| one.template.place.clone()),
        flag: flag.put.first()?.to_string(),
        token,
        value: value.put.first()?.to_string(),
    })
}

/// Where an entry of a `run` line stands.
fn place_of(line: &[RunEntry], entry: usize) -> Option<Place> {
    let (_, word) = line.get(entry)?.arguments.first()?;
    Some(word.place.clone())
}

/// Whether the first of two entries is a flag that waits for the value of the second, which has none.
fn is_lone(invocation: &Invocation<'_>, flag: &Argument, value: &Argument) -> bool {
    let ([flag_text], [value_text]) = (&flag.put[..], &value.put[..]) else {
        return false;
    };
    let text = flag_text.to_string();
    let is_flag = text.starts_with(['-', '/', '+'])
        && text.len() > 1
        && !text.contains(['=', '{'])
        && flag.when.is_empty()
        && flag.each.is_none();
    // A text before the token is a flag of its own, as in `--camera={camera}`.
    let is_value = value.each.is_none()
        && value.when.is_empty()
        && !value_text.to_string().starts_with(['-', '+']);
    is_flag && is_value && empty_token(invocation, value_text).is_some()
}

/// The first token of a template that has no value, outside optional parts.
fn empty_token(invocation: &Invocation<'_>, template: &Template) -> Option<String> {
    let tokens = template.tokens().into_iter();
    let mut empty = tokens.filter(|(token, is_optional)| {
        !is_optional && matches!(invocation.token(&token.name), TokenValue::Nothing)
    });
    empty.next().map(|(token, _)| token.name.clone())
}
