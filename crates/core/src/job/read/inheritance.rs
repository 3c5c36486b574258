//! What variants inherit from.

use super::JobReader;
use crate::finding::Finding;
use crate::job::Job;
use crate::nearest::advice;

/// A variant inherits over so many steps at most.
const MOST_STEPS: usize = 64;

impl JobReader<'_> {
    /// Every variant inherits from one that is declared, and none from itself.
    pub(super) fn inheritance(&mut self, job: &Job) {
        let names: Vec<&str> = job.variants.iter().map(|one| one.name.as_str()).collect();
        for variant in &job.variants {
            let mut path = vec![variant.name.as_str()];
            let mut from = variant.inherits.as_ref();
            while let Some(word) = from {
                let Some(parent) = job.variants.iter().find(|one| one.name == word.text) else {
                    // Reported where it is written, not for all that inherit from it.
                    if path.len() == 1 {
                        self.findings.push(
                            Finding::error(
                                "TP006",
                                format!("the job has no variant `{}`", word.text),
                            )
                            .at(&word.place, "")
                            .advise(advice(&word.text, &names)),
                        );
                    }
                    break;
                };
                path.push(&parent.name);
                if parent.name == variant.name {
                    // A circle is reported once, for the first of its variants.
                    let first = names.iter().find(|name| path.contains(name));
                    if first != Some(&variant.name.as_str()) {
                        break;
                    }
                    self.findings.push(
                        Finding::error(
                            "TP006",
                            format!("the variant `{}` inherits from itself", variant.name),
                        )
                        .at(&word.place, path.join(" → "))
                        .advise("take one of these steps out"),
                    );
                    break;
                }
                if path.len() > MOST_STEPS {
                    self.findings.push(
                        Finding::error(
                            "TP009",
                            format!(
                                "the variant `{}` inherits over more than {MOST_STEPS} steps",
                                variant.name
                            ),
                        )
                        .at(&word.place, "")
                        .advise("let it inherit from fewer"),
                    );
                    break;
                }
                if path.len() > names.len() {
                    // A circle that this variant only leads into is reported where it is.
                    break;
                }
                from = parent.inherits.as_ref();
            }
        }
    }
}
