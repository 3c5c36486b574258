//! What the rules about names that a scene does not have share.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, count};
use crate::job::PlacedText;
use crate::nearest::{advice, nearest};
use crate::rules::{Rule, Subject};
use crate::scene_facts::SceneFacts;

/// A kind of name that scenes know.
pub(super) struct Unknown {
    /// `camera`, `pass` or `setting`.
    pub(super) kind: &'static str,
    /// What would become of the files.
    pub(super) lost: &'static str,
    /// Whether the place of a word holds the name itself, so that another can be put there.
    pub(super) place_is_name: bool,
}

impl Unknown {
    /// Tells the words that `strange` finds, each once; with them come those that the scene knows.
    pub(super) fn findings<'a>(
        &self,
        rule: &Rule,
        subject: &Subject<'a>,
        strange: impl Fn(&Deliverable, &'a SceneFacts) -> Option<(PlacedText, &'a Vec<String>)>,
    ) -> Vec<Finding> {
        let wrong = |one: &Deliverable| {
            let facts = subject.scene_facts(one)?;
            strange(one, facts).filter(|_| !one.is_assembled())
        };
        subject
            .once_by(|one| {
                let (word, known) = wrong(one)?;
                Some(((word.text.clone(), word.place.clone()), (word, known)))
            })
            .into_iter()
            .map(|(_, (word, known), files)| {
                let known: Vec<&str> = known.iter().map(String::as_str).collect();
                let finding = rule
                    .finding(format!("the scene has no {} `{}`", self.kind, word.text))
                    .at(&word.place, "")
                    .so(format!("{} {}", count(files, "file", "files"), self.lost))
                    .advise(advice(&word.text, &known));
                let near = nearest(&word.text, known.iter().copied());
                match near.filter(|_| self.place_is_name) {
                    Some(near) => finding.fix(&word.place, near),
                    None => finding,
                }
            })
            .collect()
    }
}
