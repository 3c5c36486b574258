//! What the signs of a POSIX shell mean.

use super::WordsError;
use super::numbers::numbers;
use super::word::{Piece, Word};
use super::words::Reader;

impl Reader<'_> {
    pub(super) fn posix(&mut self, sign: char, quote: &mut Option<char>) -> Result<(), WordsError> {
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
