//! What a rule is.

use super::Subject;
use crate::finding::{Finding, Severity};

/// A rule with its knowledge.
#[derive(Debug)]
pub struct Rule {
    /// Its code, such as `TP101`.
    pub code: &'static str,
    /// Its name.
    pub name: &'static str,
    /// How grave its findings are.
    pub severity: Severity,
    /// What it finds, as a sentence.
    pub what: &'static str,
    /// Why that is bad, as a sentence.
    pub why: &'static str,
    /// A job file that breaks it, and no other rule.
    pub breaks: &'static str,
    /// The same job file fixed.
    pub keeps: &'static str,
    /// How to fix it, as a sentence.
    pub fix: &'static str,
    /// Looks for it.
    pub check: fn(&Rule, &Subject<'_>) -> Vec<Finding>,
}

impl Rule {
    /// A finding of this rule.
    pub(super) fn finding(&self, sentence: impl Into<String>) -> Finding {
        Finding::new(self.code, self.severity, sentence)
    }
}
