//! What core must know of the disk and of programs, asked as values.

use std::collections::{BTreeMap, BTreeSet};

use crate::deliverable::Expansion;
use crate::engine::Profile;

/// Something that only the outside world can tell.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum Question {
    /// Is there a file at this absolute path?
    File(String),
    /// Where is this program?
    Program(String),
}

/// What the outside world told.
#[derive(Debug, Clone, Default)]
pub struct Answers {
    /// Whether there is a file.
    pub files: BTreeMap<String, bool>,
    /// Where a program is, if it is anywhere.
    pub programs: BTreeMap<String, Option<String>>,
}

/// All that must be known before the rules can look at a job.
#[must_use]
pub fn questions(expansion: &Expansion) -> Vec<Question> {
    let mut all = BTreeSet::new();
    for deliverable in &expansion.deliverables {
        let common = &deliverable.common;
        if let Some(scene) = &common.scene {
            all.insert(Question::File(scene.path.clone()));
        }
        if common.engine.program != Profile::THIS_PROGRAM {
            all.insert(Question::Program(common.engine.program.clone()));
        }
    }
    all.into_iter().collect()
}
