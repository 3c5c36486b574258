//! Views of different sizes.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::job::PlacedText;
use crate::rules::{Rule, Subject};
use crate::source::Place;

/// TP312 `sizes-differ`.
pub(super) const RULE: Rule = Rule {
    code: "TP312",
    name: "sizes-differ",
    severity: Severity::Warning,
    what: "Views of the same picture have different sizes.",
    why: "They could not be shown or used as one.",
    breaks: r#"[project]
engine = "understudy"
size = "64x64"
views = ["left", "right"]
[view.left]
[view.right]
size = "64x48"
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{view}.{frame:04}.png"
"#,
    keeps: r#"[project]
engine = "understudy"
size = "64x64"
views = ["left", "right"]
[view.left]
[view.right]
[shot.dawn]
scene = "dawn.toml"
frames = "1-48"
[output.frames]
path = "renders/{shot}_{view}.{frame:04}.png"
"#,
    fix: "Give all views one size.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let all = &subject.expansion.deliverables;
    let same = |one: &Deliverable, other: &Deliverable| {
        let (a, b) = (&one.common, &other.common);
        let word =
            |word: &Option<PlacedText>| PlacedText::text_of(word.as_ref()).map(str::to_owned);
        (a.shot_index, a.output_index) == (b.shot_index, b.output_index)
            && word(&a.names.camera) == word(&b.names.camera)
            && word(&a.names.variant) == word(&b.names.variant)
            && word(&one.pass) == word(&other.pass)
    };
    let mut reported: Vec<Place> = Vec::new();
    let mut findings = Vec::new();
    for (index, one) in all.iter().enumerate() {
        // Views of a picture stand near each other.
        let near = &all[index.saturating_sub(MOST_VIEWS)..index];
        let (Some(size), Some(view)) = (&one.picture.size, &one.common.names.view) else {
            continue;
        };
        let other = near.iter().rev().find(|other| {
            let differs = other
                .picture
                .size
                .as_ref()
                .is_some_and(|other| other.value != size.value);
            differs && same(one, other)
        });
        let Some((other, other_size)) =
            other.and_then(|other| Some((other, other.picture.size.as_ref()?)))
        else {
            continue;
        };
        if reported.contains(&size.place) {
            continue;
        }
        reported.push(size.place.clone());
        let other_view = PlacedText::text_of(other.common.names.view.as_ref()).unwrap_or_default();
        findings.push(
            rule.finding("views of the same picture have different sizes")
                .at(&size.place, format!("{} of {}", size.value, view.text))
                .at(
                    &other_size.place,
                    format!("{} of {other_view}", other_size.value),
                )
                .so("they could not be used as one")
                .advise("give all views one size"),
        );
    }
    findings
}

/// How far apart views of a picture stand, by the passes and cameras between them.
const MOST_VIEWS: usize = 64;
