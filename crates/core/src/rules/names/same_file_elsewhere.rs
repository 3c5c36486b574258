//! Names that are one file on other systems.

use super::clash::clashes;
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::frames::Frame;
use crate::rules::{Rule, Subject};
use crate::system::System;

/// TP116 `same-file-elsewhere`.
pub(super) const RULE: Rule = Rule {
    code: "TP116",
    name: "same-file-elsewhere",
    severity: Severity::Warning,
    what: "Two paths differ only in capitals, or in how accents are encoded. Where the place has a folder on such a system, that is an error.",
    why: "On macOS and Windows they are usually one file, and one overwrites the other.",
    breaks: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.small]
path = "renders/Dawn.{frame:04}.png"
size = "64x64"
"#,
    keeps: r#"[project]
engine = "understudy"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}.{frame:04}.png"
[output.small]
path = "renders/{shot}_small.{frame:04}.png"
size = "64x64"
"#,
    fix: "Tell the paths apart by more than capitals.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let near = clashes(
        subject.near_collisions.iter(),
        &subject.expansion.deliverables,
        |one, other| one.pattern != other.pattern,
    );
    near.iter()
        .filter_map(|clash| {
            let shared = [System::Windows, System::Macos]
                .into_iter()
                .any(|system| subject.is_shared_with(clash.one, system));
            let severity = if shared {
                Severity::Error
            } else {
                rule.severity
            };
            let frame = clash.one.common.frames.files.value.first()?;
            let label = |one: &Deliverable| format!("{}: {}", one.label(), name(one, frame));
            let mut finding = Finding::new(
                rule.code,
                severity,
                "these names are usually one file on macOS and Windows",
            )
            .at(&clash.other.template.place, label(clash.other));
            // One place in the job cannot bear two labels.
            let so = if clash.other.template.place == clash.one.template.place {
                format!("written over those of {}", label(clash.one))
            } else {
                finding = finding.at(&clash.one.template.place, label(clash.one));
                "written over there".to_owned()
            };
            Some(
                finding
                    .so(format!(
                        "{} would be {so}{}",
                        count(clash.lost, "file", "files"),
                        match clash.names {
                            1 => String::new(),
                            names => format!(", and so on in {names} sequences"),
                        }
                    ))
                    .advise("make them differ by more than capitals or marks"),
            )
        })
        .collect()
}

/// The file name of a frame.
fn name(one: &Deliverable, frame: Frame) -> String {
    let path = one.path(frame);
    path.rsplit('/').next().unwrap_or(&path).to_owned()
}
