//! A pass, camera or shot that varies and is not in the path.

use super::clash::words;
use std::collections::HashSet;

use crate::collide::Collision;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count, grouped};
use crate::rules::{Rule, Subject, one_of};

/// TP103 `left-out-token`.
pub(super) const RULE: Rule = Rule {
    code: "TP103",
    name: "left-out-token",
    severity: Severity::Error,
    what: "A path leaves out a pass, camera or shot that varies.",
    why: "All of them are written to the same files, and one is left.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
passes = ["beauty", "depth"]
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_{pass}.{frame:04}.png"
engine = "understudy"
passes = ["beauty", "depth"]
"#,
    fix: "Put the token into the path.",
    check,
};

/// The tokens that distinguish the members of a collision and that their template leaves out;
/// none when they have different templates.
pub(super) fn left_out(collision: &Collision, all: &[Deliverable]) -> Vec<&'static str> {
    let members = || collision.members.iter().map(|&member| &all[member]);
    let first = &all[collision.members[0]];
    if members().any(|one| one.template.place != first.template.place) {
        return Vec::new();
    }
    let known = words(first);
    let varies = |&at: &usize| members().any(|one| words(one)[at] != known[at]);
    (0..known.len())
        .filter(varies)
        .map(|at| known[at].0)
        .filter(|token| !first.template.template.has(token))
        .collect()
}

/// All collisions of one template with one cause.
struct LossCause<'a> {
    tokens: Vec<&'static str>,
    /// Those of them that some deliverables with this path do not have.
    optional: Vec<&'static str>,
    first: &'a Deliverable,
    /// What the first of the tokens stands for.
    values: Vec<String>,
    lost: u64,
    wanted: u64,
    example: &'a str,
}

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    let mut causes: Vec<LossCause<'_>> = Vec::new();
    for collision in &subject.collisions {
        let tokens = left_out(collision, all);
        if tokens.is_empty() {
            continue;
        }
        let first = &all[collision.members[0]];
        let members = || collision.members.iter().map(|&member| &all[member]);
        let wanted: u64 = members()
            .map(|one| one.common.frames.files.value.count())
            .sum();
        let known = causes.iter_mut().find(|known| {
            known.tokens == tokens && known.first.template.place == first.template.place
        });
        if let Some(known) = known {
            known.lost += collision.lost;
            known.wanted += wanted;
            continue;
        }
        let (mut values, mut seen): (Vec<String>, HashSet<String>) = Default::default();
        for value in members().map(|one| value(one, tokens[0])) {
            if seen.insert(value.clone()) {
                values.push(value);
            }
        }
        let of_template = || {
            all.iter()
                .filter(|one| one.template.place == first.template.place)
        };
        let lacks = |token: &str| {
            let has = |one: &Deliverable| {
                words(one)
                    .iter()
                    .any(|(name, word)| *name == token && word.is_some())
            };
            of_template().any(|one| !has(one))
        };
        causes.push(LossCause {
            optional: tokens
                .iter()
                .copied()
                .filter(|token| lacks(token))
                .collect(),
            tokens,
            first,
            values,
            lost: collision.lost,
            wanted,
            example: &collision.example,
        });
    }
    causes.iter().map(|cause| cause.finding(rule)).collect()
}

impl LossCause<'_> {
    fn finding(&self, rule: &Rule) -> Finding {
        let braced = self.tokens.iter().map(|token| format!("{{{token}}}"));
        let shown = one_of(braced).replace(" or ", " and ");
        let template = &self.first.template;
        let fixed = fixed(&template.template.to_string(), &self.tokens, &self.optional);
        let (first, others) = match self.values.split_first() {
            Some((first, rest)) => (first.as_str(), listed(rest)),
            None => ("", String::new()),
        };
        rule.finding(format!(
            "this path leaves out {shown}, which takes {}",
            count(self.values.len() as u64, "value", "values")
        ))
        .at(
            &template.place,
            format!("the same for {}", listed(&self.values)),
        )
        .so(format!(
            "{} of {} files would be lost: {others} would overwrite {first}, as in {}",
            grouped(self.lost),
            grouped(self.wanted),
            self.example
        ))
        .advise(format!("write \"{fixed}\""))
        .fix(&template.place, fixed)
    }
}

fn value(deliverable: &Deliverable, token: &str) -> String {
    match deliverable.token(token) {
        crate::template::TokenValue::Text(text) => text,
        _ => "none".to_owned(),
    }
}

/// `beauty, depth and shadow`; of more than four values the first and how many more.
fn listed(values: &[String]) -> String {
    match values {
        [] => String::new(),
        [one] => one.clone(),
        [rest @ .., last] if values.len() < 5 => format!("{} and {last}", rest.join(", ")),
        [one, rest @ ..] => format!("{one} and {} more", rest.len()),
    }
}

/// The template with the tokens before the frame, or before the extension; those that some deliverables
/// do not have as optional parts.
fn fixed(template: &str, tokens: &[&str], optional: &[&str]) -> String {
    let at = template
        .rfind("{frame")
        .map(|at| at - usize::from(template[..at].ends_with(['.', '_', '-'])))
        .or_else(|| template.rfind('.'))
        .unwrap_or(template.len());
    let (before, rest) = template.split_at(at);
    // At the start of a name the sign that parts two tokens goes behind each of them.
    let is_start = before.is_empty() || before.ends_with('/');
    let added = |token: &&str| match (optional.contains(token), is_start) {
        (true, true) => format!("{{?{{{token}}}_}}"),
        (true, false) => format!("{{?_{{{token}}}}}"),
        (false, true) => format!("{{{token}}}_"),
        (false, false) => format!("_{{{token}}}"),
    };
    let mut added: String = tokens.iter().map(added).collect();
    let touches = rest.starts_with("{frame");
    if is_start && !touches && added.ends_with('_') {
        added.pop();
    } else if !is_start && touches {
        added.push('.');
    }
    format!("{before}{added}{rest}")
}

#[cfg(test)]
mod tests {
    use super::fixed;

    #[test]
    fn no_token_touches_the_frame_or_the_folder() {
        let tokens = ["shot", "pass"];
        for (template, expected) in [
            ("r/{frame:04}.png", "r/{shot}_{?{pass}_}{frame:04}.png"),
            ("r/a.{frame:04}.png", "r/a_{shot}{?_{pass}}.{frame:04}.png"),
            ("r/a{frame:04}.png", "r/a_{shot}{?_{pass}}.{frame:04}.png"),
            ("r/a.png", "r/a_{shot}{?_{pass}}.png"),
            ("r/.png", "r/{shot}_{?{pass}_}.png"),
        ] {
            assert_eq!(fixed(template, &tokens, &["pass"]), expected, "{template}");
        }
    }
}
