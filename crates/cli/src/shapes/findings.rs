//! What `truepath check --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::finding::Finding;
use truepath_core::source::Sources;

/// What there is to say about a job
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Findings {
    /// The version of this shape
    pub(crate) version: u32,
    /// Errors first, then in the order of the codes
    pub(crate) findings: Vec<FindingShape>,
}

/// A finding
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct FindingShape {
    /// Such as `TP101`
    code: &'static str,
    /// `error`, `warning` or `note`
    severity: &'static str,
    /// One sentence
    sentence: String,
    /// What would happen
    consequence: Option<String>,
    /// What to do about it
    advice: Vec<String>,
    /// The deliverable that it is about, where it is about some of its frames
    deliverable: Option<String>,
    /// The path of that, with its frame as a token
    path: Option<String>,
    /// Which frames, such as `1-9,12`
    frames: Option<String>,
    /// The main place first
    places: Vec<PlaceShape>,
    /// Replacements that fix it, all of them together
    fixes: Vec<FixShape>,
}

/// A place in a file
#[derive(Debug, Serialize, JsonSchema)]
struct PlaceShape {
    file: String,
    /// From 1
    line: usize,
    /// In characters, from 1
    column: usize,
    /// First byte, and the byte behind the last
    bytes: [usize; 2],
    /// What it is about
    text: String,
}

/// A text in place of another
#[derive(Debug, Serialize, JsonSchema)]
struct FixShape {
    file: String,
    /// First byte, and the byte behind the last
    bytes: [usize; 2],
    text: String,
}

impl Findings {
    pub(crate) fn of(sources: &Sources, findings: &[Finding]) -> Self {
        Self {
            version: super::VERSION,
            findings: findings
                .iter()
                .map(|one| FindingShape::of(sources, one))
                .collect(),
        }
    }
}

impl FindingShape {
    pub(super) fn of(sources: &Sources, finding: &Finding) -> Self {
        let found = finding.frames.as_ref();
        Self {
            code: finding.code,
            severity: finding.severity.word(),
            sentence: finding.sentence.clone(),
            consequence: finding.consequence.clone(),
            advice: finding.advice.clone(),
            deliverable: found.map(|found| found.deliverable.clone()),
            path: found.map(|found| found.path.clone()),
            frames: found.map(|found| found.frames.to_string()),
            places: finding
                .labels
                .iter()
                .map(|label| {
                    let (line, column) = sources.line_and_column(&label.place);
                    PlaceShape {
                        file: sources.get(label.place.source).name.clone(),
                        line,
                        column,
                        bytes: [label.place.span.start, label.place.span.end],
                        text: label.text.clone(),
                    }
                })
                .collect(),
            fixes: finding
                .fixes
                .iter()
                .map(|fix| FixShape {
                    file: sources.get(fix.place.source).name.clone(),
                    bytes: [fix.place.span.start, fix.place.span.end],
                    text: fix.text.clone(),
                })
                .collect(),
        }
    }
}
