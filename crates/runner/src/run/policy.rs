//! What a run does about files that are there already.

use truepath_core::job::{Job, Key};

use crate::inventory::There;
use crate::ledger::Replaces;

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
        let word = job.word(Key::Existing);
        let said = all.into_iter().find(|one| Some(one.word()) == word);
        said.unwrap_or_default()
    }
}

/// What was said for this call.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Policy {
    /// What the job says.
    pub existing: Existing,
    /// Frames of other settings are rendered again.
    pub renew: bool,
    /// Frames of other settings are taken as they are.
    pub accept: bool,
    /// Frames that no run recorded are rendered again.
    pub distrust: bool,
    /// Pictures that are whole and not proven are taken as they are, where their process ended by itself.
    pub accept_unproven: bool,
    /// Files that are as recorded by size and time are read all the same.
    pub reread: bool,
}

/// What is done about one file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fate {
    /// Nothing is there: it is rendered.
    Render,
    /// It stays, and counts as done.
    Keep,
    /// It stays, is told, and counts as not done.
    Tell,
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
    /// What is done about a file; `own` says whether this very run made it, and is asked only where
    /// that matters.
    pub(crate) fn fate(self, there: &There, own: impl FnOnce() -> bool) -> Fate {
        if *there == There::Valid && (self.existing == Existing::Keep || own()) {
            return Fate::Keep;
        }
        match (self.existing, there) {
            (_, There::Missing) => Fate::Render,
            (Existing::Keep, There::Touched) => Fate::Restamp,
            (Existing::Refuse | Existing::NextVersion, _) => Fate::Refuse,
            // What is broken may still be of use to somebody.
            (_, There::Broken(_)) => Fate::SetAside,
            // Nobody knows what it is: it is not removed.
            (Existing::Replace, There::Unrecorded | There::Changed(_) | There::Unverifiable(_)) => {
                Fate::Replace(Replaces::Keep)
            }
            (Existing::Replace, _) => Fate::Replace(Replaces::Remove),
            (Existing::Keep, There::Valid) => Fate::Keep,
            // Somebody may have worked on it.
            (Existing::Keep, There::Changed(_)) if self.renew => Fate::Replace(Replaces::Keep),
            (Existing::Keep, There::Changed(_)) if self.accept => Fate::Accept,
            (Existing::Keep, There::Changed(_) | There::Unverifiable(_)) => Fate::Tell,
            (Existing::Keep, There::Stale) if self.renew => Fate::Replace(Replaces::Remove),
            (Existing::Keep, There::Stale) if self.accept => Fate::Accept,
            (Existing::Keep, There::Stale) => Fate::Tell,
            (Existing::Keep, There::Unrecorded) if self.distrust => Fate::Replace(Replaces::Keep),
            (Existing::Keep, There::Unrecorded) => Fate::Adopt,
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
            There::Missing,
            There::Valid,
            There::Stale,
            There::Unrecorded,
            There::Broken(String::new()),
            There::Changed(String::new()),
            There::Touched,
            There::Unverifiable(String::new()),
        ];
        let fates = |policy: Policy| kinds.clone().map(|there| policy.fate(&there, || false));
        use Fate::{Adopt, Keep, Refuse, Render, Replace, Restamp, SetAside, Tell};
        let remove = Replace(Replaces::Remove);
        let beside = Replace(Replaces::Keep);
        assert_eq!(
            fates(policy(Existing::Keep)),
            [Render, Keep, Tell, Adopt, SetAside, Tell, Restamp, Tell]
        );
        assert_eq!(
            fates(policy(Existing::Replace)),
            [
                Render, remove, remove, beside, SetAside, beside, remove, beside
            ]
        );
        for existing in [Existing::Refuse, Existing::NextVersion] {
            assert_eq!(
                fates(policy(existing)),
                [
                    Render, Refuse, Refuse, Refuse, Refuse, Refuse, Refuse, Refuse
                ]
            );
            assert_eq!(policy(existing).fate(&There::Valid, || true), Keep);
        }
        assert_eq!(policy(Existing::Replace).fate(&There::Valid, || true), Keep);
    }
}
