//! Linear light in 8 bits.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::picture::PixelValues;
use crate::rules::{Rule, Subject};
use crate::source::Sourced;

/// TP308 `linear-in-8-bits`.
pub(super) const RULE: Rule = Rule {
    code: "TP308",
    name: "linear-in-8-bits",
    severity: Severity::Warning,
    what: "Pixels are set to be linear light, and the file has 8 bits.",
    why: "Dark parts fall into visible steps.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
bits = 8
color.pixels = "linear"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.exr"
engine = "understudy"
bits = "half"
color.pixels = "linear"
"#,
    fix: "Use 16 bits, half or float, or pixels ready for display.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| Some((&linear(one)?.place, &one.template.place)))
        .into_iter()
        .map(|(one, (place, _), files)| {
            let mut finding = rule.finding("linear light goes into 8 bits").at(place, "");
            if let Some(bits) = &one.picture.bits {
                finding = finding.at(&bits.place, "8 bits a channel");
            }
            finding
                .so(format!(
                    "{} would have steps in the dark",
                    count(files, "file", "files")
                ))
                .advise("use 16 bits, half or float, or say color.pixels = \"display\"")
        })
        .collect()
}

fn linear(one: &Deliverable) -> Option<&Sourced<PixelValues>> {
    let picture = &one.picture;
    let pixels = picture.color.pixels.as_ref();
    let linear = pixels.filter(|pixels| pixels.value == PixelValues::Linear);
    linear.filter(|_| picture.has_eight_bits() && one.movie().is_none())
}
