//! What `truepath audit --format json` prints.

use schemars::JsonSchema;
use serde::Serialize;
use truepath_core::finding::Finding;
use truepath_core::frames::FrameSet;
use truepath_core::source::Sources;
use truepath_runner::follow::audit::{Audit, DeliverableAudit};

use super::VERSION;
use super::findings::FindingShape;

/// The files on disk, compared with the job
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct AuditShape {
    /// The version of this shape
    version: u32,
    /// Whether every wanted file was opened and is valid
    complete: bool,
    /// Whether every wanted file is valid, those that were not opened by name, size and time
    no_fault_found: bool,
    /// Whether it was asked to stop before all files were read
    interrupted: bool,
    /// Files that were read
    read_files: u64,
    /// Their bytes
    read_bytes: u64,
    /// In the order in which they are made
    deliverables: Vec<DeliverableShape>,
    /// Files in the folders of the job that no part of it wants
    foreign: Vec<ForeignShape>,
    /// What the rules say about what the pictures show
    findings: Vec<FindingShape>,
    /// Lines of ledgers that could not be read; they count for nothing
    unsound_ledger_lines: Vec<LedgerLineShape>,
}

/// The frames of a deliverable by state, each as a set such as `1-9,12`
#[derive(Debug, Serialize, JsonSchema)]
struct DeliverableShape {
    /// Its shot, variant, view, camera, pass and output
    deliverable: String,
    /// Files that are wanted
    wanted: u64,
    /// Files that are whole, and made with the settings of today
    valid: u64,
    /// Frames without a file
    missing: String,
    /// Frames that do not decode or are not what the job wants
    broken: Vec<ReasonShape>,
    /// Frames whose bytes are not those that were published
    changed: Vec<ReasonShape>,
    /// Frames that this program cannot decode
    unverifiable: Vec<ReasonShape>,
    /// What is no fault, such as further layers
    notes: Vec<ReasonShape>,
    /// Frames that were made with other settings
    stale: String,
    /// Which settings have changed since
    why_stale: Vec<ChangeShape>,
    /// Frames that the job does not want
    foreign: String,
    /// Frames whose files were not opened
    not_looked_into: String,
    /// Frames whose pictures are whole, and of a kind that is not measured
    not_measured: String,
}

/// Frames with one reason
#[derive(Debug, Serialize, JsonSchema)]
struct ReasonShape {
    /// A set of frames
    frames: String,
    /// A sentence
    reason: String,
}

/// Frames with the same changes of settings
#[derive(Debug, Serialize, JsonSchema)]
struct ChangeShape {
    /// A set of frames
    frames: String,
    /// A sentence for each setting, from what to what
    changes: Vec<String>,
}

/// Files that no part of the job wants
#[derive(Debug, Serialize, JsonSchema)]
struct ForeignShape {
    /// Their folder
    folder: String,
    /// Their name, with `#` for the digits of the frame
    name: String,
    /// Their frames; empty for a single file
    frames: String,
}

/// A line of a ledger
#[derive(Debug, Serialize, JsonSchema)]
struct LedgerLineShape {
    /// The file, in the state folder
    ledger: String,
    /// The line, from 1
    line: u64,
}

impl AuditShape {
    /// The result of an audit, with the labels of its deliverables.
    pub(crate) fn of(
        labels: &[String],
        audit: &Audit,
        findings: &[Finding],
        sources: &Sources,
    ) -> Self {
        let accounts = labels.iter().zip(&audit.accounts);
        let foreign = audit.strangers.iter();
        let unsound = audit.unsound.iter();
        Self {
            version: VERSION,
            complete: audit.is_clean() && audit.is_whole(),
            no_fault_found: audit.is_clean(),
            interrupted: audit.interrupted,
            read_files: audit.read.files,
            read_bytes: audit.read.bytes,
            deliverables: accounts
                .map(|(label, account)| DeliverableShape::of(label, account))
                .collect(),
            foreign: foreign
                .map(|(folder, name, frames)| ForeignShape {
                    folder: folder.display().to_string(),
                    name: name.clone(),
                    frames: frames.to_string(),
                })
                .collect(),
            findings: findings
                .iter()
                .map(|one| FindingShape::of(sources, one))
                .collect(),
            unsound_ledger_lines: unsound
                .map(|(ledger, line)| LedgerLineShape {
                    ledger: ledger.clone(),
                    line: *line,
                })
                .collect(),
        }
    }
}

impl DeliverableShape {
    fn of(label: &str, account: &DeliverableAudit) -> Self {
        let by_reason = |all: &[(String, FrameSet)]| {
            let one = |(reason, frames): &(String, FrameSet)| ReasonShape {
                frames: frames.to_string(),
                reason: reason.clone(),
            };
            all.iter().map(one).collect()
        };
        let changes = account.why_stale.iter().map(|why| ChangeShape {
            frames: why.frames.to_string(),
            changes: why.changes.clone(),
        });
        Self {
            deliverable: label.to_owned(),
            wanted: account.wanted,
            valid: account.valid,
            missing: account.missing.to_string(),
            broken: by_reason(&account.broken),
            changed: by_reason(&account.changed),
            unverifiable: by_reason(&account.unverifiable),
            notes: by_reason(&account.notes),
            stale: account.stale.to_string(),
            why_stale: changes.collect(),
            foreign: account.foreign.to_string(),
            not_looked_into: account.not_looked_into.to_string(),
            not_measured: account.not_measured.to_string(),
        }
    }
}
