//! Reads the values of tokens back out of a path.

use std::sync::Arc;

use jiff::civil::Time;
use jiff::fmt::strtime;

use super::{Format, Part, Template, TemplateToken, TokenValue, expand};

/// What may stand for a token.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Candidates {
    /// One of these.
    Known(Arc<[String]>),
    /// A number.
    Number,
    /// Any text without a separator.
    Text,
    /// Any path.
    Path,
    /// A date, by its pattern.
    Date,
}

/// Tokens whose values are numbers.
const NUMBERS: [&str; 7] = [
    "frame", "version", "first", "last", "count", "width", "height",
];

impl Candidates {
    /// What may stand for a token of which nothing else is known.
    #[must_use]
    pub fn of_any(token: &str) -> Self {
        match token {
            token if NUMBERS.contains(&token) => Self::Number,
            token if token.starts_with("place.") => Self::Path,
            "date" => Self::Date,
            _ => Self::Text,
        }
    }
}

/// One way to read a path: token and value, in the order of first mention. Numbers are reported
/// without padding.
pub type Values = Vec<(String, String)>;

/// Where a path departs from a template.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Departure {
    /// The byte up to which the path fits at best.
    pub at: usize,
    /// What is expected there.
    pub expected: Vec<String>,
}

/// The most ways that are listed.
pub(crate) const MOST_READINGS: usize = 16;
/// Steps after which the search for more ways is given up.
const MOST_STEPS: usize = 200_000;

/// Every way to read a path by a template; expanding any of them gives the path again.
///
/// # Errors
/// Where the path departs from the template, when there is no way.
pub fn readings(
    template: &Template,
    path: &str,
    candidates: &dyn Fn(&str) -> Candidates,
) -> Result<Vec<Values>, Departure> {
    let mut search = Search {
        template,
        path,
        candidates,
        found: Vec::new(),
        steps: 0,
        departure: Departure {
            at: 0,
            expected: Vec::new(),
        },
        left: usize::MAX,
    };
    let parts: Vec<&Part> = template.parts().iter().collect();
    search.go(&parts, 0, &mut Vec::new());
    if search.found.is_empty() {
        Err(search.departure)
    } else {
        Ok(search.found)
    }
}

struct Search<'a> {
    template: &'a Template,
    path: &'a str,
    candidates: &'a dyn Fn(&str) -> Candidates,
    found: Vec<Values>,
    steps: usize,
    departure: Departure,
    /// Parts of the template that were left at the departure.
    left: usize,
}

impl Search<'_> {
    fn go(&mut self, parts: &[&Part], at: usize, values: &mut Values) {
        self.steps += 1;
        if self.steps > MOST_STEPS || self.found.len() >= MOST_READINGS {
            return;
        }
        let Some((part, later)) = parts.split_first() else {
            if at == self.path.len() {
                if self.gives_it_again(values) && !self.found.contains(values) {
                    self.found.push(values.clone());
                }
            } else {
                self.depart(at, 0, "the end".to_owned());
            }
            return;
        };
        let rest = &self.path[at..];
        match part {
            Part::Text(text) => {
                if rest.starts_with(text.as_str()) {
                    self.go(later, at + text.len(), values);
                } else {
                    let same = text
                        .char_indices()
                        .zip(rest.chars())
                        .take_while(|((_, one), other)| one == other)
                        .map(|((index, one), _)| index + one.len_utf8())
                        .last()
                        .unwrap_or(0);
                    self.depart(at + same, parts.len(), format!("`{}`", &text[same..]));
                }
            }
            Part::Optional(inner) => {
                // With it first: what is written is more likely meant than left out.
                let with: Vec<&Part> = inner.parts().iter().chain(later.iter().copied()).collect();
                self.go(&with, at, values);
                self.go(later, at, values);
            }
            Part::Token(token) => self.token(token, later, at, values),
        }
    }

    /// An optional part that was left out would be written, when its token has a value from
    /// elsewhere.
    fn gives_it_again(&self, values: &Values) -> bool {
        let value = |name: &str| match values.iter().find(|(known, _)| known == name) {
            None => TokenValue::Nothing,
            Some((_, value)) => match (self.candidates)(name) {
                Candidates::Number => value
                    .parse()
                    .map_or(TokenValue::Nothing, TokenValue::Number),
                Candidates::Path => TokenValue::Path(value.clone()),
                Candidates::Date => value.parse().map_or(TokenValue::Nothing, TokenValue::Date),
                Candidates::Known(_) if name.starts_with("place.") => {
                    TokenValue::Path(value.clone())
                }
                Candidates::Known(_) | Candidates::Text => TokenValue::Text(value.clone()),
            },
        };
        expand(self.template, &value).is_ok_and(|pattern| pattern.path(0) == self.path)
    }

    fn token(&mut self, token: &TemplateToken, later: &[&Part], at: usize, values: &mut Values) {
        let rest = &self.path[at..];
        let allowed = (self.candidates)(&token.name);
        let before = self.steps;
        let mut any = false;
        for length in lengths(rest, token, &allowed) {
            let written = &rest[..length];
            let Some(value) = value_of(written, token, &allowed) else {
                continue;
            };
            let known = values.iter().position(|(name, _)| *name == token.name);
            match known {
                Some(index) if agrees(&values[index].1, &value, written, token) => {
                    any = true;
                    self.go(later, at + length, values);
                }
                // The first mention was written in a way that says less, such as in capitals.
                Some(index)
                    if agrees_by_format(&value, &values[index].1) && token.format.is_none() =>
                {
                    any = true;
                    let less = std::mem::replace(&mut values[index].1, value);
                    self.go(later, at + length, values);
                    values[index].1 = less;
                }
                Some(_) => {}
                None => {
                    any = true;
                    values.push((token.name.clone(), value));
                    self.go(later, at + length, values);
                    values.pop();
                }
            }
        }
        if !any || before == self.steps {
            let expected = match (&allowed, &token.format) {
                (Candidates::Known(known), _) if known.len() <= 6 => {
                    format!("{{{}}}, one of {}", token.name, known.join(", "))
                }
                (Candidates::Known(_), _) => format!("a known {{{}}}", token.name),
                (Candidates::Number, Some(Format::Digits(digits))) => {
                    format!("{{{}}}, a number of at least {digits} digits", token.name)
                }
                (Candidates::Number, _) => format!("{{{}}}, a number", token.name),
                _ => format!("{{{}}}", token.name),
            };
            self.depart(at, later.len() + 1, expected);
        }
    }

    /// The way that got farthest in the template is the likeliest; of those the one that came
    /// farthest in the path. A free text that swallows everything comes far in the path only.
    fn depart(&mut self, at: usize, left: usize, expected: String) {
        let nearer = left < self.left || (left == self.left && at > self.departure.at);
        if nearer {
            (self.left, self.departure.at) = (left, at);
            self.departure.expected.clear();
        }
        if (left, at) == (self.left, self.departure.at)
            && !self.departure.expected.contains(&expected)
        {
            self.departure.expected.push(expected);
        }
    }
}

/// How much of the rest could be the token, the longest first.
fn lengths(rest: &str, token: &TemplateToken, allowed: &Candidates) -> Vec<usize> {
    if let Candidates::Known(known) = allowed
        && token.format.is_none()
    {
        let mut lengths: Vec<usize> = known
            .iter()
            .filter(|value| rest.starts_with(value.as_str()))
            .map(String::len)
            .collect();
        lengths.sort_unstable_by(|one, other| other.cmp(one));
        lengths.dedup();
        return lengths;
    }
    let is_number = *allowed == Candidates::Number;
    let mut lengths: Vec<usize> = rest
        .char_indices()
        .take_while(|(index, c)| {
            if is_number {
                c.is_ascii_digit() || (*index == 0 && *c == '-')
            } else {
                !c.is_control() && (*allowed == Candidates::Path || !matches!(c, '/' | '\\'))
            }
        })
        .map(|(index, c)| index + c.len_utf8())
        .collect();
    lengths.reverse();
    lengths
}

/// The value that was written, if it can have been written so.
fn value_of(written: &str, token: &TemplateToken, allowed: &Candidates) -> Option<String> {
    if *allowed == Candidates::Number {
        let number: i64 = written.parse().ok()?;
        let digits = match token.format {
            Some(Format::Digits(digits)) => usize::from(digits),
            _ => 1,
        };
        let sign = if number < 0 { "-" } else { "" };
        let printed = format!("{sign}{:0digits$}", number.unsigned_abs());
        let exact = token.format == Some(Format::AnyDigits) || printed == written;
        return exact.then(|| number.to_string());
    }
    if *allowed == Candidates::Date {
        return date_of(written, token);
    }
    if written == "." || written == ".." {
        return None;
    }
    match (&token.format, allowed) {
        (None, Candidates::Known(known)) => known
            .iter()
            .any(|one| one == written)
            .then(|| written.to_owned()),
        (Some(format), Candidates::Known(known)) => known
            .iter()
            .find(|value| formatted(value, format) == written)
            .cloned(),
        (None, _) => Some(written.to_owned()),
        (Some(format), _) => (formatted(written, format) == written).then(|| written.to_owned()),
    }
}

/// A date that was written by the token's pattern, as RFC 3339 writes it without a zone; what the
/// pattern leaves out is the start of the day.
fn date_of(written: &str, token: &TemplateToken) -> Option<String> {
    let pattern = match &token.format {
        Some(Format::Date(pattern)) => pattern.as_str(),
        None => "%Y-%m-%d",
        Some(_) => return None,
    };
    let broken = strtime::parse(pattern, written).ok()?;
    let date = broken.to_date().ok()?;
    let time = broken.to_time().unwrap_or_else(|_| Time::midnight());
    Some(date.to_datetime(time).to_string())
}

/// Whether a value read before is written like this here.
fn agrees(known: &str, value: &str, written: &str, token: &TemplateToken) -> bool {
    known == value
        || token
            .format
            .as_ref()
            .is_some_and(|format| formatted(known, format) == written)
}

/// Whether a fuller value is written like `less` in some format.
fn agrees_by_format(value: &str, less: &str) -> bool {
    [Format::Upper, Format::Lower, Format::Slug]
        .iter()
        .any(|format| formatted(value, format) == less)
}

fn formatted(value: &str, format: &Format) -> String {
    match format {
        Format::Upper => value.to_uppercase(),
        Format::Lower => value.to_lowercase(),
        Format::Slug => super::expand::slug(value),
        Format::Digits(_) | Format::AnyDigits | Format::Date(_) => value.to_owned(),
    }
}
