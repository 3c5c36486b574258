//! The rules: what can be known to be wrong before anything runs. One rule a file.
//!
//! A new rule is a file that holds a `RULE`, and a line in [`RULES`].

mod bits;
mod channels;
mod compression;
mod doubled_extension;
mod empty_frames;
mod engine_not_said;
mod extension_of_format;
mod frames_engine_cannot_take;
mod frames_not_said;
mod glued_digits;
mod left_out_token;
mod no_extension;
mod no_frame_token;
mod outside_place;
mod path_not_said;
mod picture_engine_cannot_write;
mod program_missing;
mod refused_argument;
mod same_path;
mod scale_of_nothing;
mod scene_missing;
mod short_padding;
mod undeclared;
mod unknown_engine;
mod unknown_token;
mod unlisted;
mod value_missing;

use crate::collide::{Collision, collisions};
use crate::deliverable::{Deliverable, Expansion, Problem, ProblemKind};
use crate::finding::{Finding, Weight};
use crate::job::{Job, Key};
use crate::question::Answers;
use crate::template::PathPattern;

/// A rule with its knowledge.
#[derive(Debug)]
pub struct Rule {
    /// Its code, such as `TP101`.
    pub code: &'static str,
    /// Its name.
    pub name: &'static str,
    /// How grave its findings are.
    pub weight: Weight,
    /// What it finds, as a sentence.
    pub what: &'static str,
    /// Why that is bad, as a sentence.
    pub why: &'static str,
    /// A job file that breaks it, and no other rule.
    pub breaks: &'static str,
    /// The same job file mended.
    pub keeps: &'static str,
    /// How to mend it, as a sentence.
    pub mend: &'static str,
    /// Looks for it.
    pub check: fn(&Rule, &Subject<'_>) -> Vec<Finding>,
}

impl Rule {
    /// A finding of this rule.
    fn finding(&self, sentence: impl Into<String>) -> Finding {
        Finding::new(self.code, self.weight, sentence)
    }
}

/// What rules look at.
#[derive(Debug)]
pub struct Subject<'a> {
    /// The job.
    pub job: &'a Job,
    /// What it comes to.
    pub expansion: &'a Expansion,
    /// What the outside world told.
    pub answers: &'a Answers,
    /// Deliverables that share a path.
    collisions: Vec<Collision>,
}

impl<'a> Subject<'a> {
    /// What rules look at.
    #[must_use]
    pub fn new(job: &'a Job, expansion: &'a Expansion, answers: &'a Answers) -> Self {
        let sequences: Vec<_> = expansion
            .deliverables
            .iter()
            .map(|one| (&one.pattern, &one.common.frames.value))
            .collect();
        Self {
            job,
            expansion,
            answers,
            collisions: collisions(&sequences),
        }
    }

    /// One deliverable for every place in the job that `key` tells apart, with how many there
    /// are: a mistake in a template is told once and not for every shot.
    fn once<K: PartialEq>(
        &self,
        key: impl Fn(&Deliverable) -> Option<K>,
    ) -> Vec<(&'a Deliverable, u64)> {
        let mut found: Vec<(K, &Deliverable, u64)> = Vec::new();
        for deliverable in &self.expansion.deliverables {
            let Some(key) = key(deliverable) else {
                continue;
            };
            let files = deliverable.common.frames.value.count();
            match found.iter_mut().find(|(known, ..)| *known == key) {
                Some((_, _, count)) => *count += files,
                None => found.push((key, deliverable, files)),
            }
        }
        found
            .into_iter()
            .map(|(_, deliverable, count)| (deliverable, count))
            .collect()
    }

    fn problems(&self) -> impl Iterator<Item = &'a Problem> {
        self.expansion.problems.iter()
    }

    /// Findings for a key that must be set and is not.
    fn unset(&self, rule: &Rule, key: Key, sentence: &str, advice: &str) -> Vec<Finding> {
        self.problems()
            .filter(|problem| problem.kind == ProblemKind::Unset(key))
            .map(|problem| rule.finding(sentence).at(&problem.place, "").advise(advice))
            .collect()
    }
}

/// Every rule, in the order of the codes.
pub const RULES: [&Rule; 27] = [
    &no_frame_token::RULE,
    &same_path::RULE,
    &left_out_token::RULE,
    &glued_digits::RULE,
    &short_padding::RULE,
    &no_extension::RULE,
    &doubled_extension::RULE,
    &extension_of_format::RULE,
    &unknown_token::RULE,
    &value_missing::RULE,
    &path_not_said::RULE,
    &undeclared::RULE,
    &unlisted::RULE,
    &empty_frames::RULE,
    &frames_not_said::RULE,
    &channels::RULE,
    &bits::RULE,
    &compression::RULE,
    &scale_of_nothing::RULE,
    &unknown_engine::RULE,
    &engine_not_said::RULE,
    &program_missing::RULE,
    &scene_missing::RULE,
    &picture_engine_cannot_write::RULE,
    &frames_engine_cannot_take::RULE,
    &refused_argument::RULE,
    &outside_place::RULE,
];

/// What all rules have to say, errors first, then in the order of the rules.
#[must_use]
pub fn check(subject: &Subject<'_>) -> Vec<Finding> {
    let mut findings: Vec<Finding> = RULES
        .iter()
        .flat_map(|rule| (rule.check)(rule, subject))
        .collect();
    findings.sort_by_key(|finding| finding.weight);
    findings
}

/// The file name of a path as text before and text behind the last frame field; `None` for the
/// second where the name has none.
fn name_around_frame(pattern: &PathPattern) -> (String, Option<String>) {
    use crate::template::Piece;
    let (_, name) = pattern.split();
    let mut before = String::new();
    let mut behind: Option<String> = None;
    for piece in name.pieces() {
        match (piece, &mut behind) {
            (Piece::Frame(_), _) => {
                before.push_str(&behind.take().unwrap_or_default());
                behind = Some(String::new());
            }
            (Piece::Text(text), Some(behind)) => behind.push_str(text),
            (Piece::Text(text), None) => before.push_str(text),
        }
    }
    (before, behind)
}

/// `` `a`, `b` or `c` ``
fn one_of<T: std::fmt::Display>(items: impl IntoIterator<Item = T>) -> String {
    let quoted: Vec<String> = items.into_iter().map(|item| format!("`{item}`")).collect();
    match quoted.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, rest)) => format!("{} or {last}", rest.join(", ")),
        None => String::new(),
    }
}
