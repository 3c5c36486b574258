//! What `truepath rules --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::rules::Rule;

use super::VERSION;

/// What `check` and `audit` look for
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct RulesShape {
    /// The version of this shape
    version: u32,
    /// In the order of their codes
    rules: Vec<RuleShape>,
}

/// A rule
#[derive(Debug, Serialize, JsonSchema)]
struct RuleShape {
    /// Such as `TP101`
    code: &'static str,
    name: &'static str,
    /// `error`, `warning` or `note`, where the job says nothing else
    severity: &'static str,
    /// What it looks for
    what: &'static str,
    /// Why that matters
    why: &'static str,
    /// A job that breaks it
    breaks: &'static str,
    /// A job that keeps it
    keeps: &'static str,
    /// How to fix it
    fix: &'static str,
}

impl RulesShape {
    pub(crate) fn of(rules: &[&Rule]) -> Self {
        let rules = rules.iter().map(|rule| RuleShape {
            code: rule.code,
            name: rule.name,
            severity: rule.severity.word(),
            what: rule.what,
            why: rule.why,
            breaks: rule.breaks,
            keeps: rule.keeps,
            fix: rule.fix,
        });
        Self {
            version: VERSION,
            rules: rules.collect(),
        }
    }
}
