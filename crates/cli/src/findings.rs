//! What the rules say of the chosen part of a job, and what of it is wanted.

use std::collections::btree_map::Entry;
use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::finding::{Finding, Severity};
use truepath_core::rules::{Subject, check};
use truepath_runner::follow::answers::answer;
use truepath_runner::load::LoadError;

use crate::error::CommandError;
use crate::job_arguments::Chosen;

impl Chosen {
    /// The deliverables whose files are wanted. Where the job has mistakes that leave some out, or nothing is wanted, that is
    /// an error: nothing is never complete.
    pub(crate) fn wanted(&self) -> Result<&Expansion, CommandError> {
        if !self.chosen.problems.is_empty() {
            let findings = findings(self);
            if has_errors(&findings) {
                return Err(CommandError::Load(LoadError::Mistakes {
                    sources: Box::new(self.loaded.job.sources.clone()),
                    findings,
                }));
            }
        }
        let deliverables = self.chosen.deliverables.iter();
        if deliverables.map(|one| one.files().count()).sum::<u64>() > 0 {
            return Ok(&self.chosen);
        }
        Err(match &self.chosen.share {
            Some(_) => CommandError::NothingForPart(self.name.clone()),
            None => CommandError::NothingWanted(self.name.clone()),
        })
    }
}

/// What the rules have to say about the chosen part of a job.
pub(crate) fn findings(chosen: &Chosen) -> Vec<Finding> {
    findings_asking(chosen, false)
}

/// The same; with `ask` engines are started to report their version and what their scenes have.
pub(crate) fn findings_asking(chosen: &Chosen, ask: bool) -> Vec<Finding> {
    let answers = answer(&chosen.loaded, &chosen.chosen, ask);
    let (job, around) = (&chosen.loaded.job, &chosen.loaded.surroundings);
    let subject = Subject::new(job, &chosen.chosen, around, &answers);
    let mut findings = if chosen.is_selected {
        check(&subject.within(&chosen.all()))
    } else {
        check(&subject)
    };
    findings.extend(clashes_by_links(&chosen.chosen));
    findings
}

/// Deliverables whose paths differ, and whose files are the same by a link between their folders.
fn clashes_by_links(expansion: &Expansion) -> Vec<Finding> {
    let mut by_place: BTreeMap<(PathBuf, String), &Deliverable> = BTreeMap::new();
    let mut real: HashMap<String, PathBuf> = HashMap::new();
    let mut found = Vec::new();
    for one in &expansion.deliverables {
        let Some(file) = one.files().iter().next() else {
            continue;
        };
        let path = file.path();
        let (folder, name) = path.rsplit_once('/').unwrap_or(("", &path));
        let folder = real.entry(folder.to_owned()).or_insert_with(|| {
            std::fs::canonicalize(folder).unwrap_or_else(|_| PathBuf::from(folder))
        });
        match by_place.entry((folder.clone(), name.to_owned())) {
            Entry::Vacant(place) => {
                place.insert(one);
            }
            Entry::Occupied(other) if other.get().pattern != one.pattern => found.push(
                Finding::error(
                    "TP102",
                    format!(
                        "{} and {} write the same files: a link leads from one folder to the other",
                        other.get().label(),
                        one.label()
                    ),
                )
                .at(&one.template.place, "")
                .at(&other.get().template.place, "")
                .so(format!(
                    "the picture of one would have the name of the other, such as {path}"
                ))
                .advise("let the names of their files differ, or remove the link"),
            ),
            Entry::Occupied(_) => {}
        }
    }
    found
}

/// Whether one of the findings is an error.
pub(crate) fn has_errors(findings: &[Finding]) -> bool {
    findings
        .iter()
        .any(|finding| finding.severity == Severity::Error)
}
