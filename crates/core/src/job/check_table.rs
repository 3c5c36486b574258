//! `[check]`: how grave findings are in this job, and what is exempted with a reason.

use super::Word;
use crate::finding::{Finding, Weight};
use crate::source::Place;

/// What a job says about its checks.
#[derive(Debug, Clone, Default)]
pub struct CheckTable {
    /// Codes with their weight here; none switches a rule off. The strongest file comes first.
    pub weights: Vec<(Word, Option<Weight>)>,
    /// Single places that are as they should be.
    pub exempt: Vec<Exemption>,
}

/// A place that a rule is told to leave alone.
#[derive(Debug, Clone)]
pub struct Exemption {
    /// The rule's code.
    pub code: Word,
    /// The place.
    pub place: Place,
    /// Why.
    pub reason: String,
}

impl CheckTable {
    /// A finding as this job wants it: of another weight, or none.
    #[must_use]
    pub fn judge(&self, finding: Finding) -> Option<Finding> {
        let exempt = self.exempt.iter().any(|one| {
            one.code.text == finding.code
                && finding
                    .labels
                    .iter()
                    .any(|label| one.place.contains(&label.place))
        });
        if exempt {
            return None;
        }
        let own = self
            .weights
            .iter()
            .find(|(code, _)| code.text == finding.code);
        match own {
            None => Some(finding),
            Some((_, weight)) => weight.map(|weight| Finding { weight, ..finding }),
        }
    }
}
