//! A variable of the environment in a path: `$ROOT` or `%ROOT%`.

use crate::finding::{Finding, Severity, count};
use crate::rules::{Rule, Subject};
use crate::template::{Part, Template};

/// TP125 `variable-notation`.
pub(super) const RULE: Rule = Rule {
    code: "TP125",
    name: "variable-notation",
    severity: Severity::Error,
    what: "A folder or a name in a path is `$NAME` or `%NAME%`, as shells write variables.",
    why: "It is taken for text: a folder of that name is made, and the frames are where nobody looks for them.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "$RENDERS/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "renders/{shot}.{frame:04}.png"
engine = "understudy"
"#,
    fix: "Make the folder a place, and begin the path with it.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    subject
        .once(|one| variable(&one.template.template))
        .into_iter()
        .map(|(one, variable, files)| {
            rule.finding(format!("`{variable}` is text here, and no variable"))
                .at(&one.template.place, "")
                .so(format!(
                    "{} would lie in a folder or under a name with these signs",
                    count(files, "file", "files")
                ))
                .advise(format!(
                    "make the folder a place, [place] root = \"{{env.{}}}\", and begin with {{place.root}}",
                    variable.trim_matches(['$', '%'])
                ))
        })
        .collect()
}

/// The first `$NAME` or `%NAME%` in the texts of a template.
fn variable(template: &Template) -> Option<String> {
    template.parts().iter().find_map(|part| match part {
        Part::Text(text) => variable_in(text).map(str::to_owned),
        Part::Optional(template) => variable(template),
        Part::Token(_) => None,
    })
}

/// A folder or a name that is nothing but a variable; elsewhere these signs are part of an odd name.
fn variable_in(text: &str) -> Option<&str> {
    text.split('/').find(|part| {
        let name = part.strip_prefix('$');
        let name = name.or_else(|| part.strip_prefix('%')?.strip_suffix('%'));
        name.is_some_and(|name| {
            name.starts_with(|first: char| first.is_ascii_alphabetic() || first == '_')
                && name
                    .chars()
                    .all(|sign| sign.is_ascii_alphanumeric() || sign == '_')
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_looks_like_a_variable_is_found() {
        assert_eq!(variable_in("$ROOT/r"), Some("$ROOT"));
        assert_eq!(variable_in("a/%ROOT_2%/r"), Some("%ROOT_2%"));
        for text in [
            "50%/r",
            "a$/b",
            "r $x's",
            "$HOME `id`/r",
            "$5",
            "%04d",
            "früh 日の出",
        ] {
            assert_eq!(variable_in(text), None, "{text}");
        }
    }
}
