//! Templates: what is read is written again as it was meant, and every path that a template gives
//! is read back to values that give it again.
#![no_main]

use libfuzzer_sys::fuzz_target;
use truepath_core::template::{Candidates, Template, TokenValue, Values, expand, readings};

const NUMBERS: [&str; 5] = ["frame", "version", "first", "last", "width"];

// A template, a number and a word, a line each.
fuzz_target!(|input: &str| {
    let mut lines = input.splitn(3, '\n');
    let text = lines.next().unwrap_or_default();
    let number = lines.next().and_then(|line| line.parse().ok()).unwrap_or(0);
    let word = lines.next().unwrap_or("dawn");
    let template: Template = match text.parse() {
        Ok(template) => template,
        Err(error) => {
            let error: truepath_core::template::TemplateError = error;
            assert!(text.get(error.span.clone()).is_some(), "{error:?}");
            return;
        }
    };
    let written = template.to_string();
    let again_written = written.parse::<Template>().map(|again| again.to_string());
    assert_eq!(again_written.as_ref(), Ok(&written));
    let given = |name: &str| match name {
        name if NUMBERS.contains(&name) => TokenValue::Number(number),
        name if name.starts_with("place.") => TokenValue::Path("/srv/renders".to_owned()),
        "nothing" | "view" => TokenValue::Nothing,
        "date" => "2026-03-21T09:30:00".parse().map_or(TokenValue::Nothing, TokenValue::Date),
        _ => TokenValue::Text(word.to_owned()),
    };
    let Ok(pattern) = expand(&template, &given) else {
        return;
    };
    let path = pattern.path(0);
    let candidates = |name: &str| match name {
        name if NUMBERS.contains(&name) => Candidates::Number,
        name if name.starts_with("place.") => Candidates::Path,
        "date" => Candidates::Date,
        _ => Candidates::Text,
    };
    // A template of many free texts has more ways than anybody waits for.
    if template.tokens().len() > 6 || path.len() > 60 {
        return;
    }
    for values in readings(&template, &path, &candidates).unwrap_or_default() {
        assert_eq!(again(&template, &values), Some(path.clone()), "{values:?}");
    }
});

/// The path that values which were read back give.
fn again(template: &Template, values: &Values) -> Option<String> {
    let value = |name: &str| match values.iter().find(|(known, _)| known == name) {
        None => TokenValue::Nothing,
        Some((_, value)) if NUMBERS.contains(&name) => {
            value.parse().map_or(TokenValue::Nothing, TokenValue::Number)
        }
        Some((_, value)) if name.starts_with("place.") => TokenValue::Path(value.clone()),
        Some((_, value)) if name == "date" => {
            value.parse().map_or(TokenValue::Nothing, TokenValue::Date)
        }
        Some((_, value)) => TokenValue::Text(value.clone()),
    };
    expand(template, &value).ok().map(|pattern| pattern.path(0))
}
