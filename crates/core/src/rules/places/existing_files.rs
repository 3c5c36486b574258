//! Files that are there already, and are not what this job makes now.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Weight, count};
use crate::rules::{Rule, Subject};

/// TP610 `existing-files`.
pub(super) const RULE: Rule = Rule {
    code: "TP610",
    name: "existing-files",
    weight: Weight::Warning,
    what: "Files of other settings, or files that no run of this job made, lie where frames are wanted.",
    why: "They are kept: today's frames would stand among yesterday's.",
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
    mend: "Raise the version, or move them away.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let odd = |one: &Deliverable| {
        let there = subject.existing(one)?;
        (there.stale + there.unknown > 0).then_some(there)
    };
    // Told once for a path, with the sums of all that are made from it; other settings first.
    subject
        .once(|one| odd(one).map(|_| one.template.place.clone()))
        .into_iter()
        .map(|(one, _)| {
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
            let mut words = Vec::new();
            if stale > 0 {
                words.push(format!(
                    "{} of other settings kept, and told as stale",
                    count(stale, "file", "files")
                ));
            }
            if unknown > 0 {
                words.push(format!(
                    "{} that no run made kept, if they are whole",
                    count(unknown, "file", "files")
                ));
            }
            if kept > 0 {
                words.push(format!(
                    "{} as they should be kept",
                    count(kept, "file", "files")
                ));
            }
            rule.finding("files are there already that this job does not make now")
                .at(&one.template.place, "")
                .so(words.join("; "))
                .advise("raise `version`, or move them away")
        })
        .collect()
}
