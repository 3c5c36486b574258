//! A frame number that touches other digits.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};
use crate::template::{PathPattern, Piece};

/// TP104 `glued-digits`.
pub(super) const RULE: Rule = Rule {
    code: "TP104",
    name: "glued-digits",
    severity: Severity::Error,
    what: "The frame number touches other digits.",
    why: "Nobody can see where the number starts: `v0031` is frame 1 of version 3 or frame 31, and tools that collect sequences guess.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_v2{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}_v2.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Put a dot or an underscore between them.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| glued(&one.pattern).then(|| one.template.place.clone()))
        .into_iter()
        .map(|(one, ..)| {
            let frame = one.common.frames.files.value.first().unwrap_or(1);
            rule.finding("the frame number touches other digits")
                .at(&one.template.place, "")
                .so(format!(
                    "frame {frame} would be called `{}`, which can be read as another frame",
                    one.pattern.split().1.path(frame)
                ))
                .fix(
                    &one.template.place,
                    apart(subject.text(&one.template.place)),
                )
                .advise("put a dot or an underscore between the number and the digits beside it")
        })
        .collect()
}

/// The template with dots around the frame, where digits or other tokens touch it.
fn apart(template: &str) -> String {
    let mut out = String::new();
    let mut rest = template;
    while let Some(at) = rest.find("{frame") {
        out.push_str(&rest[..at]);
        if out.ends_with(|c: char| c.is_ascii_digit() || c == '}') {
            out.push('.');
        }
        let end = rest[at..].find('}').map_or(rest.len(), |end| at + end + 1);
        out.push_str(&rest[at..end]);
        rest = &rest[end..];
        if rest.starts_with(|c: char| c.is_ascii_digit() || c == '{') {
            out.push('.');
        }
    }
    out + rest
}

fn glued(pattern: &PathPattern) -> bool {
    pattern.pieces().windows(2).any(|pair| match pair {
        [Piece::Text(text), Piece::Frame(_)] => text.ends_with(|c: char| c.is_ascii_digit()),
        [Piece::Frame(_), Piece::Text(text)] => text.starts_with(|c: char| c.is_ascii_digit()),
        [Piece::Frame(_), Piece::Frame(_)] => true,
        _ => false,
    })
}
