//! `[check]`: how grave findings are in this job, and what is exempted with a reason.

use super::PlacedText;
use crate::finding::{Finding, Severity};
use crate::source::Place;

/// What a job says about its checks.
#[derive(Debug, Clone, Default)]
pub struct CheckTable {
    /// Codes with their severity here; none switches a rule off. The strongest file comes first.
    pub severities: Vec<(PlacedText, Option<Severity>)>,
    /// Single places that are as they should be.
    pub exempt: Vec<Exemption>,
}

/// A place that a rule leaves alone because the job says so.
#[derive(Debug, Clone)]
pub struct Exemption {
    /// The rule's code.
    pub code: PlacedText,
    /// The place.
    pub place: Place,
    /// Why.
    pub reason: String,
}

impl CheckTable {
    /// A finding as this job wants it: of another severity, or none.
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
            .severities
            .iter()
            .find(|(code, _)| code.text == finding.code);
        match own {
            None => Some(finding),
            Some((_, severity)) => severity.map(|severity| Finding {
                severity,
                ..finding
            }),
        }
    }
}
