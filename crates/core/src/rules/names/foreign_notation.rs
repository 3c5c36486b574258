//! A frame or a token in another notation than ours: `%04d`, `####`, `<camera>`.

use super::mark::{Mark, MarkMeaning, mark_in};
use crate::deliverable::Deliverable;
use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};
use crate::template::{Part, Template};

/// TP124 `foreign-notation`.
pub(super) const RULE: Rule = Rule {
    code: "TP124",
    name: "foreign-notation",
    severity: Severity::Error,
    what: "A path has `%04d`, `####`, `<camera>` or the like where a frame or another token is meant.",
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
    fix: "Write the frame as `{frame:04}`, and tokens in braces. Exempt it where it is meant as text.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let found = |one: &Deliverable| {
        let template = &one.template;
        let mark = foreign_mark(&template.template)?;
        Some((template.place.clone(), mark.text))
    };
    subject
        .once(found)
        .into_iter()
        .filter_map(|(one, (place, mark), files)| {
            let template = &one.template;
            let fixed = fixed(&template.template)?;
            Some(
                rule.finding(format!("`{mark}` is taken for text in this path"))
                    .at(
                        &template.place,
                        "a frame is written `{frame:04}` here, and a token in braces",
                    )
                    .so(format!(
                        "{} would have these signs in their names",
                        count(files, "file", "files")
                    ))
                    .advise(format!("write \"{fixed}\""))
                    .advise("if it is meant as text, exempt it: [check] exempt = [{ rule = \"TP124\", at = \"output.NAME.path\", reason = \"…\" }]")
                    .fix(&place, fixed),
            )
        })
        .collect()
}

/// The template with every foreign mark as a token of ours; none where it has no such mark.
pub(super) fn fixed(template: &Template) -> Option<String> {
    let mut template = template.clone();
    let mut text = None;
    for _ in 0..MOST_MARKS {
        let Some(mark) = foreign_mark(&template) else {
            break;
        };
        let next = without_mark(&template, &mark)?;
        template = next.parse().ok()?;
        text = Some(next);
    }
    text
}

/// So many marks of one path are replaced.
const MOST_MARKS: usize = 16;

/// The first mark of a template. Where the name of the file has the frame, a folder may be called like a frame.
fn foreign_mark(template: &Template) -> Option<Mark> {
    let has_frame = template.has("frame");
    let is_mark = |mark: &Mark, is_folder: bool| {
        !(has_frame && is_folder && matches!(mark.means, MarkMeaning::Frame(_)))
    };
    template.parts().iter().find_map(|part| match part {
        Part::Text(text) => {
            let (folder, name) = text.rsplit_once('/').unwrap_or(("", text));
            let in_folder = mark_in(folder).filter(|mark| is_mark(mark, true));
            in_folder.or_else(|| mark_in(name))
        }
        Part::Optional(inner) => foreign_mark(inner),
        Part::Token(_) => None,
    })
}

/// The template with a token in place of a mark. Where the token is there already, the mark goes with the sign before it.
fn without_mark(template: &Template, mark: &Mark) -> Option<String> {
    let name = match &mark.means {
        MarkMeaning::Frame(_) => "frame",
        MarkMeaning::Token(name) => name,
    };
    let text = template.to_string();
    let found = mark.text.replace('{', "{{").replace('}', "}}");
    let at = text.rfind(&found)?;
    let (before, after) = (&text[..at], &text[at + found.len()..]);
    if template.has(name) {
        let signs = ['.', '_', '-'];
        return Some(match before.strip_suffix(signs) {
            Some(before) => format!("{before}{after}"),
            None => format!("{before}{}", after.strip_prefix(signs).unwrap_or(after)),
        });
    }
    let token = mark.means.token();
    if name != "frame" {
        return Some(format!("{before}{token}{after}"));
    }
    let touches = |character: char| character.is_alphanumeric() || "{}".contains(character);
    let dot = |is_needed| if is_needed { "." } else { "" };
    Some(format!(
        "{before}{}{token}{}{after}",
        dot(before.ends_with(touches)),
        dot(after.starts_with(touches)),
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn marks_give_way_and_the_frame_touches_no_other_characters() {
        for (template, expected) in [
            ("r/{shot}####.png", "r/{shot}.{frame:04}.png"),
            ("r/a%04d.png", "r/a.{frame:04}.png"),
            ("r/a_%dfinal.png", "r/a_{frame}.final.png"),
            ("r/a.####.png", "r/a.{frame:04}.png"),
            ("r/####.png", "r/{frame:04}.png"),
            ("r/a.####.{frame}.png", "r/a.{frame}.png"),
            ("r/[####].png", "r/{frame:04}.png"),
            ("<camera>/a_@f3.png", "{camera}/a_{frame:03}.png"),
            ("r/{{frame}}.{frame}.png", "r/{frame}.png"),
            ("r/a{?.<pass>}.@@.png", "r/a{?.{pass}}.{frame:02}.png"),
        ] {
            let template = template.parse::<Template>().unwrap();
            assert_eq!(fixed(&template).as_deref(), Some(expected));
        }
    }
}
