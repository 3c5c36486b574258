//! A frame in another notation than ours: `%04d` or `####`.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};
use crate::template::{Part, Template};

/// TP124 `frame-notation`.
pub(super) const RULE: Rule = Rule {
    code: "TP124",
    name: "frame-notation",
    severity: Severity::Error,
    what: "A path has `%04d` or `####` where a frame is meant.",
    why: "It would be taken for text and stand in the name of every file.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.####.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Write the frame as `{frame:04}`.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| {
            let template = &one.template;
            fixed(&template.template).map(|_| template.place.clone())
        })
        .into_iter()
        .filter_map(|(one, _, files)| {
            let template = &one.template;
            let fixed = fixed(&template.template)?;
            Some(
                rule.finding("the frame of this path is taken for text")
                    .at(&template.place, "a frame is written `{frame:04}` here")
                    .so(format!(
                        "{} would have these signs in their names",
                        count(files, "file", "files")
                    ))
                    .advise(format!("write \"{fixed}\""))
                    .fix(&template.place, fixed),
            )
        })
        .collect()
}

/// The template with the frame as a token; none where it has no other notation for one.
pub(super) fn fixed(template: &Template) -> Option<String> {
    let has_frame = template.has("frame");
    let mut texts: Vec<&str> = Vec::new();
    for part in template.parts() {
        let Part::Text(text) = part else { continue };
        match text.rsplit_once('/') {
            // A folder may be called anything where the name of the file has the frame.
            Some((_, name)) if has_frame => texts = vec![name],
            _ => texts.push(text),
        }
    }
    let (found, width) = texts.into_iter().find_map(notation)?;
    let token = match width {
        0 => "{frame}".to_owned(),
        width => format!("{{frame:{width:02}}}"),
    };
    let text = template.to_string();
    if !has_frame {
        let (before, after) = text.split_once(&found)?;
        let touches = |character: char| character.is_alphanumeric() || "{}".contains(character);
        let dot = |is_needed| if is_needed { "." } else { "" };
        return Some(format!(
            "{before}{}{token}{}{after}",
            dot(before.ends_with(touches)),
            dot(after.starts_with(touches)),
        ));
    }
    // The frame is there already: what stands for it again goes with the sign before it.
    let at = text.rfind(&found)?;
    let from = at - usize::from(text[..at].ends_with(['.', '_', '-']));
    Some(format!("{}{}", &text[..from], &text[at + found.len()..]))
}

/// `%04d`, `%d` or at least two `#` in a text, and the digits that are meant.
fn notation(text: &str) -> Option<(String, usize)> {
    if let Some(from) = text.find('%') {
        let digits: String = text[from + 1..]
            .chars()
            .take_while(char::is_ascii_digit)
            .collect();
        if text[from + 1 + digits.len()..].starts_with('d') {
            let width = digits.trim_start_matches('0').parse().unwrap_or(0);
            return Some((format!("%{digits}d"), width));
        }
    }
    let from = text.find("##")?;
    let width = text[from..].chars().take_while(|c| *c == '#').count();
    Some(("#".repeat(width), width))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_frame_touches_no_other_characters() {
        for (template, expected) in [
            ("r/{shot}####.png", "r/{shot}.{frame:04}.png"),
            ("r/a%04d.png", "r/a.{frame:04}.png"),
            ("r/a_%dfinal.png", "r/a_{frame}.final.png"),
            ("r/a.####.png", "r/a.{frame:04}.png"),
            ("r/####.png", "r/{frame:04}.png"),
        ] {
            let template = template.parse::<Template>().unwrap();
            assert_eq!(fixed(&template).as_deref(), Some(expected));
        }
    }
}
