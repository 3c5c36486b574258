//! Pixels that would be brightened twice.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::picture::{PixelValues, TransferFacts};
use crate::rules::{Rule, Subject};
use crate::source::{Level, Sourced};

/// TP314 `brightened-twice`.
pub(super) const RULE: Rule = Rule {
    code: "TP314",
    name: "brightened-twice",
    severity: Severity::Warning,
    what: "A transfer is set for pixels that are ready for display.",
    why: "It would be applied again, and everything would come out too bright.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
color = { pixels = "display", transfer = "srgb" }
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
color = { pixels = "display" }
"#,
    fix: "Leave one of the two out.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once_by(|one| {
            let (pixels, transfer) = both(one)?;
            Some(((&pixels.place, &transfer.place), (pixels, transfer)))
        })
        .into_iter()
        .map(|(_, (pixels, transfer), _)| {
            rule.finding("pixels that are ready for display need no transfer")
                .at(&transfer.place, "this would brighten them again")
                .at(&pixels.place, "ready for display")
                .advise("leave one of the two out")
        })
        .collect()
}

/// Pixels and transfer that are set in one table: a transfer of the whole project is meant for
/// those of its outputs that are linear.
fn both(one: &Deliverable) -> Option<(&Sourced<PixelValues>, &Sourced<&'static TransferFacts>)> {
    let color = &one.picture.color;
    let pixels = color.pixels.as_ref();
    let pixels = pixels.filter(|pixels| pixels.value == PixelValues::Display)?;
    let transfer = color.transfer.as_ref()?;
    let of_movie = one.movie().is_some() && transfer.level == Level::Output;
    (of_movie || pixels.level == transfer.level).then_some((pixels, transfer))
}
