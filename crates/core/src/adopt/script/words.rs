//! The statements of a script, as words with variables that are not filled yet.

use std::collections::BTreeMap;
use std::iter::Peekable;
use std::str::Chars;

use super::WordsError;

/// The shell that a script is written for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Dialect {
    /// A POSIX shell.
    Posix,
    /// A batch file of Windows.
    Batch,
}

impl Dialect {
    /// That of a script: batch files have remarks, variables and continued lines of their own.
    pub(super) fn of(text: &str) -> Self {
        let is_batch = |line: &str| {
            let line = line.trim();
            let lower = line.to_ascii_lowercase();
            let begins = [
                "@echo", "rem ", "::", "setlocal", "set \"", "for /", "for %%",
            ];
            begins.iter().any(|begin| lower.starts_with(begin))
                || line.ends_with('^')
                || (lower.starts_with("set ") && line.contains('='))
        };
        let begins_as_posix = text.starts_with("#!");
        if !begins_as_posix && text.lines().any(is_batch) {
            Self::Batch
        } else {
            Self::Posix
        }
    }

    /// What a line ends with that goes on in the next one.
    fn continues(self) -> char {
        match self {
            Self::Posix => '\\',
            Self::Batch => '^',
        }
    }
}

/// A part of a word.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Piece {
    Text(String),
    Variable(String),
}

/// A word as it is written.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Word(Vec<Piece>);

impl Word {
    fn push(&mut self, sign: char) {
        match self.0.last_mut() {
            Some(Piece::Text(text)) => text.push(sign),
            _ => self.0.push(Piece::Text(sign.to_string())),
        }
    }

    fn text(text: String) -> Self {
        Self(vec![Piece::Text(text)])
    }

    /// The word with the values of its variables.
    pub(super) fn filled(
        &self,
        variables: &BTreeMap<String, String>,
        line: usize,
    ) -> Result<String, WordsError> {
        let mut text = String::new();
        for piece in &self.0 {
            match piece {
                Piece::Text(part) => text.push_str(part),
                Piece::Variable(name) => {
                    let value = variables.get(name);
                    let name = name.clone();
                    text.push_str(value.ok_or(WordsError::Variable { line, name })?);
                }
            }
        }
        Ok(text)
    }

    /// The word where it has no variable.
    pub(super) fn plain(&self) -> Option<&str> {
        match &self.0[..] {
            [] => Some(""),
            [Piece::Text(text)] => Some(text),
            _ => None,
        }
    }

    /// The name of the variable that it is.
    pub(super) fn variable(&self) -> Option<&str> {
        match &self.0[..] {
            [Piece::Variable(name)] => Some(name),
            _ => None,
        }
    }
}

/// A command of a script with its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Statement {
    /// The line that it begins in, from 1.
    pub(super) line: usize,
    pub(super) words: Vec<Word>,
}

/// Takes a script apart into statements.
pub(super) fn statements(text: &str, dialect: Dialect) -> Result<Vec<Statement>, WordsError> {
    let text = text.replace("\r\n", "\n");
    let mut all = Vec::new();
    let mut lines = (1..).zip(text.lines());
    while let Some((line, first)) = lines.next() {
        let mut whole = first.to_owned();
        while whole.ends_with(dialect.continues()) {
            whole.pop();
            let Some((_, next)) = lines.next() else { break };
            whole.push(' ');
            whole.push_str(next);
        }
        let begin = whole.trim_start().to_ascii_lowercase();
        let is_remark = ["::", "rem ", "@rem "]
            .iter()
            .any(|one| begin.starts_with(one));
        if dialect == Dialect::Batch && (is_remark || begin == "rem") {
            continue;
        }
        let mut reader = Reader {
            signs: whole.chars().peekable(),
            dialect,
            line,
            word: None,
            statement: Vec::new(),
            all: &mut all,
        };
        reader.read()?;
    }
    Ok(all)
}

/// Reads a line.
struct Reader<'l> {
    signs: Peekable<Chars<'l>>,
    dialect: Dialect,
    line: usize,
    word: Option<Word>,
    statement: Vec<Word>,
    all: &'l mut Vec<Statement>,
}

impl Reader<'_> {
    fn read(&mut self) -> Result<(), WordsError> {
        let mut quote = None;
        while let Some(sign) = self.signs.next() {
            match self.dialect {
                Dialect::Posix => self.posix(sign, &mut quote)?,
                Dialect::Batch => self.batch(sign, &mut quote)?,
            }
        }
        if quote.is_some() {
            return Err(WordsError::Open(self.line));
        }
        self.end_statement();
        Ok(())
    }

    fn posix(&mut self, sign: char, quote: &mut Option<char>) -> Result<(), WordsError> {
        match (*quote, sign) {
            (Some(open), _) if sign == open => *quote = None,
            (Some('"'), '\\') if matches!(self.signs.peek(), Some('"' | '\\' | '$' | '`')) => {
                let next = self.signs.next();
                next.into_iter().for_each(|next| self.word().push(next));
            }
            (Some('\''), _) => self.word().push(sign),
            (None, '\'' | '"') => {
                *quote = Some(sign);
                self.word();
            }
            (None, '\\') => {
                let word = self.word.get_or_insert_default();
                self.signs
                    .next()
                    .into_iter()
                    .for_each(|next| word.push(next));
            }
            // A remark goes to the end of the line.
            (None, '#') if self.word.is_none() => while self.signs.next().is_some() {},
            (None, ' ' | '\t') => self.end_word(),
            (_, '$') => self.posix_variable(quote.is_some())?,
            (None, ';') => self.end_statement(),
            (None, '&') if self.signs.peek() == Some(&'&') => {
                self.signs.next();
                self.end_statement();
            }
            (_, '`') | (None, '|' | '<' | '>' | '&' | '(' | ')' | '*' | '?') => {
                return Err(self.needs_shell(sign));
            }
            _ => self.word().push(sign),
        }
        Ok(())
    }

    /// `$NAME`, `${NAME}`, or the numbers of `$(seq 1 24)`.
    fn posix_variable(&mut self, is_quoted: bool) -> Result<(), WordsError> {
        let name = match self.signs.peek() {
            Some('{') => {
                self.signs.next();
                self.up_to('}')
            }
            Some('(') if !is_quoted => {
                self.signs.next();
                let command = self.up_to(')').unwrap_or_default();
                let numbers = sequence(&command).ok_or(self.needs_shell('$'))?;
                self.end_word();
                self.statement.extend(numbers.into_iter().map(Word::text));
                return Ok(());
            }
            _ => Some(self.name()),
        };
        let is_name = |name: &String| {
            name.chars()
                .all(|sign| sign.is_ascii_alphanumeric() || sign == '_')
                && name.starts_with(|first: char| !first.is_ascii_digit())
        };
        let name = name.filter(is_name).ok_or(self.needs_shell('$'))?;
        self.word().0.push(Piece::Variable(name));
        Ok(())
    }

    fn batch(&mut self, sign: char, quote: &mut Option<char>) -> Result<(), WordsError> {
        match (*quote, sign) {
            (Some(_), '"') => *quote = None,
            (None, '"') => {
                *quote = Some('"');
                self.word();
            }
            (_, '%') => self.batch_variable()?,
            (Some(_), _) => self.word().push(sign),
            (None, '^') => {
                let word = self.word.get_or_insert_default();
                self.signs
                    .next()
                    .into_iter()
                    .for_each(|next| word.push(next));
            }
            (None, ' ' | '\t') => self.end_word(),
            (None, '@') if self.word.is_none() && self.statement.is_empty() => {}
            (None, '(' | ')') => {
                self.end_word();
                self.statement.push(Word::text(sign.to_string()));
            }
            (None, '&') => {
                self.signs.next_if_eq(&'&');
                self.end_statement();
            }
            (None, '|' | '<' | '>') => return Err(self.needs_shell(sign)),
            _ => self.word().push(sign),
        }
        Ok(())
    }

    /// `%NAME%`, or `%%f` of a loop. Names have no case.
    fn batch_variable(&mut self) -> Result<(), WordsError> {
        let name = if self.signs.next_if_eq(&'%').is_some() {
            let name = self.signs.next().filter(char::is_ascii_alphabetic);
            name.map(String::from)
        } else {
            let name = self.name();
            self.signs
                .next_if_eq(&'%')
                .map(|_| name.to_ascii_uppercase())
        };
        let name = name.filter(|name| !name.is_empty());
        let name = name.ok_or(self.needs_shell('%'))?;
        self.word().0.push(Piece::Variable(name));
        Ok(())
    }

    fn needs_shell(&self, sign: char) -> WordsError {
        WordsError::Shell {
            line: self.line,
            sign,
        }
    }

    fn word(&mut self) -> &mut Word {
        self.word.get_or_insert_default()
    }

    fn end_word(&mut self) {
        self.statement.extend(self.word.take());
    }

    fn end_statement(&mut self) {
        self.end_word();
        let words = std::mem::take(&mut self.statement);
        if !words.is_empty() {
            let line = self.line;
            self.all.push(Statement { line, words });
        }
    }

    /// Letters, digits and underscores that come next.
    fn name(&mut self) -> String {
        let mut name = String::new();
        let is_part = |sign: &char| sign.is_ascii_alphanumeric() || *sign == '_';
        while let Some(sign) = self.signs.next_if(is_part) {
            name.push(sign);
        }
        name
    }

    /// What comes before a sign; none where the sign does not come.
    fn up_to(&mut self, end: char) -> Option<String> {
        let mut text = String::new();
        loop {
            match self.signs.next()? {
                sign if sign == end => return Some(text),
                sign => text.push(sign),
            }
        }
    }
}

/// The numbers that `seq 1 24` or `seq 1 2 24` prints.
fn sequence(command: &str) -> Option<Vec<String>> {
    let words: Vec<&str> = command.split_whitespace().collect();
    match words[..] {
        ["seq", last] => numbers("1", "1", last),
        ["seq", first, last] => numbers(first, "1", last),
        ["seq", first, step, last] => numbers(first, step, last),
        _ => None,
    }
}

/// So many rounds of a loop are read at most.
const MOST_ROUNDS: usize = 100_000;

/// The numbers of a row, up or down.
pub(super) fn numbers(first: &str, step: &str, last: &str) -> Option<Vec<String>> {
    let number = |text: &str| text.trim().parse::<i64>().ok();
    let (mut at, step, last) = (number(first)?, number(step)?, number(last)?);
    let mut all = Vec::new();
    while step != 0 && all.len() < MOST_ROUNDS && (if step > 0 { at <= last } else { at >= last }) {
        all.push(at.to_string());
        at = at.checked_add(step)?;
    }
    (!all.is_empty()).then_some(all)
}
