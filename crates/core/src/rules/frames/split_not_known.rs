//! A range of which nobody says whether it may be split.

use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::rules::{Rule, Subject};

/// TP210 `split-not-known`.
pub(super) const RULE: Rule = Rule {
    code: "TP210",
    name: "split-not-known",
    severity: Severity::Note,
    what: "A line takes a range of frames, and nobody says whether a clip may be split over several processes.",
    why: "Some renderers spread a clock over the range that they are given, others carry a state from frame to frame: in pieces they render other pictures. A run compares pictures first, which costs two frames and one wait.",
    breaks: r#"scene = "kiln.pov"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "{first}", "{last}", "{target}"]
"#,
    keeps: r#"scene = "kiln.pov"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
run = ["myrender", "{scene.file}", "{first}", "{last}", "{target}"]
split = "free"
"#,
    fix: "Say split = \"free\" or split = \"never\", or let the run find it out.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            one.is_split_unknown()
                .then(|| one.common.engine.name.clone())
        })
        .into_iter()
        .map(|(one, ..)| {
            let engine = &one.common.engine;
            let place = engine.place.clone();
            let place = place.or_else(|| subject.place_of(one, Key::Engine));
            let place = place.unwrap_or_else(|| one.template.place.clone());
            rule.finding(format!(
                "nobody says whether clips may be split over several processes of {}",
                engine.name
            ))
            .at(&place, "")
            .so("a run finds it out before it publishes; scripts, bundles and shares render a clip in one process")
            .advise("say split = \"free\" or split = \"never\" if you know it")
        })
        .collect()
}
