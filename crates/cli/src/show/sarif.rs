//! Findings as SARIF 2.1.0 (an OASIS standard), so that editors and services for checks show them
//! in place.

use serde_json::{Value, json};
use truepath_core::finding::{Finding, Label};
use truepath_core::rules::{Rule, rules};
use truepath_core::source::{Place, Sources};

const SCHEMA: &str =
    "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json";

/// One run of the tool with all findings.
pub(crate) fn sarif(sources: &Sources, findings: &[Finding]) -> Value {
    json!({
        "$schema": SCHEMA,
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": {
                "name": "True Path",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": rules().map(rule).collect::<Vec<_>>(),
            } },
            "columnKind": "unicodeCodePoints",
            "results": findings.iter().map(|one| result(sources, one)).collect::<Vec<_>>(),
        }],
    })
}

fn rule(rule: &Rule) -> Value {
    json!({
        "id": rule.code,
        "name": rule.name,
        "shortDescription": { "text": rule.what },
        "fullDescription": { "text": format!("{} {}", rule.what, rule.why) },
        "help": { "text": rule.fix },
        "defaultConfiguration": { "level": rule.severity.word() },
    })
}

fn result(sources: &Sources, finding: &Finding) -> Value {
    let mut text = format!("{}.", finding.sentence);
    if let Some(consequence) = &finding.consequence {
        text.push_str(&format!(" So: {consequence}."));
    }
    for advice in &finding.advice {
        text.push_str(&format!(" Do: {advice}."));
    }
    let mut labels = finding.labels.iter();
    let main: Vec<Value> = labels
        .next()
        .map(|label| location(sources, label))
        .into_iter()
        .collect();
    let related: Vec<Value> = labels.map(|label| location(sources, label)).collect();
    let mut result = json!({
        "ruleId": finding.code,
        "level": finding.severity.word(),
        "message": { "text": text },
        "locations": main,
        "relatedLocations": related,
    });
    if let Some(found) = &finding.frames {
        result["properties"] = json!({
            "deliverable": found.deliverable,
            "path": found.path,
            "frames": found.frames.to_string(),
        });
    }
    if !finding.fixes.is_empty() {
        result["fixes"] = json!([fix(sources, finding)]);
    }
    result
}

/// All replacements of a finding, which belong together.
fn fix(sources: &Sources, finding: &Finding) -> Value {
    let changes = finding.fixes.iter().map(|fix| {
        let span = &fix.place.span;
        json!({
            "artifactLocation": { "uri": uri(&sources.get(fix.place.source).name) },
            "replacements": [{
                "deletedRegion": { "byteOffset": span.start, "byteLength": span.len() },
                "insertedContent": { "text": fix.text },
            }],
        })
    });
    json!({ "artifactChanges": changes.collect::<Vec<_>>() })
}

fn location(sources: &Sources, label: &Label) -> Value {
    let (line, column) = sources.line_and_column(&label.place);
    let end = Place {
        source: label.place.source,
        span: label.place.span.end..label.place.span.end,
    };
    let (end_line, end_column) = sources.line_and_column(&end);
    let mut location = json!({
        "physicalLocation": {
            "artifactLocation": { "uri": uri(&sources.get(label.place.source).name) },
            "region": {
                "startLine": line,
                "startColumn": column,
                "endLine": end_line,
                "endColumn": end_column,
            },
        },
    });
    if !label.text.is_empty() {
        location["message"] = json!({ "text": label.text });
    }
    location
}

/// A path as a relative or absolute reference (RFC 3986).
fn uri(path: &str) -> String {
    let mut out = String::new();
    for byte in path.bytes() {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'-' | b'.' | b'_' | b'~' => {
                out.push(char::from(byte));
            }
            other => out.push_str(&format!("%{other:02X}")),
        }
    }
    out
}
