//! Takes a script apart into command lines and words, as a POSIX shell does.

/// Why a script cannot be taken apart.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WordsError {
    /// A quote that is not closed.
    #[error("line {0}: a quote is not closed")]
    Open(usize),
    /// Something that only a shell can work out.
    #[error("line {line}: `{sign}` needs a shell to work out; write its result")]
    Shell {
        /// The line, from 1.
        line: usize,
        /// The sign.
        sign: char,
    },
}

/// A script, taken apart.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Script {
    /// The command lines, as words.
    pub lines: Vec<Vec<String>>,
    /// Variables that stand before all of them: name and value.
    pub env: Vec<(String, String)>,
    /// Lines that do something else at the end, such as switching the machine off.
    pub afterwards: Vec<String>,
}

/// Lines that only prepare the shell.
const PREPARES: [&str; 20] = [
    "cd", "set", "echo", "export", "mkdir", "exit", "wait", "@echo", "rem", "pause", "date",
    "sleep", "sync", "true", ":", "printf", "umask", "ulimit", "module", "trap",
];
/// Lines that do something when all is rendered.
const AFTERWARDS: [&str; 12] = [
    "shutdown",
    "poweroff",
    "halt",
    "reboot",
    "systemctl",
    "notify-send",
    "mail",
    "rsync",
    "cp",
    "mv",
    "rm",
    "curl",
];
/// Words that may stand before a command and change nothing about it.
const IN_FRONT: [&str; 4] = ["nohup", "time", "exec", "sudo"];

/// Takes a script apart. Remarks, empty lines and what only prepares the shell are left out; lines that
/// do something afterwards are kept apart.
///
/// # Errors
/// When a line needs a shell to work out.
pub fn read_script(text: &str) -> Result<Script, WordsError> {
    let joined = text.replace("\r\n", "\n").replace("\\\n", " ");
    let mut script = Script::default();
    for (number, line) in (1..).zip(joined.lines()) {
        let mut words: Vec<String> = words(line, number)?;
        let mut env = Vec::new();
        while let Some(first) = words.first() {
            if IN_FRONT.contains(&first.as_str()) {
                words.remove(0);
            } else if first == "nice" {
                let adjusted = words.get(1).is_some_and(|word| word == "-n");
                words.drain(..if adjusted { 3.min(words.len()) } else { 1 });
            } else if let Some((name, value)) = first.split_once('=').filter(|(name, _)| {
                name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
                    && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
            }) {
                env.push((name.to_owned(), value.to_owned()));
                words.remove(0);
            } else {
                break;
            }
        }
        let Some(first) = words.first() else {
            continue;
        };
        if PREPARES.contains(&first.as_str()) {
            continue;
        }
        if AFTERWARDS.contains(&first.as_str()) {
            script.afterwards.push(line.trim().to_owned());
            continue;
        }
        for variable in env {
            if !script.env.contains(&variable) {
                script.env.push(variable);
            }
        }
        script.lines.push(words);
    }
    Ok(script)
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
            prop_assert_eq!(read_script(&line).unwrap().lines, vec![wanted]);
        }
    }

    #[test]
    fn remarks_are_left_out_and_what_needs_a_shell_is_reported() {
        let text = "#!/bin/sh\ncd here\nprog -a \\\n  b # why\n\n";
        assert_eq!(read_script(text).unwrap().lines, [["prog", "-a", "b"]]);
        assert_eq!(
            read_script("prog $HOME"),
            Err(WordsError::Shell { line: 1, sign: '$' })
        );
        assert_eq!(read_script("a\nprog 'x"), Err(WordsError::Open(2)));
    }
}
