//! Variables of the environment in the folders of places: `{env.NAME}`, the one way in which they reach paths.

use std::sync::LazyLock;

use regex::{Captures, Regex};

use super::Job;
use crate::finding::Finding;
use crate::system::System;

/// `{env.NAME}`, and the forms in which shells write a variable.
static VARIABLE: LazyLock<Option<Regex>> = LazyLock::new(|| {
    let forms = [
        r"\{env\.(?P<ours>[^{}]*)\}",
        r"\$\{(?P<braces>\w+)\}",
        r"\$(?P<dollar>[A-Za-z_]\w*)",
        r"%(?P<percent>[A-Za-z_]\w*)%",
    ];
    Regex::new(&forms.join("|")).ok()
});

impl Job {
    /// Fills `{env.NAME}` in the folders of the places of a system. A variable that is not set, and one that is written
    /// as shells do, are mistakes of the job.
    pub fn fill_environment(
        &mut self,
        system: System,
        value_of: &dyn Fn(&str) -> Option<String>,
    ) -> Vec<Finding> {
        let mut findings = Vec::new();
        let Some(variable) = VARIABLE.as_ref() else {
            return findings;
        };
        for place in &mut self.places {
            let mut folders = place.folders.iter_mut();
            let folder = folders.find(|(on, _)| on.is_none_or(|on| on == system));
            let Some((_, folder)) = folder else { continue };
            let mut refuse = |message: String, advice: String| {
                let finding = Finding::error("TP004", message);
                findings.push(finding.at(&folder.place, "").advise(advice));
            };
            let filled = variable.replace_all(&folder.value, |found: &Captures<'_>| {
                let written = &found[0];
                let Some(name) = found.name("ours") else {
                    let name = written.trim_matches(['$', '{', '}', '%']);
                    refuse(
                        format!("`{written}` is text here, and no variable"),
                        format!("a variable of the environment is written {{env.{name}}}"),
                    );
                    return String::new();
                };
                let name = name.as_str();
                let value = value_of(name).filter(|value| !value.is_empty());
                value.unwrap_or_else(|| {
                    refuse(
                        format!("the variable `{name}` of the environment is not set"),
                        format!("set it, or write the folder of `{}` itself", place.name),
                    );
                    String::new()
                })
            });
            folder.value = filled.into_owned();
        }
        findings
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::job::read;

    fn filled(folder: &str) -> (String, Vec<String>) {
        let text = format!("frames = \"1\"\npath = \"a.png\"\nplace = {{ root = '{folder}' }}\n");
        let mut job = read(
            "truepath.toml",
            &text,
            &[],
            &mut |name| Err(name.to_owned()),
        )
        .job;
        let value_of = |name: &str| match name {
            "SHOWROOT" => Some("/srv/show".to_owned()),
            "EMPTY" => Some(String::new()),
            _ => None,
        };
        let findings = job.fill_environment(System::Linux, &value_of);
        let messages = findings.into_iter().map(|finding| finding.sentence);
        let place = job
            .places
            .iter()
            .find(|place| place.name == "root")
            .unwrap();
        (place.folders[0].1.value.clone(), messages.collect())
    }

    #[test]
    fn only_what_is_set_and_written_in_our_way_is_filled() {
        assert_eq!(
            filled("{env.SHOWROOT}/r"),
            ("/srv/show/r".to_owned(), vec![])
        );
        assert_eq!(
            filled("/srv/50% off/$5"),
            ("/srv/50% off/$5".to_owned(), vec![])
        );
        for wrong in [
            "{env.NOWHERE}/r",
            "{env.EMPTY}/r",
            "$SHOWROOT/r",
            "${SHOWROOT}/r",
            "%SHOWROOT%\\r",
        ] {
            assert_eq!(filled(wrong).1.len(), 1, "{wrong}");
        }
    }
}
