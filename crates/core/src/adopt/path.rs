//! The path of a job for what command lines write: parts that are text, and parts that are tokens.

/// A part of a path.
#[derive(Debug, Clone, PartialEq, Eq)]
enum PathPart {
    Text(String),
    /// A token with its braces.
    Token(String),
}

/// A path that is being made a template. Tokens are never looked into again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Path {
    parts: Vec<PathPart>,
}

impl Path {
    pub(super) fn of(text: &str) -> Self {
        Self {
            parts: vec![PathPart::Text(text.to_owned())],
        }
    }

    /// A path that is a template already.
    pub(super) fn of_template(text: &str) -> Self {
        Self {
            parts: vec![PathPart::Token(text.to_owned())],
        }
    }

    /// Puts a token in place of the bytes of a text that has none yet.
    pub(super) fn put(&mut self, at: std::ops::Range<usize>, token: String) {
        if let [PathPart::Text(text)] = &self.parts[..] {
            let (before, after) = (text[..at.start].to_owned(), text[at.end..].to_owned());
            self.parts = vec![
                PathPart::Text(before),
                PathPart::Token(token),
                PathPart::Text(after),
            ];
        }
    }

    /// Puts a token in place of every word of this text, between signs; gives whether there was one.
    pub(super) fn replace_word(&mut self, word: &str, token: &str) -> bool {
        let mut found = false;
        let mut parts = Vec::new();
        for part in std::mem::take(&mut self.parts) {
            let PathPart::Text(text) = part else {
                parts.push(part);
                continue;
            };
            let mut rest = text.as_str();
            let mut kept = String::new();
            while let Some(at) = find_word(rest, word, kept.chars().next_back()) {
                found = true;
                kept.push_str(&rest[..at]);
                parts.push(PathPart::Text(std::mem::take(&mut kept)));
                parts.push(PathPart::Token(token.to_owned()));
                rest = &rest[at + word.len()..];
            }
            kept.push_str(rest);
            parts.push(PathPart::Text(kept));
        }
        self.parts = parts;
        found
    }

    /// The text with the values of these tokens; others stand for themselves.
    pub(super) fn filled(&self, values: &[(String, String)]) -> String {
        let part = |part: &PathPart| match part {
            PathPart::Text(text) => text.clone(),
            PathPart::Token(token) => {
                let value = values.iter().find(|(known, _)| known == token);
                // No path of a command line has a zero in it.
                value.map_or_else(|| format!("\0{token}\0"), |(_, value)| value.clone())
            }
        };
        self.parts.iter().map(part).collect()
    }

    /// The template: braces of the text are doubled.
    pub(super) fn template(&self) -> String {
        let part = |part: &PathPart| match part {
            PathPart::Text(text) => text.replace('{', "{{").replace('}', "}}"),
            PathPart::Token(token) => token.clone(),
        };
        self.parts.iter().map(part).collect()
    }
}

/// Where a word stands by itself, with no letter or digit beside it.
fn find_word(text: &str, word: &str, before: Option<char>) -> Option<usize> {
    if word.is_empty() {
        return None;
    }
    text.match_indices(word).map(|(at, _)| at).find(|&at| {
        let left = text[..at]
            .chars()
            .next_back()
            .or(before.filter(|_| at == 0));
        let right = text[at + word.len()..].chars().next();
        let is_open = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric());
        is_open(left) && is_open(right)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_replaced_between_signs_and_tokens_stay_whole() {
        let mut path = Path::of("r/a/kiln_a.0001.png");
        path.put(11..15, "{frame:04}".to_owned());
        assert!(path.replace_word("a", "{camera}"));
        assert_eq!(path.template(), "r/{camera}/kiln_{camera}.{frame:04}.png");
        assert!(!path.replace_word("front", "{camera}"));
        assert_eq!(Path::of("a{b}").template(), "a{{b}}");
    }
}
