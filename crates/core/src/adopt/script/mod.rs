//! Takes a script apart into command lines and words: of a POSIX shell, or a batch file.

mod batch;
mod loops;
mod numbers;
mod posix;
mod word;
mod words;

use std::collections::BTreeMap;

use loops::loop_at;
use word::Word;
use words::{Dialect, Statement, statements};

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
    /// A variable that the script does not set.
    #[error("line {line}: the script does not set the variable `{name}`; write its value")]
    Variable {
        /// The line, from 1.
        line: usize,
        /// Its name.
        name: String,
    },
    /// A loop of a form that is not known.
    #[error("line {0}: this loop cannot be read: loops over words or numbers can")]
    Loop(usize),
    /// A word that begins something that only a shell can work out.
    #[error("line {line}: `{word}` needs a shell to work out; write the lines that it runs")]
    Control {
        /// The line, from 1.
        line: usize,
        /// The word.
        word: String,
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
const PREPARES: [&str; 23] = [
    "cd", "set", "echo", "export", "mkdir", "md", "exit", "wait", "pause", "date", "sleep", "sync",
    "true", ":", "printf", "umask", "ulimit", "module", "trap", "setlocal", "endlocal", "title",
    "cls",
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

/// Words that begin what only a shell can work out.
const CONTROL: [&str; 9] = [
    "if", "while", "until", "case", "function", "select", "goto", "call", "eval",
];

/// Takes a script apart: of a POSIX shell, or a batch file. Remarks, empty lines and what only prepares the shell are
/// left out; variables are filled, loops over words and numbers are run through, and lines that do something afterwards
/// are kept apart.
///
/// # Errors
/// When a line needs a shell to work out.
pub fn read_script(text: &str) -> Result<Script, WordsError> {
    let dialect = Dialect::of(text);
    let mut reader = ScriptReader {
        dialect,
        variables: BTreeMap::new(),
        script: Script::default(),
    };
    reader.read(&statements(text, dialect)?)?;
    Ok(reader.script)
}

/// Runs through a script.
struct ScriptReader {
    dialect: Dialect,
    variables: BTreeMap<String, String>,
    script: Script,
}

impl ScriptReader {
    fn read(&mut self, statements: &[Statement]) -> Result<(), WordsError> {
        let mut rest = statements;
        while let Some((first, after)) = rest.split_first() {
            match loop_at(rest, &self.variables)? {
                Some(found) => {
                    for value in found.values {
                        self.variables.insert(found.variable.clone(), value);
                        self.read(&found.body)?;
                    }
                    rest = rest.get(found.length..).unwrap_or_default();
                }
                None => {
                    self.statement(first)?;
                    rest = after;
                }
            }
        }
        Ok(())
    }

    fn statement(&mut self, statement: &Statement) -> Result<(), WordsError> {
        let line = statement.line;
        // What only prepares the shell may speak of what nobody has set.
        let first = statement.words.first().and_then(Word::plain);
        let first = first.unwrap_or_default().to_ascii_lowercase();
        let sets = matches!(first.as_str(), "set" | "export");
        if PREPARES.contains(&first.as_str()) && !sets {
            return Ok(());
        }
        if CONTROL.contains(&first.as_str()) {
            return Err(WordsError::Control { line, word: first });
        }
        let words: Result<Vec<String>, WordsError> = statement
            .words
            .iter()
            .map(|word| word.filled(&self.variables, line))
            .collect();
        let mut words = words?;
        if sets {
            self.set(&words);
            return Ok(());
        }
        let mut env = Vec::new();
        while let Some(first) = words.first() {
            if IN_FRONT.contains(&first.as_str()) {
                words.remove(0);
            } else if first == "nice" {
                let adjusted = words.get(1).is_some_and(|word| word == "-n");
                words.drain(..if adjusted { 3.min(words.len()) } else { 1 });
            } else if let Some((name, value)) = assignment(first) {
                env.push((name.to_owned(), value.to_owned()));
                words.remove(0);
            } else {
                break;
            }
        }
        match words.first() {
            // On a line of their own they are variables of the script.
            None => self.variables.extend(env),
            Some(first) if AFTERWARDS.contains(&first.as_str()) => {
                let line = crate::quote::posix_line(first, words[1..].iter().map(String::as_str));
                self.script.afterwards.push(line);
            }
            Some(_) => {
                env.into_iter().for_each(|variable| self.add_env(variable));
                self.script.lines.push(words);
            }
        }
        Ok(())
    }

    /// `set X=…` of a batch file, `export X=…` of a POSIX shell: the programs see both.
    fn set(&mut self, words: &[String]) {
        let assigned = match self.dialect {
            Dialect::Batch => vec![words[1..].join(" ")],
            Dialect::Posix => words[1..].to_vec(),
        };
        for text in assigned {
            let Some((name, value)) = assignment(&text) else {
                continue;
            };
            let is_batch = self.dialect == Dialect::Batch;
            let known = if is_batch {
                name.to_ascii_uppercase()
            } else {
                name.to_owned()
            };
            self.variables.insert(known, value.to_owned());
            // A batch file sets what it uses itself; only some of it is for the programs, and nobody says which.
            if !is_batch {
                self.add_env((name.to_owned(), value.to_owned()));
            }
        }
    }

    fn add_env(&mut self, variable: (String, String)) {
        if !self.script.env.contains(&variable) {
            self.script.env.push(variable);
        }
    }
}

/// The name and the value of `NAME=value`.
fn assignment(word: &str) -> Option<(&str, &str)> {
    word.split_once('=').filter(|(name, _)| {
        name.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
            && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
    })
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
        let name = "HOME".to_owned();
        assert_eq!(
            read_script("prog $HOME"),
            Err(WordsError::Variable { line: 1, name })
        );
        for (text, sign) in [
            ("a | b", '|'),
            ("a $((1+2))", '$'),
            ("@echo off\na %1", '%'),
        ] {
            let line = text.lines().count();
            assert_eq!(read_script(text), Err(WordsError::Shell { line, sign }));
        }
        assert_eq!(read_script("a\nprog 'x"), Err(WordsError::Open(2)));
    }

    /// The lines of a script, each as one text.
    fn lines(text: &str) -> Vec<String> {
        let script = read_script(text).unwrap();
        script.lines.iter().map(|line| line.join(" ")).collect()
    }

    #[test]
    fn variables_and_loops_of_a_shell_are_worked_out() {
        let text = "#!/bin/sh\nOUT=renders\ncd /srv && export LAMP=on\n\
                    for f in 1 2; do\n  prog -f $f \"$OUT/k.$f.png\"\ndone\n\
                    for f in $(seq 4 2 8); do prog -f ${f} $OUT/k.$f.png; done\n\
                    for f in {09..10}; do prog -f $f $OUT/k.$f.png; done\n";
        let expected = ["1", "2", "4", "6", "8", "09", "10"];
        let expected = expected.map(|f| format!("prog -f {f} renders/k.{f}.png"));
        assert_eq!(lines(text), expected);
        let env = [("LAMP".to_owned(), "on".to_owned())];
        assert_eq!(read_script(text).unwrap().env, env);
        let nested = "for a in x y; do\nfor b in 1 2; do\nprog $a $b\ndone\ndone\nprog end\n";
        let expected = ["prog x 1", "prog x 2", "prog y 1", "prog y 2", "prog end"];
        assert_eq!(lines(nested), expected);
    }

    #[test]
    fn batch_files_are_read_as_windows_reads_them() {
        let text = "@echo off\r\nREM the night\r\n:: all of it\r\nsetlocal\r\nset OUT=D:\\out\r\n\
                    prog --in kiln.scene ^\r\n  --to %out%\\k.1.png\r\n\
                    for /L %%f in (2,1,3) do prog --in kiln.scene --to %OUT%\\k.%%f.png\r\n\
                    for %%f in (4 5) do prog --in kiln.scene --to \"%OUT%\\k.%%f.png\"\r\n";
        let expected = [1, 2, 3, 4, 5];
        let expected = expected.map(|f| format!("prog --in kiln.scene --to D:\\out\\k.{f}.png"));
        assert_eq!(lines(text), expected);
    }

    #[test]
    fn what_is_not_understood_is_named_by_its_line() {
        for (text, line) in [
            ("a\nif true; then b; fi", 2),
            ("a\n\nfor ((i=0;i<3;i++)); do b; done", 3),
            ("for f in 1 2; do a $f", 1),
            ("a \\\n b\na $NOWHERE", 3),
            ("@echo off\nfor /F %%f in (list.txt) do a %%f", 2),
            ("@echo off\nif exist x a", 2),
        ] {
            let error = read_script(text).unwrap_err().to_string();
            assert!(
                error.starts_with(&format!("line {line}: ")),
                "{text}: {error}"
            );
        }
    }
}
