//! What can stand in the way of a deliverable.

use crate::job::Key;
use crate::nearest::{advice, nearest};
use crate::source::Place;
use crate::template::ExpandError;

/// Something that stands in the way of a deliverable.
#[derive(Debug, Clone, PartialEq)]
pub struct Problem {
    /// What.
    pub kind: ProblemKind,
    /// Where.
    pub place: Place,
    /// How many deliverables it stands in the way of.
    pub deliverables: u64,
}

impl Problem {
    /// Puts it among others; the same one is counted and not reported twice.
    pub(super) fn add_to(self, others: &mut Vec<Self>) {
        let same = |known: &&mut Self| known.place == self.place && known.kind == self.kind;
        // Of a large job with a problem in every shot only the last are looked through.
        match others.iter_mut().rev().take(256).find(same) {
            Some(known) => known.deliverables += self.deliverables,
            None => others.push(self),
        }
    }
}

/// What can stand in the way of a deliverable.
#[derive(Debug, Clone, PartialEq)]
pub enum ProblemKind {
    /// A token of a template.
    Token {
        /// What is wrong with it.
        error: ExpandError,
        /// Tokens and places that are known, for advice.
        known: Vec<String>,
    },
    /// A key that must be set and is not.
    Unset(Key),
    /// No profile has this name.
    UnknownEngine {
        /// The name.
        name: String,
        /// What to do.
        advice: String,
    },
    /// A variant, view or preset that no table declares.
    Undeclared {
        /// `variant`, `view` or `preset`.
        kind: &'static str,
        /// The name.
        name: String,
        /// What to do.
        advice: String,
        /// The name that was likely meant.
        near: Option<String>,
    },
    /// The version cannot be read from the scene's name.
    VersionNotRead {
        /// The scene's file name.
        name: String,
        /// Why, as a sentence.
        reason: String,
    },
    /// A place has no folder on the system that paths are made for.
    PlaceElsewhere {
        /// The place.
        name: String,
        /// The system.
        system: String,
    },
    /// A part of a picture that is not inside it.
    CropOutside {
        /// What is wrong, as a sentence.
        reason: String,
    },
    /// A scale without a size to take a part of.
    ScaleOfNothing,
    /// More deliverables than a job may have.
    TooMany,
    /// A path that leaves its place.
    Outside {
        /// Why, as a sentence.
        reason: String,
    },
    /// The extension does not give the format.
    NoFormat,
}

impl ProblemKind {
    /// A name that is none of those that are declared.
    pub(super) fn unknown_name(kind: &'static str, name: &str, names: &[&str]) -> Self {
        Self::Undeclared {
            kind,
            name: name.to_owned(),
            advice: advice(name, names),
            near: nearest(name, names.iter().copied()).map(str::to_owned),
        }
    }
}
