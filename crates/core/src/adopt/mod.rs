//! Reads command lines that somebody already uses, and makes a job of them.

mod found;
mod group;
mod guess;
mod job;
mod meaning;
mod output;
mod path;
mod script;
mod shots;

pub use meaning::{Hint, Meaning, ValueMeaning};
pub use script::{Script, WordsError, read_script};

use crate::profile::Profile;

/// What is known of the folder in which the command lines were used.
pub trait Folder {
    /// Whether a file of this name, relative or absolute, is there.
    fn has(&self, name: &str) -> bool;
}

/// What command lines were taken to mean.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Adoption {
    /// The program.
    pub program: String,
    /// The words of the first line after the program, with what they mean.
    pub words: Vec<Meaning>,
    /// The profile that is for this program, where there is one.
    pub profile: Option<String>,
    /// The text of a job that gives the same lines back.
    pub job: String,
    /// What could not be understood, or should be looked at.
    pub remarks: Vec<String>,
}

/// Why command lines cannot be adopted.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AdoptError {
    /// There is none.
    #[error("there is no command line to read; give it after `--`, or a script with --script")]
    Nothing,
    /// They are of several programs, or of different shapes.
    #[error("line {line} is not like the first: {why}; adopt the lines of one kind at a time")]
    Unlike {
        /// The line, from 1.
        line: usize,
        /// What differs.
        why: String,
    },
    /// Nothing in it looks like what is written.
    #[error(
        "nothing in the line looks like a picture that is written; say which word is it with --meaning, such as --meaning=--dest=output or --meaning=4=output"
    )]
    NoOutput {
        /// What the words were taken to mean.
        words: Vec<Meaning>,
    },
    /// The user says what something means that is not there.
    #[error(
        "no word of the line is `{flag}`, or begins with it: --meaning takes a flag of the line, or the number of a word"
    )]
    UnknownHint {
        /// The flag.
        flag: String,
    },
    /// What is called the name of what is written is not enough, or is more than that.
    #[error("word {word}, `{text}`, is taken for the name of what is written; {advice}")]
    UnclearName {
        /// The word, from 1.
        word: usize,
        /// What stands there.
        text: String,
        /// What to say.
        advice: String,
        /// What the words were taken to mean.
        words: Vec<Meaning>,
    },
    /// Something differs from line to line and nobody knows what it means.
    #[error(
        "word {word} differs from line to line ({texts}), and what it means is not known; say it with --meaning, such as --meaning={word}=camera"
    )]
    Varies {
        /// The word, from 1.
        word: usize,
        /// What stands there.
        texts: String,
        /// What the words were taken to mean.
        words: Vec<Meaning>,
    },
}

impl AdoptError {
    /// What the words were taken to mean, as far as that is known.
    #[must_use]
    pub fn words(&self) -> &[Meaning] {
        match self {
            Self::NoOutput { words }
            | Self::Varies { words, .. }
            | Self::UnclearName { words, .. } => words,
            Self::Nothing | Self::Unlike { .. } | Self::UnknownHint { .. } => &[],
        }
    }
}

/// Reads command lines of one kind, with what the user says that flags mean.
///
/// # Errors
/// When they cannot be understood as one job.
pub fn adopt(
    script: &Script,
    folder: &dyn Folder,
    profiles: &[&Profile],
    hints: &[Hint],
) -> Result<Adoption, AdoptError> {
    let lines = &script.lines;
    let Some((first, others)) = lines.split_first() else {
        return Err(AdoptError::Nothing);
    };
    let Some((program, _)) = first.split_first() else {
        return Err(AdoptError::Nothing);
    };
    for (line, other) in (2..).zip(others) {
        let why = if other.first() != Some(program) {
            format!("it starts `{}`", other.first().map_or("", String::as_str))
        } else if other.len() != first.len() {
            format!("it has {} words and not {}", other.len(), first.len())
        } else {
            continue;
        };
        return Err(AdoptError::Unlike { line, why });
    }
    let base = program.rsplit(['/', '\\']).next().unwrap_or(program);
    let profile = profiles.iter().find(|profile| profile.program == base);
    let columns: Vec<Vec<&str>> = (1..first.len())
        .map(|column| lines.iter().map(|line| line[column].as_str()).collect())
        .collect();
    if let Some((flag, _)) = hints
        .iter()
        .find(|(flag, _)| !guess::is_meant(flag, &columns))
    {
        return Err(AdoptError::UnknownHint { flag: flag.clone() });
    }
    let words = guess::guess(&columns, folder, profile.copied(), hints);
    job::write(program, &columns, words, script, profile.copied())
}
