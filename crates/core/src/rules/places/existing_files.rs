//! Files that are there already, and are not what this job makes now.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::job::{Job, Key};
use crate::rules::{Rule, Subject};

/// TP610 `existing-files`.
pub(super) const RULE: Rule = Rule {
    code: "TP610",
    name: "existing-files",
    severity: Severity::Warning,
    what: "Files of other settings, or files that no run of this job made, lie where frames are wanted.",
    why: "What becomes of them is what `existing` says; kept, today's frames would stand among yesterday's.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "stale/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Raise the version, or move them away.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let odd = |one: &Deliverable| {
        let there = subject.existing(one)?;
        (there.stale + there.unknown > 0).then_some(there)
    };
    // Reported once for a path, with the sums of all that are made from it; other settings first.
    subject
        .once(|one| odd(one).map(|_| one.template.place.clone()))
        .into_iter()
        .map(|(one, ..)| {
            let all = &subject.expansion.deliverables;
            let same = all
                .iter()
                .filter(|other| other.template.place == one.template.place);
            let (mut stale, mut unknown, mut kept) = (0, 0, 0);
            for there in same.filter_map(|other| subject.existing(other)) {
                stale += there.stale;
                unknown += there.unknown;
                kept += there.kept;
            }
            let has_version = one.template.template.has("version");
            let fate = PolicyWords::of(subject.job, has_version);
            let words: Vec<String> = [
                (stale, "of other settings", fate.stale),
                (unknown, "that no run made", fate.unknown),
                (kept, "as they should be", fate.kept),
            ]
            .into_iter()
            .filter(|(number, ..)| *number > 0)
            .map(|(number, what, fate)| format!("{} {what} {fate}", count(number, "file", "files")))
            .collect();
            rule.finding("files that this job does not make now are in the way")
                .at(&one.template.place, "")
                .so(words.join("; "))
                .advise(fate.advice)
        })
        .collect()
}

/// What becomes of files, by the policy of the job.
struct PolicyWords {
    stale: &'static str,
    unknown: &'static str,
    kept: &'static str,
    advice: &'static str,
}

impl PolicyWords {
    fn of(job: &Job, has_version: bool) -> Self {
        let existing: Option<String> = job.get(Key::Existing);
        match existing.as_deref().unwrap_or("keep") {
            "replace" => Self {
                stale: "replaced, each once its successor is verified",
                unknown: "replaced, and kept aside",
                kept: "replaced too",
                advice: if has_version {
                    "say existing = \"keep\", or raise `version`, to keep them"
                } else {
                    "say existing = \"keep\" to keep them"
                },
            },
            "refuse" => Self {
                stale: "in the way: no run would begin",
                unknown: "in the way: no run would begin",
                kept: "in the way too",
                advice: if has_version {
                    "raise `version`, or move them away"
                } else {
                    "move them away, or put {version} into the path"
                },
            },
            "next-version" => Self {
                stale: "in the way: a run goes on to the next version",
                unknown: "in the way: a run goes on to the next version",
                kept: "in the way too",
                advice: if has_version {
                    "nothing need be done"
                } else {
                    "there is no next version: put {version} into the path"
                },
            },
            _ => Self {
                stale: "kept, and reported as stale",
                unknown: "kept, if they are whole",
                kept: "kept",
                advice: if has_version {
                    "raise `version`, or move them away; `run --rerender-stale` renders those of other settings again"
                } else {
                    "`run --rerender-stale` renders those of other settings again; `status --stale` says what has changed"
                },
            },
        }
    }
}
