//! The statements of a script, as words with variables that are not filled yet. What signs mean is in `posix` and `batch`.

use std::iter::Peekable;
use std::str::Chars;

use super::WordsError;
use super::word::Word;

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
pub(super) struct Reader<'l> {
    pub(super) signs: Peekable<Chars<'l>>,
    dialect: Dialect,
    line: usize,
    pub(super) word: Option<Word>,
    pub(super) statement: Vec<Word>,
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

    pub(super) fn needs_shell(&self, sign: char) -> WordsError {
        WordsError::Shell {
            line: self.line,
            sign,
        }
    }

    pub(super) fn word(&mut self) -> &mut Word {
        self.word.get_or_insert_default()
    }

    pub(super) fn end_word(&mut self) {
        self.statement.extend(self.word.take());
    }

    pub(super) fn end_statement(&mut self) {
        self.end_word();
        let words = std::mem::take(&mut self.statement);
        if !words.is_empty() {
            let line = self.line;
            self.all.push(Statement { line, words });
        }
    }

    /// Letters, digits and underscores that come next.
    pub(super) fn name(&mut self) -> String {
        let mut name = String::new();
        let is_part = |sign: &char| sign.is_ascii_alphanumeric() || *sign == '_';
        while let Some(sign) = self.signs.next_if(is_part) {
            name.push(sign);
        }
        name
    }

    /// What comes before a sign; none where the sign does not come.
    pub(super) fn up_to(&mut self, end: char) -> Option<String> {
        let mut text = String::new();
        loop {
            match self.signs.next()? {
                sign if sign == end => return Some(text),
                sign => text.push(sign),
            }
        }
    }
}
