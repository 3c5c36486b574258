//! The same pixels under two names.

use std::collections::{BTreeMap, HashMap};

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::frames::{Frame, FrameSet};
use crate::job::{Key, PlacedText};
use crate::picture::Digest;
use crate::rules::{Rule, Subject};

/// TP806 `same-pixels`.
pub(super) const RULE: Rule = Rule {
    code: "TP806",
    name: "same-pixels",
    severity: Severity::Warning,
    what: "Two finished pictures of one frame have the same pixels, though they differ in camera, pass, view, variant or shot.",
    why: "One of the two is not what its name says: the renderer did not get the camera, pass, view or variant, or a setting has no effect.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_{camera}.{frame:04}.png"
cameras = ["dome", "north"]
engine = "understudy"
# Both cameras have the same pixels.
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_{camera}.{frame:04}.png"
cameras = ["dome", "north"]
engine = "understudy"
"#,
    fix: "Look at both; where they may be alike, say `same-picture = \"reason\"`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let mut by_picture: HashMap<(Frame, Digest), usize> = HashMap::new();
    let mut pairs: BTreeMap<(usize, usize), Vec<Frame>> = BTreeMap::new();
    let finished: Vec<_> = subject.finished().collect();
    for (at, (one, pictures)) in finished.iter().enumerate() {
        let is_meant = subject.chain(one).setting(Key::SamePicture).is_some();
        if is_meant {
            continue;
        }
        for picture in *pictures {
            let Some(measure) = &picture.measure else {
                continue;
            };
            if measure.constant_color().is_some() {
                continue;
            }
            let first = *by_picture
                .entry((picture.frame, measure.digest))
                .or_insert(at);
            let other = finished[first].0;
            // Where two share a path there is one file.
            if other.pattern != one.pattern && is_another(other, one) {
                pairs.entry((first, at)).or_default().push(picture.frame);
            }
        }
    }
    pairs
        .into_iter()
        .map(|((first, second), frames)| {
            let (one, other) = (finished[first].0, finished[second].0);
            let frames = FrameSet::from_frames(frames);
            let what = format!("show the very pixels of {}", one.label());
            subject
                .of_frames(rule, other, &frames, &what)
                .so("one of the two is not what its name says")
                .advise("look at both; where they may be alike, say same-picture = \"reason\"")
        })
        .collect()
}

/// Whether two deliverables should show different pictures: outputs of one and the same picture need not, nor do
/// depth and mattes under another light.
fn is_another(one: &Deliverable, other: &Deliverable) -> bool {
    let words = |one: &Deliverable| {
        let text =
            |word: &Option<PlacedText>| PlacedText::text_of(word.as_ref()).map(str::to_owned);
        let variant = text(&one.common.names.variant);
        (
            one.common.names.shot.clone(),
            variant.filter(|_| !one.picture.is_data()),
            text(&one.common.names.view),
            text(&one.common.names.camera),
            text(&one.pass),
        )
    };
    words(one) != words(other)
}
