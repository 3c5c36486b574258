//! A scale that gives no whole pixels.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::job::Key;
use crate::picture::{Ratio, Size};
use crate::rules::{Rule, Subject};
use crate::source::Place;

/// TP311 `scale-not-whole`.
pub(super) const RULE: Rule = Rule {
    code: "TP311",
    name: "scale-not-whole",
    severity: Severity::Note,
    what: "A part of the size is no whole number of pixels.",
    why: "The picture is rounded, and its shape changes a little.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
size = "1920x1080"
scale = "1/7"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
size = "1920x1080"
scale = "1/8"
"#,
    fix: "Use a part that divides both sides.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once_by(|one| {
            let (place, width, height) = broken(subject, one)?;
            let size = one.picture.size.as_ref()?.value;
            Some(((place.clone(), size), (place, width, height, size)))
        })
        .into_iter()
        .map(|(_, (place, width, height, size), _)| {
            rule.finding("this part of the size is no whole number of pixels")
                .at(&place, format!("{width} by {height}"))
                .so(format!("pictures would be {size}"))
                .advise("use a part that divides both sides")
        })
        .collect()
}

/// Where a scale is set that does not divide the size, and what it gives.
fn broken(subject: &Subject<'_>, one: &Deliverable) -> Option<(Place, String, String)> {
    let chain = subject.chain(one);
    let scale = chain.get::<Ratio>(Key::Scale)?;
    let size = chain.value::<Size>(Key::Size)?;
    let (part, whole) = (scale.value.numerator, scale.value.denominator);
    let of = |length: u32| {
        let product = u64::from(length) * u64::from(part);
        let exact = product.is_multiple_of(u64::from(whole));
        (exact, format!("{:.2}", product as f64 / f64::from(whole)))
    };
    let (width, height) = (of(size.width), of(size.height));
    (!width.0 || !height.0).then_some((scale.place, width.1, height.1))
}
