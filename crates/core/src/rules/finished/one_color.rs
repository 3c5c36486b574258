//! Pictures of one color.

use std::collections::BTreeMap;

use crate::finding::{Finding, Severity};
use crate::frames::{Frame, FrameSet};
use crate::rules::{Rule, Subject};
use crate::suspicion::constant_color;

/// TP802 `one-color`.
pub(super) const RULE: Rule = Rule {
    code: "TP802",
    name: "one-color",
    severity: Severity::Warning,
    what: "Every pixel of a finished picture has the same color, and no fade leads to it.",
    why: "A camera that looks at nothing, a missing light or texture, or a licence that has run out looks so.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
# Frame 5 is black.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Look at the frames; where they are meant, exempt the path in `[check]`, or say color.pixels = \"data\" for a matte.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .finished()
        .filter(|(one, _)| !one.picture.is_data())
        .flat_map(|(one, pictures)| {
            let mut by_name: BTreeMap<(String, bool), Vec<Frame>> = BTreeMap::new();
            for found in constant_color(pictures) {
                let key = (found.name(), found.may_be_flash);
                by_name.entry(key).or_default().push(found.frame);
            }
            by_name.into_iter().map(move |((name, may_be_flash), frames)| {
                let frames = FrameSet::from_frames(frames);
                let found = subject.of_frames(rule, one, &frames, &format!("are {name} all over"));
                if may_be_flash {
                    Finding {
                        severity: Severity::Note,
                        ..found.so("a flash looks alike")
                    }
                } else {
                    found
                        .so("a missing light, a camera that looks at nothing or a licence that has run out looks so")
                        .advise("look at them; a matte is `color.pixels = \"data\"`")
                }
            })
        })
        .collect()
}
