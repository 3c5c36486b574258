//! Marks in the text of a path that look like a frame or a token and are none: signs before digits, repeated signs, and
//! words in brackets. No program's notation is known here; what is looked for is what such marks have in common.

use std::sync::LazyLock;

use regex::Regex;

use crate::token::is_built_in;

/// What a mark seems to mean.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum MarkMeaning {
    /// The frame, with so many digits; zero where it says none.
    Frame(usize),
    /// A token of this name.
    Token(String),
}

impl MarkMeaning {
    /// The token that is written here in place of the mark.
    pub(super) fn token(&self) -> String {
        match self {
            Self::Frame(0) => "{frame}".to_owned(),
            Self::Frame(digits) => format!("{{frame:{digits:02}}}"),
            Self::Token(name) => format!("{{{name}}}"),
        }
    }
}

/// A mark in a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Mark {
    /// As it is written.
    pub(super) text: String,
    /// What it seems to mean.
    pub(super) means: MarkMeaning,
}

/// The forms of marks.
static FORMS: LazyLock<Option<Regex>> = LazyLock::new(|| {
    let forms = [
        // A percent sign, digits and a letter for a whole number, as C writes numbers.
        r"%(?:\((?P<named>\w+)\))?0?(?P<printf>\d{0,2})[di]",
        // A sign with a letter for the frame, and perhaps digits.
        r"[$%@#][fF]0?(?P<digits>\d?)",
        // A sign and a digit where a part of a name would stand.
        r"(?:^|[._/-])(?P<edged>[$%@#]0?(?P<width>\d))(?:[._/-]|$)",
        // Repeated signs, alone or in brackets.
        r"[\[<(]?(?P<repeat>##+|@@+|\?\?+|\*\*+|\$\$+|%%+)[\])>]?",
        // One such sign where a part of a name would stand.
        r"(?:^|[._/-])(?P<alone>[#@?*])(?:[._/-]|$)",
        // A range of numbers in brackets.
        r"\[(?P<range>\d+)-\d+\]",
        // Words in brackets or between signs.
        r"<<?(?P<angle>\w+)>>?|\[(?P<square>\w+)\]|\$?\{(?P<curly>\w+)\}|\$\((?P<round>\w+)\)",
        r"\$(?P<dollar>\w+)|%(?P<percent>\w+)%|@(?P<at>\w+)@|#(?P<hash>\w+)#",
    ];
    Regex::new(&forms.join("|")).ok()
});

/// The first mark in a text that seems to mean a frame or a token that there is.
pub(super) fn mark_in(text: &str) -> Option<Mark> {
    let forms = FORMS.as_ref()?;
    let mut captures = forms.captures_iter(text);
    captures.find_map(|captures| {
        let group = |name: &str| captures.name(name).map(|found| found.as_str());
        let whole = captures.get(0)?.as_str();
        let of_digits = |digits: &str| MarkMeaning::Frame(digits.parse().unwrap_or(0));
        let digits = ["printf", "digits", "width"].into_iter().find_map(group);
        let means = if let Some(digits) = digits {
            of_digits(digits)
        } else if group("alone").is_some() {
            MarkMeaning::Frame(0)
        } else if let Some(repeat) = group("repeat") {
            MarkMeaning::Frame(repeat.len())
        } else if let Some(first) = group("range") {
            MarkMeaning::Frame(first.len())
        } else {
            let words = [
                "angle", "square", "curly", "round", "dollar", "percent", "at", "hash",
            ];
            token_of(words.into_iter().find_map(group)?)?
        };
        let text = group("alone").or(group("edged")).unwrap_or(whole);
        Some(Mark {
            text: text.to_owned(),
            means,
        })
    })
}

/// What a word in brackets means: a frame, with the digits behind the word, or another token.
fn token_of(word: &str) -> Option<MarkMeaning> {
    let word = word.to_ascii_lowercase();
    let name = word.trim_end_matches(|sign: char| sign.is_ascii_digit());
    let digits = word[name.len()..].parse().unwrap_or(0);
    match name {
        "f" | "frame" | "framenumber" | "frame_number" => Some(MarkMeaning::Frame(digits)),
        _ if is_built_in(&word) => Some(MarkMeaning::Token(word)),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(text: &str) -> Option<(String, String)> {
        mark_in(text).map(|mark| (mark.text, mark.means.token()))
    }

    #[test]
    fn marks_are_found_with_what_they_mean() {
        for (text, mark, token) in [
            ("a.%04d.png", "%04d", "{frame:04}"),
            ("a.%4d.png", "%4d", "{frame:04}"),
            ("a.%d.png", "%d", "{frame}"),
            ("a.%(frame)04d.png", "%(frame)04d", "{frame:04}"),
            ("a.####.png", "####", "{frame:04}"),
            ("a.[####].png", "[####]", "{frame:04}"),
            ("a_@@@.png", "@@@", "{frame:03}"),
            ("a_????.png", "????", "{frame:04}"),
            ("a.#.png", "#", "{frame}"),
            ("a.*.png", "*", "{frame}"),
            ("a.@f4.png", "@f4", "{frame:04}"),
            ("a.#f.png", "#f", "{frame}"),
            ("a.@5_b.png", "@5", "{frame:05}"),
            ("a_%f4final.png", "%f4", "{frame:04}"),
            ("a.<frame>.png", "<frame>", "{frame}"),
            ("a.[frame4].png", "[frame4]", "{frame:04}"),
            ("a.${Frame}.png", "${Frame}", "{frame}"),
            ("a.{frame}.png", "{frame}", "{frame}"),
            ("[0001-0100].png", "[0001-0100]", "{frame:04}"),
            ("$camera/a.png", "$camera", "{camera}"),
            ("a_%shot%.png", "%shot%", "{shot}"),
            ("@pass@/a.png", "@pass@", "{pass}"),
        ] {
            let expected = (mark.to_owned(), token.to_owned());
            assert_eq!(found(text), Some(expected), "{text}");
        }
    }

    #[test]
    fn text_is_text() {
        for text in [
            "dawn [final].png",
            "a (2).png",
            "50%.png",
            "50% done.png",
            "c# 3/a",
            "me@home.png",
            "what?.png",
            "a&b + c~1.png",
            "früh 日の出",
            "$HOME/r",
            "$5 bill",
            "r#5x",
            "a <b.png",
            "v001 - take 2",
        ] {
            assert_eq!(found(text), None, "{text}");
        }
    }
}
