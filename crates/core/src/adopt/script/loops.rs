//! Loops over words and numbers: `for f in 1 2 3`, `for f in {1..24}`, `for /L %%f in (1,1,24)`.

use std::collections::BTreeMap;

use super::WordsError;
use super::numbers::numbers;
use super::word::Word;
use super::words::Statement;

/// A loop: its variable, the values that it takes, and what is done with each.
pub(super) struct Loop {
    pub(super) variable: String,
    pub(super) values: Vec<String>,
    pub(super) body: Vec<Statement>,
    /// How many statements of the script it takes.
    pub(super) length: usize,
}

/// The loop that begins with the first of some statements; none where none begins there.
pub(super) fn loop_at(
    statements: &[Statement],
    variables: &BTreeMap<String, String>,
) -> Result<Option<Loop>, WordsError> {
    let Some((head, rest)) = statements.split_first() else {
        return Ok(None);
    };
    let is_loop = head.words.first().and_then(Word::plain);
    if !is_loop.is_some_and(|word| word.eq_ignore_ascii_case("for")) {
        return Ok(None);
    }
    let refused = WordsError::Loop(head.line);
    let found = if head.words.iter().any(|word| word.plain() == Some("(")) {
        batch(head, variables)?
    } else {
        posix(head, rest, variables)?
    };
    found.map(Some).ok_or(refused)
}

/// `for f in 1 2 3`, `do …`, `done`.
fn posix(
    head: &Statement,
    rest: &[Statement],
    variables: &BTreeMap<String, String>,
) -> Result<Option<Loop>, WordsError> {
    let [_, name, of, listed @ ..] = &head.words[..] else {
        return Ok(None);
    };
    let (Some(variable), Some("in")) = (name.plain(), of.plain()) else {
        return Ok(None);
    };
    let mut values = Vec::new();
    for word in listed {
        let word = word.filled(variables, head.line)?;
        match in_braces(&word) {
            Some(numbers) => values.extend(numbers),
            None => values.push(word),
        }
    }
    let mut depth = 1;
    let end = rest.iter().position(|statement| {
        match statement.words.first().and_then(Word::plain) {
            Some("for" | "while" | "until") => depth += 1,
            Some("do") if statement.words.get(1).and_then(Word::plain) == Some("for") => depth += 1,
            Some("done") => depth -= 1,
            _ => {}
        }
        depth == 0
    });
    let Some(end) = end else { return Ok(None) };
    let mut body = rest[..end].to_vec();
    let Some(first) = body.first_mut() else {
        return Ok(None);
    };
    if first.words.first().and_then(Word::plain) != Some("do") {
        return Ok(None);
    }
    first.words.remove(0);
    body.retain(|statement| !statement.words.is_empty());
    Ok(Some(Loop {
        variable: variable.to_owned(),
        values,
        body,
        length: end + 2,
    }))
}

/// `{1..24}`, or `{01..24}` with zeros.
fn in_braces(word: &str) -> Option<Vec<String>> {
    let (first, last) = word
        .strip_prefix('{')?
        .strip_suffix('}')?
        .split_once("..")?;
    let ascends = first.parse::<i64>().ok()? <= last.parse::<i64>().ok()?;
    let row = numbers(first, if ascends { "1" } else { "-1" }, last)?;
    let width = if first.starts_with('0') {
        first.len()
    } else {
        0
    };
    Some(
        row.into_iter()
            .map(|number| format!("{number:0>width$}"))
            .collect(),
    )
}

/// `for /L %%f in (1,1,24) do …`, `for %%f in (a b c) do …`.
fn batch(
    head: &Statement,
    variables: &BTreeMap<String, String>,
) -> Result<Option<Loop>, WordsError> {
    let mut words = &head.words[1..];
    let mut counts = false;
    if let [first, rest @ ..] = words
        && let Some(option) = first.plain().filter(|word| word.starts_with('/'))
    {
        if !option.eq_ignore_ascii_case("/l") {
            return Ok(None);
        }
        (counts, words) = (true, rest);
    }
    let is = |word: &Word, text: &str| {
        word.plain()
            .is_some_and(|plain| plain.eq_ignore_ascii_case(text))
    };
    let [name, of, open, listed @ ..] = words else {
        return Ok(None);
    };
    let Some(close) = listed.iter().position(|word| is(word, ")")) else {
        return Ok(None);
    };
    let (listed, after) = (&listed[..close], &listed[close + 1..]);
    let (Some(variable), Some((done, body))) = (name.variable(), after.split_first()) else {
        return Ok(None);
    };
    if !is(of, "in") || !is(open, "(") || !is(done, "do") || body.is_empty() || is(&body[0], "(") {
        return Ok(None);
    }
    let filled: Result<Vec<String>, WordsError> = listed
        .iter()
        .map(|word| word.filled(variables, head.line))
        .collect();
    let joined = filled?.join(" ");
    let parts: Vec<&str> = joined
        .split([',', ' ', ';'])
        .filter(|part| !part.is_empty())
        .collect();
    let values = match parts[..] {
        [first, step, last] if counts => numbers(first, step, last),
        _ if counts => None,
        _ => Some(parts.into_iter().map(str::to_owned).collect()),
    };
    Ok(values.map(|values| Loop {
        variable: variable.to_owned(),
        values,
        body: vec![Statement {
            line: head.line,
            words: body.to_vec(),
        }],
        length: 1,
    }))
}
