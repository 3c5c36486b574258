//! A profile in words, argument by argument.

use super::{Argument, Each, Profile};
use crate::template::Template;
use crate::token::Token;

/// An entry of the arguments, in words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ExplainedEntry {
    /// What is put, as the profile writes it.
    pub put: String,
    /// What it is put for, where it is put several times.
    pub each: Option<&'static str>,
    /// When, where it is not always.
    pub when: String,
    /// Its tokens, with what they stand for.
    pub tokens: Vec<(String, String)>,
    /// Whether another value would make another picture.
    pub changes_picture: bool,
}

impl Profile {
    /// The arguments, in words.
    #[must_use]
    pub fn explain(&self) -> Vec<ExplainedEntry> {
        self.arguments
            .iter()
            .map(|one| self.explained(one))
            .collect()
    }

    fn explained(&self, argument: &Argument) -> ExplainedEntry {
        let put: Vec<String> = argument.put.iter().map(ToString::to_string).collect();
        let mut when = Vec::new();
        for (token, values) in &argument.when {
            let values: Vec<String> = values
                .iter()
                .map(|value| match value.as_str() {
                    "" => "nothing".to_owned(),
                    value => value.to_owned(),
                })
                .collect();
            when.push(format!("{token} is {}", values.join(" or ")));
        }
        let each = argument.each.map(|each| match each {
            Each::Settings => "once for every setting",
            Each::Passes => "once for every pass",
            Each::Views => "once for every view",
            Each::Layers => "once for every layer",
            Each::Sounds => "once for every sound",
        });
        let mut tokens: Vec<(String, String)> = Vec::new();
        for (token, _) in argument.put.iter().flat_map(Template::tokens) {
            if tokens.iter().all(|(known, _)| *known != token.name) {
                tokens.push((token.name.clone(), self.meaning(&token.name)));
            }
        }
        ExplainedEntry {
            put: put.join(" "),
            each,
            when: when.join(", "),
            tokens,
            changes_picture: argument.changes_picture,
        }
    }

    /// What a token of the profile stands for.
    fn meaning(&self, name: &str) -> String {
        if let Some(table) = name.strip_prefix("map.")
            && let Some(map) = self.maps.iter().find(|map| map.name == table)
        {
            return format!("the engine's own word for {}", map.by.join(" and "));
        }
        if let Some(setting) = name.strip_prefix("settings.") {
            let known = self.settings.iter().find(|known| known.name == setting);
            return match known {
                Some(known) => format!("a setting: {}", known.wanted()),
                None => "a setting".to_owned(),
            };
        }
        let facts = Token::read(name).map(|(token, _)| token.facts());
        let meaning = facts.and_then(|facts| facts.meaning_in_profiles.or(facts.meaning));
        meaning.unwrap_or("a token of the project").to_owned()
    }
}
