//! Output in a folder of one person.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::helpers::is_below;
use crate::rules::places::report;
use crate::rules::{Rule, Subject};

/// TP607 `personal-folder`.
pub(super) const RULE: Rule = Rule {
    code: "TP607",
    name: "personal-folder",
    severity: Severity::Warning,
    what: "Files go to the desktop, the home folder itself or the folder for temporary files.",
    why: "Other machines do not see them, and temporary files are deleted some day.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/home/dawn/Desktop/x"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = "/srv/renders"
"#,
    fix: "Use a place that all machines share.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    report(
        rule,
        subject,
        "these files go to a folder of one person",
        wrong,
        |finding, files| {
            finding
                .so(format!("other machines would not see {files}"))
                .advise("use a place that all machines share")
        },
    )
}

/// What is wrong with the folder that the paths start from.
fn wrong(subject: &Subject<'_>, one: &Deliverable) -> Option<String> {
    let machine = &subject.answers.machine;
    // A job that lies there itself was put there on purpose.
    if is_below(&one.root, &subject.around.job_folder) {
        return None;
    }
    if let Some(home) = &machine.home {
        let desktop = format!("{home}/Desktop");
        if *one.root == **home {
            return Some("this is the home folder".to_owned());
        }
        if is_below(&one.root, &desktop) {
            return Some("this is on the desktop".to_owned());
        }
    }
    let temporary = machine.temporary.as_ref()?;
    is_below(&one.root, temporary).then(|| "this is among temporary files".to_owned())
}
