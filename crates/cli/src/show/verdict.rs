//! How many of the wanted files are valid, and what the others are: the same words in every command.

use std::fmt;

use truepath_core::file_state::FileState;
use truepath_core::finding::grouped;

use super::{ERROR, GOOD, files};

/// How many files are wanted, valid, and in other states.
#[derive(Debug, Clone, Default)]
pub(crate) struct Verdict {
    wanted: u64,
    valid: u64,
    others: Vec<(FileState, u64)>,
}

impl Verdict {
    /// Of so many wanted files so many are valid; the others by their states.
    pub(crate) fn new(
        wanted: u64,
        valid: u64,
        others: impl IntoIterator<Item = (FileState, u64)>,
    ) -> Self {
        let others = others.into_iter().filter(|(_, number)| *number > 0);
        Self {
            wanted,
            valid,
            others: others.collect(),
        }
    }

    /// Whether all that is wanted is valid. Nothing wanted is never complete.
    pub(crate) fn is_complete(&self) -> bool {
        self.wanted > 0 && self.valid >= self.wanted
    }

    /// The verdict as a line; `of` names the job, or is empty.
    pub(crate) fn line(&self, of: &str) -> String {
        if self.is_complete() {
            format!("{GOOD}complete{GOOD:#}: {}", self.sentence(of))
        } else {
            format!("{ERROR}not complete{ERROR:#}: {}", self.sentence(of))
        }
    }

    /// How many files are valid, and what the others are.
    pub(crate) fn sentence(&self, of: &str) -> String {
        let of = if of.is_empty() {
            String::new()
        } else {
            format!(" of {of}")
        };
        match self.wanted {
            0 => return format!("no file{of} is wanted"),
            1 if self.is_complete() => return format!("the only file{of} is valid"),
            wanted if self.is_complete() => {
                return format!("all {}{of} are valid", files(wanted));
            }
            _ => {}
        }
        let are = if self.valid == 1 { "is" } else { "are" };
        let mut text = format!(
            "{} of {}{of} {are} valid",
            grouped(self.valid),
            files(self.wanted)
        );
        for (at, (state, number)) in self.others.iter().enumerate() {
            let separator = if at == 0 { ": " } else { ", " };
            text.push_str(&format!("{separator}{} {state}", grouped(*number)));
        }
        text
    }
}

impl fmt::Display for Verdict {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(&self.line(""))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_counts_valid_files_and_names_the_others() {
        let sentence = |wanted, valid, others: &[(FileState, u64)]| {
            Verdict::new(wanted, valid, others.iter().copied()).sentence("queue.toml")
        };
        assert_eq!(
            sentence(12, 12, &[]),
            "all 12 files of queue.toml are valid"
        );
        assert_eq!(sentence(1, 1, &[]), "the only file of queue.toml is valid");
        assert_eq!(
            sentence(12, 1, &[(FileState::Stale, 11), (FileState::Changed, 0)]),
            "1 of 12 files of queue.toml is valid: 11 stale"
        );
        assert_eq!(sentence(0, 0, &[]), "no file of queue.toml is wanted");
        assert!(!Verdict::new(0, 0, []).is_complete());
    }
}
