//! Selection on the command line.

use crate::frames::FrameSet;
use crate::job::{Job, Key, NamedTable};
use crate::nearest::advice;

/// What was chosen on the command line; an empty list chooses everything.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Selection {
    /// `--shot`
    pub shots: Vec<String>,
    /// `--camera`
    pub cameras: Vec<String>,
    /// `--variant`
    pub variants: Vec<String>,
    /// `--view`
    pub views: Vec<String>,
    /// `--pass`
    pub passes: Vec<String>,
    /// `--output`
    pub outputs: Vec<String>,
    /// `--frames`
    pub frames: Option<FrameSet>,
}

/// A name that the job does not have.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the job has no {kind} `{name}`: {advice}")]
pub struct SelectionError {
    kind: &'static str,
    name: String,
    advice: String,
}

impl Selection {
    /// Whether a name of a kind was chosen.
    pub(super) fn takes(list: &[String], name: Option<&str>) -> bool {
        list.is_empty() || name.is_some_and(|name| list.iter().any(|one| one == name))
    }

    /// Holds the names against the job.
    ///
    /// # Errors
    /// The first name that the job does not have, with the nearest that it has.
    pub fn check(&self, job: &Job) -> Result<(), SelectionError> {
        let names = |tables: &'_ [NamedTable]| -> Vec<String> {
            tables.iter().map(|table| table.name.clone()).collect()
        };
        let words =
            |key| -> Vec<String> { job.words(key).into_iter().map(str::to_owned).collect() };
        for (kind, asked, known) in [
            ("shot", &self.shots, names(&job.shots)),
            ("output", &self.outputs, names(&job.outputs)),
            ("camera", &self.cameras, words(Key::Camera)),
            ("variant", &self.variants, words(Key::Variants)),
            ("view", &self.views, words(Key::Views)),
            ("pass", &self.passes, words(Key::Passes)),
        ] {
            if let Some(name) = asked.iter().find(|name| !known.contains(name)) {
                let known: Vec<&str> = known.iter().map(String::as_str).collect();
                return Err(SelectionError {
                    kind,
                    name: name.clone(),
                    advice: if known.is_empty() {
                        format!("it names no {kind}")
                    } else {
                        advice(name, &known)
                    },
                });
            }
        }
        Ok(())
    }
}
