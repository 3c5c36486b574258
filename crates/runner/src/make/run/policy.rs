//! What a run does about files that are there already.

use truepath_core::job::{Job, Key};

use crate::look::inventory::FileOnDisk;
use crate::record::ledger::Replaces;

/// What is done about files that are there.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Existing {
    /// Whole ones of today's settings are kept.
    #[default]
    Keep,
    /// Each is replaced once its successor is verified.
    Replace,
    /// The run does not begin.
    Refuse,
    /// The run goes on to the next version that is free.
    NextVersion,
}

impl Existing {
    /// The word in job files.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Keep => "keep",
            Self::Replace => "replace",
            Self::Refuse => "refuse",
            Self::NextVersion => "next-version",
        }
    }

    /// What the job says.
    #[must_use]
    pub fn of(job: &Job) -> Self {
        let all = [Self::Keep, Self::Replace, Self::Refuse, Self::NextVersion];
        let word: Option<String> = job.get(Key::Existing);
        let existing = all
            .into_iter()
            .find(|one| Some(one.word()) == word.as_deref());
        existing.unwrap_or_default()
    }
}

/// What the options of this call set.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Policy {
    /// What the job says.
    pub existing: Existing,
    /// Frames of other settings are rendered again.
    pub rerender_stale: bool,
    /// Frames of other settings are taken as they are.
    pub keep_stale: bool,
    /// Frames that no run recorded are rendered again.
    pub rerender_unrecorded: bool,
    /// Pictures that are whole and not proven are taken as they are, where their process ended by itself.
    pub accept_unproven: bool,
    /// Files that are as recorded by size and time are read all the same.
    pub verify_all: bool,
}

/// What is done about one file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum FileAction {
    /// Nothing is there: it is rendered.
    Render,
    /// It stays, and counts as done.
    Keep,
    /// It stays, is reported, and counts as not done.
    Report,
    /// It stays, and the ledger says from now on that it is right, if it is the right kind of picture.
    Accept,
    /// It stays, and the ledger gets its new time.
    Restamp,
    /// It stays, and the ledger knows it from now on.
    Adopt,
    /// It is set aside, and rendered.
    SetAside,
    /// It is rendered, and gives way when its successor is verified.
    Replace(Replaces),
    /// The run must not begin.
    Refuse,
}

impl Policy {
    /// What is done about a file. `is_assembled` says whether it is made from other files: where these are others, it is
    /// made again without being asked for. `own` says whether this very run made it, and is asked only where that
    /// matters.
    pub(crate) fn action(
        self,
        found: &FileOnDisk,
        is_assembled: bool,
        own: impl FnOnce() -> bool,
    ) -> FileAction {
        if *found == FileOnDisk::Valid && (self.existing == Existing::Keep || own()) {
            return FileAction::Keep;
        }
        match (self.existing, found) {
            (_, FileOnDisk::Missing) => FileAction::Render,
            (Existing::Keep, FileOnDisk::Touched) => FileAction::Restamp,
            (Existing::Refuse | Existing::NextVersion, _) => FileAction::Refuse,
            // What is broken may still be of use to somebody.
            (_, FileOnDisk::Broken(_)) => FileAction::SetAside,
            // Nobody knows what it is: it is not removed.
            (
                Existing::Replace,
                FileOnDisk::Unrecorded | FileOnDisk::Changed(_) | FileOnDisk::Unverifiable(_),
            ) => FileAction::Replace(Replaces::Keep),
            (Existing::Replace, _) => FileAction::Replace(Replaces::Remove),
            (Existing::Keep, FileOnDisk::Valid) => FileAction::Keep,
            // Somebody may have worked on it.
            (Existing::Keep, FileOnDisk::Changed(_)) if self.rerender_stale => {
                FileAction::Replace(Replaces::Keep)
            }
            (Existing::Keep, FileOnDisk::Changed(_)) if self.keep_stale => FileAction::Accept,
            (Existing::Keep, FileOnDisk::Changed(_) | FileOnDisk::Unverifiable(_)) => {
                FileAction::Report
            }
            // A run has made it of other files; whoever handed it on may ask for it again.
            (Existing::Keep, FileOnDisk::Stale) if is_assembled => {
                FileAction::Replace(Replaces::Keep)
            }
            (Existing::Keep, FileOnDisk::Stale) if self.rerender_stale => {
                FileAction::Replace(Replaces::Remove)
            }
            (Existing::Keep, FileOnDisk::Stale) if self.keep_stale => FileAction::Accept,
            (Existing::Keep, FileOnDisk::Stale) => FileAction::Report,
            (Existing::Keep, FileOnDisk::Unrecorded) if self.rerender_unrecorded => {
                FileAction::Replace(Replaces::Keep)
            }
            (Existing::Keep, FileOnDisk::Unrecorded) => FileAction::Adopt,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_policy_and_every_file() {
        let policy = |existing| Policy {
            existing,
            ..Policy::default()
        };
        let kinds = [
            FileOnDisk::Missing,
            FileOnDisk::Valid,
            FileOnDisk::Stale,
            FileOnDisk::Unrecorded,
            FileOnDisk::Broken(String::new()),
            FileOnDisk::Changed(String::new()),
            FileOnDisk::Touched,
            FileOnDisk::Unverifiable(String::new()),
        ];
        let actions = |policy: Policy| {
            kinds
                .clone()
                .map(|found| policy.action(&found, false, || false))
        };
        use FileAction::{Adopt, Keep, Refuse, Render, Replace, Report, Restamp, SetAside};
        let remove = Replace(Replaces::Remove);
        let beside = Replace(Replaces::Keep);
        assert_eq!(
            actions(policy(Existing::Keep)),
            [
                Render, Keep, Report, Adopt, SetAside, Report, Restamp, Report
            ]
        );
        assert_eq!(
            actions(policy(Existing::Replace)),
            [
                Render, remove, remove, beside, SetAside, beside, remove, beside
            ]
        );
        for existing in [Existing::Refuse, Existing::NextVersion] {
            assert_eq!(
                actions(policy(existing)),
                [
                    Render, Refuse, Refuse, Refuse, Refuse, Refuse, Refuse, Refuse
                ]
            );
            assert_eq!(
                policy(existing).action(&FileOnDisk::Valid, false, || true),
                Keep
            );
        }
        assert_eq!(
            policy(Existing::Replace).action(&FileOnDisk::Valid, false, || true),
            Keep
        );
        // What is made from other files differs in one cell.
        let assembled = kinds
            .clone()
            .map(|found| policy(Existing::Keep).action(&found, true, || false));
        assert_eq!(
            assembled,
            [
                Render, Keep, beside, Adopt, SetAside, Report, Restamp, Report
            ]
        );
    }
}
