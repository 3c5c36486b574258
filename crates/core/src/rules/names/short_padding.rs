//! Frame numbers that are printed with different lengths.

use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};
use crate::template::{FrameField, Piece};

/// TP105 `short-padding`.
pub(super) const RULE: Rule = Rule {
    code: "TP105",
    name: "short-padding",
    severity: Severity::Warning,
    what: "The frame number has too few digits for the frames.",
    why: "Sorted by name, frame 10000 comes before frame 9999, and players and encoders take the files in that order.",
    breaks: r#"scene = "kiln.toml"
frames = "1-240"
path = "renders/{shot}.{frame:02}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-240"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Ask for more digits.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    // Reported once for a template, by the frames that need the most digits.
    let mut worst: Vec<(&Deliverable, (u8, u8, i64))> = Vec::new();
    let once = subject.once_by(|one| {
        let found = short(one)?;
        Some(((&one.template.place, found.1), found))
    });
    for (one, found, _) in once {
        let known = worst
            .iter_mut()
            .find(|(known, _)| known.template.place == one.template.place);
        match known {
            Some(known) if known.1.1 < found.1 => *known = (one, found),
            Some(_) => {}
            None => worst.push((one, found)),
        }
    }
    worst
        .into_iter()
        .map(|(one, (given, needed, border))| {
            let name = one.pattern.split().1;
            rule.finding(format!(
                "{given} {} too few for the frames up to {}",
                if given == 1 { "digit is" } else { "digits are" },
                one.common.frames.files.value.last().unwrap_or(0),
            ))
            .at(&one.template.place, "")
            .at(&one.common.frames.files.place, "")
            .so(format!(
                "sorted by name, `{}` would come before `{}`",
                name.path(border),
                name.path(border - 1)
            ))
            .advise(format!("write {{frame:0{}}}", needed.max(4)))
            .fix(
                &one.template.place,
                padded(subject.text(&one.template.place), given, needed.max(4)),
            )
        })
        .collect()
}

/// The template with more digits for the frame.
fn padded(template: &str, given: u8, wanted: u8) -> String {
    template
        .replace(
            &format!("{{frame:0{given}}}"),
            &format!("{{frame:0{wanted}}}"),
        )
        .replace(
            &format!("{{frame:{given}}}"),
            &format!("{{frame:0{wanted}}}"),
        )
}

/// Digits given, digits needed, and the first frame that is printed longer.
fn short(one: &Deliverable) -> Option<(u8, u8, i64)> {
    let frames = &one.common.frames.files.value;
    let given = one.pattern.pieces().iter().find_map(|piece| match piece {
        Piece::Frame(FrameField::Digits(digits)) => Some(*digits),
        _ => None,
    })?;
    let last = frames.last()?;
    let needed = u8::try_from(last.max(0).to_string().len()).ok()?;
    let border = 10_i64.checked_pow(u32::from(given))?;
    (needed > given && frames.first()? < border && last >= border)
        .then_some((given, needed, border))
}
