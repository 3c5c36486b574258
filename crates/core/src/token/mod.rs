//! Tokens: the names in braces that templates and profiles know.
//!
//! `table` is the only place that knows a token; what a token is worth is worked out where its
//! value lives, in a `match` that the compiler keeps complete: [`crate::deliverable`] for templates,
//! [`crate::command`] for profiles. Completion, schema, reference, provenance and the fingerprint are
//! derived from the table.

mod facts;
mod table;

pub use facts::{SetBy, TokenFacts, ValueKind};
pub use table::Token;

impl Token {
    /// The token of a name, and what stands in for `NAME` in `place.NAME`, `settings.NAME` and
    /// `map.NAME`; `None` where the name can only be one of the project's own.
    ///
    /// ```
    /// # use truepath_core::token::Token;
    /// assert_eq!(Token::read("camera"), Some((Token::Camera, "")));
    /// assert_eq!(Token::read("place.renders"), Some((Token::Place, "renders")));
    /// assert_eq!(Token::read("studio"), None);
    /// ```
    #[must_use]
    pub fn read(name: &str) -> Option<(Self, &str)> {
        if let Some((family, part)) = name.split_once('.') {
            let token = match family {
                "place" => Some(Self::Place),
                "settings" => Some(Self::Setting),
                "map" => Some(Self::Map),
                _ => None,
            };
            if let Some(token) = token {
                return Some((token, part));
            }
        }
        Self::of_name(name).map(|token| (token, ""))
    }

    /// The tokens of templates with what they stand for, in the order of the reference.
    pub fn of_templates() -> impl Iterator<Item = (&'static str, &'static str)> {
        let facts = Self::ALL.iter().map(|token| token.facts());
        facts.filter_map(|facts| Some((facts.name, facts.meaning?)))
    }

    /// The tokens that mean something of their own in profiles, which know those of templates too; in
    /// the order of the reference.
    pub fn of_profiles() -> impl Iterator<Item = (&'static str, &'static str)> {
        let facts = Self::ALL.iter().map(|token| token.facts());
        facts.filter_map(|facts| Some((facts.name, facts.meaning_in_profiles?)))
    }
}

/// Whether a name is taken by a token of templates.
#[must_use]
pub(crate) fn is_built_in(name: &str) -> bool {
    Token::of_name(name).is_some_and(|token| token.facts().meaning.is_some())
}

/// Whether another value of a token of a profile can make another picture. Settings, mapped values and
/// tokens of the project's own can.
#[must_use]
pub fn can_change_picture(name: &str) -> bool {
    Token::read(name).is_none_or(|(token, _)| token.facts().changes_picture)
}

/// Whether a token of a profile has another value in another process of the same deliverables.
#[must_use]
pub(crate) fn varies_by_process(name: &str) -> bool {
    Token::read(name).is_some_and(|(token, _)| token.facts().varies_by_process)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_token_is_found_by_its_name_and_means_something() {
        for token in Token::ALL {
            let facts = token.facts();
            let written = facts.name.replace("NAME", "x");
            assert_eq!(Token::read(&written).map(|(found, _)| found), Some(*token));
            assert!(
                facts.meaning.is_some() || facts.meaning_in_profiles.is_some(),
                "{}",
                facts.name
            );
        }
    }
}
