//! A place that only this system has.

use crate::finding::{Finding, Severity};
use crate::rules::{Rule, Subject};
use crate::source::Level;

/// TP608 `this-system-only`.
pub(super) const RULE: Rule = Rule {
    code: "TP608",
    name: "this-system-only",
    severity: Severity::Note,
    what: "A place has one absolute folder, and others of the job have one for each system.",
    why: "On another system its paths mean nothing.",
    breaks: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = { linux = "/srv/renders", windows = 'R:\renders' }
archive = "/srv/archive"
"#,
    keeps: r#"scene = "kiln.toml"
frames = "1-48"
path = "{place.renders}/{shot}.{frame:04}.png"
engine = "understudy"
[place]
renders = { linux = "/srv/renders", windows = 'R:\renders' }
archive = { linux = "/srv/archive", windows = 'R:\archive' }
"#,
    fix: "Say its folder on each system.",
    check,
};

fn check(rule: &Rule, subject: &Subject<'_>) -> Vec<Finding> {
    let places = &subject.job.places;
    let several = places.iter().any(|place| {
        place
            .folders
            .iter()
            .any(|(system, folder)| system.is_some() && folder.level != Level::Configuration)
    });
    if !several {
        return Vec::new();
    }
    places
        .iter()
        .filter_map(|place| match &place.folders[..] {
            [(None, folder)] if folder.value.starts_with('/') || folder.value.contains(':') => {
                Some((place, folder))
            }
            _ => None,
        })
        .map(|(place, folder)| {
            rule.finding(format!(
                "the place `{}` has a folder for one system only",
                place.name
            ))
            .at(&folder.place, "")
            .so("on another system its paths mean nothing")
            .advise(format!(
                "say each: {} = {{ linux = \"…\", windows = '…' }}",
                place.name
            ))
        })
        .collect()
}
