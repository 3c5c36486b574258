//! What a command line sets, and what it leaves to the scene.

use super::fill::text_of;
use super::invocation::Invocation;
use crate::template::TokenValue;
use crate::token::Token;

/// What a process is given of the picture, and what it is not, by the tokens of its profile.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Overrides {
    /// What the job sets: name and value.
    pub set: Vec<(String, String)>,
    /// What the engine could be given and is not, so that the scene or the engine decides.
    pub left_to_scene: Vec<String>,
    /// What the job sets and the engine has no argument for.
    pub not_passed: Vec<String>,
}

impl Invocation<'_> {
    /// What the process is given of the picture, and what it is not.
    #[must_use]
    pub fn overrides(&self) -> Overrides {
        let mut overrides = Overrides::default();
        for (name, tokens) in decisions() {
            let has_argument = tokens.iter().all(|token| self.profile.mentions(token));
            let values: Vec<String> = tokens
                .iter()
                .filter_map(|token| text_of(&self.listed(token)))
                .collect();
            match (has_argument, values.len() == tokens.len()) {
                (true, true) => overrides.set.push((name.to_owned(), values.join("x"))),
                (true, false) => overrides.left_to_scene.push(name.to_owned()),
                (false, true) if name != "view" => overrides.not_passed.push(name.to_owned()),
                (false, _) => {}
            }
        }
        for (key, word) in self.first().settings.iter() {
            let has_argument = self.profile.arguments.iter().any(|one| one.each.is_some())
                || self.profile.mentions(&format!("settings.{key}"));
            if has_argument {
                overrides.set.push((key.clone(), word.text.clone()));
            } else {
                overrides.not_passed.push(key.clone());
            }
        }
        overrides
    }

    /// The value of a token; of passes and views all of them.
    fn listed(&self, token: &str) -> TokenValue {
        let list = match token {
            "pass" => self.passes(),
            "view" => self.views(),
            _ => return self.token(token),
        };
        if list.is_empty() {
            TokenValue::Nothing
        } else {
            TokenValue::Text(list.join(", "))
        }
    }
}

/// What a scene may decide, with the tokens that decide it otherwise.
fn decisions() -> Vec<(&'static str, Vec<&'static str>)> {
    let mut decisions: Vec<(&str, Vec<&str>)> = Vec::new();
    for facts in Token::ALL.iter().map(|token| token.facts()) {
        let Some(decision) = facts.decision else {
            continue;
        };
        match decisions.iter_mut().find(|(known, _)| *known == decision) {
            Some((_, tokens)) => tokens.push(facts.name),
            None => decisions.push((decision, vec![facts.name])),
        }
    }
    decisions
}
