//! Takes a script apart into command lines and words, as a POSIX shell does.

/// Why a script cannot be taken apart.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WordsError {
    /// A quote that is not closed.
    #[error("line {0}: a quote is not closed")]
    Open(usize),
    /// Something that only a shell can work out.
    #[error("line {line}: `{sign}` needs a shell to work out; write what it comes to")]
    Shell {
        /// The line, from 1.
        line: usize,
        /// The sign.
        sign: char,
    },
}

/// The command lines of a script, as words. Remarks, empty lines, `cd`, `set`, `echo` and what only
/// prepares the shell are left out.
///
/// # Errors
/// When a line needs a shell to work out.
pub fn command_lines(text: &str) -> Result<Vec<Vec<String>>, WordsError> {
    let joined = text.replace("\r\n", "\n").replace("\\\n", " ");
    let mut lines = Vec::new();
    for (number, line) in (1..).zip(joined.lines()) {
        let words = words(line, number)?;
        let prepares = [
            "cd", "set", "echo", "export", "mkdir", "exit", "wait", "@echo", "rem", "pause",
        ];
        match words.first() {
            Some(first) if !prepares.contains(&first.as_str()) => lines.push(words),
            _ => {}
        }
    }
    Ok(lines)
}

fn words(line: &str, number: usize) -> Result<Vec<String>, WordsError> {
    let mut words = Vec::new();
    let mut word: Option<String> = None;
    let mut quote = None;
    let mut signs = line.chars().peekable();
    while let Some(sign) = signs.next() {
        match (quote, sign) {
            (Some(open), _) if sign == open => quote = None,
            (Some('"'), '\\') if matches!(signs.peek(), Some('"' | '\\' | '$' | '`')) => {
                word.get_or_insert_default().extend(signs.next());
            }
            (Some('\''), _) => word.get_or_insert_default().push(sign),
            (None, '\'' | '"') => {
                quote = Some(sign);
                word.get_or_insert_default();
            }
            (None, '\\') => word.get_or_insert_default().extend(signs.next()),
            (None, '#') if word.is_none() => break,
            (None, ' ' | '\t') => words.extend(word.take()),
            (_, '$' | '`') => return Err(WordsError::Shell { line: number, sign }),
            (None, '|' | '<' | '>' | '&' | ';' | '(' | ')' | '*' | '?') => {
                return Err(WordsError::Shell { line: number, sign });
            }
            _ => word.get_or_insert_default().push(sign),
        }
    }
    if quote.is_some() {
        return Err(WordsError::Open(number));
    }
    words.extend(word);
    Ok(words)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::quote::posix_line;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_quoted_is_taken_apart_again(words in prop::collection::vec("[ -~é]{0,10}", 1..5)) {
            let line = posix_line("prog", words.iter().map(String::as_str));
            let mut wanted = vec!["prog".to_owned()];
            wanted.extend(words);
            prop_assert_eq!(command_lines(&line).unwrap(), vec![wanted]);
        }
    }

    #[test]
    fn remarks_are_left_out_and_what_needs_a_shell_is_told() {
        let text = "#!/bin/sh\ncd here\nprog -a \\\n  b # why\n\n";
        assert_eq!(command_lines(text).unwrap(), [["prog", "-a", "b"]]);
        assert_eq!(
            command_lines("prog $HOME"),
            Err(WordsError::Shell { line: 1, sign: '$' })
        );
        assert_eq!(command_lines("a\nprog 'x"), Err(WordsError::Open(2)));
    }
}
