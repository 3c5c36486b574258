//! What the signs of a batch file mean.

use super::WordsError;
use super::word::{Piece, Word};
use super::words::Reader;

impl Reader<'_> {
    pub(super) fn batch(&mut self, sign: char, quote: &mut Option<char>) -> Result<(), WordsError> {
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
}
