//! What rules look at.

use std::collections::{HashMap, HashSet};
use std::hash::{DefaultHasher, Hash, Hasher};

use super::Rule;
use crate::collide::{Collision, collisions, folded, is_folded};
use crate::deliverable::settings_of_key;
use crate::deliverable::{Deliverable, Expansion, Problem, ProblemKind, Surroundings};
use crate::executor::{self, Executor, OneThread};
use crate::finding::Finding;
use crate::frames::FrameSet;
use crate::job::{Job, Key};
use crate::precedence::Chain;
use crate::question::{Answers, ExistingFacts, FinishedPicture};
use crate::scene_facts::SceneFacts;
use crate::source::Place;
use crate::system::System;
use crate::template::{Part, PathPattern, Piece};

/// What rules look at.
#[derive(Debug)]
pub struct Subject<'a> {
    /// The job.
    pub job: &'a Job,
    /// Its deliverables that were selected.
    pub expansion: &'a Expansion,
    /// All of them, for rules about names that differ: whatever is selected now, the others are rendered some day.
    pub whole: &'a Expansion,
    /// Its surroundings.
    pub around: &'a Surroundings,
    /// What the outside world answered.
    pub answers: &'a Answers,
    /// Deliverables that share a path.
    pub(super) collisions: Vec<Collision>,
    /// Those that share one only where capitals and marks are ignored.
    pub(super) near_collisions: Vec<Collision>,
}

impl<'a> Subject<'a> {
    /// What rules look at.
    #[must_use]
    pub fn new(
        job: &'a Job,
        expansion: &'a Expansion,
        around: &'a Surroundings,
        answers: &'a Answers,
    ) -> Self {
        let sequences: Vec<(&PathPattern, &FrameSet)> = expansion
            .deliverables
            .iter()
            .map(|one| (&one.pattern, &one.common.frames.files.value))
            .collect();
        let of_kind = |kind| match kind {
            0 => collisions(&sequences),
            _ => near_collisions(expansion, &sequences),
        };
        let mut kinds = executor::map(executor_for(expansion, around), 2, of_kind).into_iter();
        let collisions = kinds.next().unwrap_or_default();
        let mut near_collisions = kinds.next().unwrap_or_default();
        near_collisions.retain(|one| collisions.iter().all(|known| known.members != one.members));
        Self {
            job,
            expansion,
            whole: expansion,
            around,
            answers,
            near_collisions,
            collisions,
        }
    }

    /// The same of a part of a job, where the whole of it is this.
    #[must_use]
    pub fn within(self, whole: &'a Expansion) -> Self {
        Self { whole, ..self }
    }

    /// What the rules of finished pictures look at: names are not compared.
    #[must_use]
    pub fn of_pictures(
        job: &'a Job,
        expansion: &'a Expansion,
        around: &'a Surroundings,
        answers: &'a Answers,
    ) -> Self {
        Self {
            job,
            expansion,
            whole: expansion,
            around,
            answers,
            collisions: Vec::new(),
            near_collisions: Vec::new(),
        }
    }

    /// One deliverable for every key that `key` computes, with the key and the number of files:
    /// a mistake in a template is reported once and not for every shot.
    pub(super) fn once<K: Eq + Hash>(
        &self,
        key: impl Fn(&'a Deliverable) -> Option<K>,
    ) -> Vec<(&'a Deliverable, K, u64)> {
        let gathered = self.gathered(|one| Some((key(one)?, ()))).into_iter();
        let found = gathered.map(|(key, first)| (first.deliverable, key, first.files));
        found.collect()
    }

    /// The same where only a part of what is measured is the key: the rest is of the first deliverable.
    pub(super) fn once_by<K: Eq + Hash, V>(
        &self,
        measure: impl Fn(&'a Deliverable) -> Option<(K, V)>,
    ) -> Vec<(&'a Deliverable, V, u64)> {
        let gathered = self.gathered(measure).into_iter();
        let found = gathered.map(|(_, first)| (first.deliverable, first.measured, first.files));
        found.collect()
    }

    /// The first deliverable of each key, in the order of the job.
    fn gathered<K: Eq + Hash, V>(
        &self,
        measure: impl Fn(&'a Deliverable) -> Option<(K, V)>,
    ) -> Vec<(K, First<'a, V>)> {
        let mut known: HashMap<K, First<'a, V>> = HashMap::new();
        for deliverable in &self.expansion.deliverables {
            let Some((key, measured)) = measure(deliverable) else {
                continue;
            };
            let order = known.len();
            let first = known.entry(key).or_insert(First {
                order,
                deliverable,
                measured,
                files: 0,
            });
            first.files += deliverable.common.frames.files.value.count();
        }
        let mut gathered: Vec<_> = known.into_iter().collect();
        gathered.sort_unstable_by_key(|(_, first)| first.order);
        gathered
    }

    /// What its rules are worked on with.
    pub(super) fn executor(&self) -> &'static dyn Executor {
        executor_for(self.expansion, self.around)
    }

    pub(super) fn problems(&self) -> impl Iterator<Item = &'a Problem> {
        self.expansion.problems.iter()
    }

    /// Findings for a key that must be set and is not.
    pub(super) fn unset(
        &self,
        rule: &Rule,
        key: Key,
        sentence: &str,
        advice: &str,
    ) -> Vec<Finding> {
        self.problems()
            .filter(|problem| problem.kind == ProblemKind::Unset(key))
            .map(|problem| rule.finding(sentence).at(&problem.place, "").advise(advice))
            .collect()
    }

    /// Where the value of a key comes from, for a deliverable.
    pub(super) fn place_of(&self, one: &Deliverable, key: Key) -> Option<Place> {
        let origins = settings_of_key(self.job, one, key);
        origins.first().map(|origin| origin.place.clone())
    }

    /// The chain of precedence of a deliverable.
    pub(super) fn chain(&self, one: &Deliverable) -> Chain<'a> {
        one.chain(self.job)
    }

    /// What the scene of a deliverable has, where that is known.
    pub(super) fn scene_facts(&self, one: &Deliverable) -> Option<&'a SceneFacts> {
        let scene = one.common.scene.as_ref()?;
        self.answers.scenes.get(&scene.path)?.facts.as_ref()
    }

    /// Where the folder that a deliverable starts from is set: its place, else its path.
    pub(super) fn place_of_root(&self, one: &Deliverable) -> Place {
        let named = match one.template.template.parts().first() {
            Some(Part::Token(token)) => token.name.strip_prefix("place."),
            _ => None,
        };
        let place = named.and_then(|name| self.job.places.iter().find(|one| one.name == name));
        place
            .and_then(|place| place.folder(self.around.system))
            .map_or_else(|| one.template.place.clone(), |folder| folder.place.clone())
    }

    /// What is there already of a deliverable's files.
    pub(super) fn existing(&self, one: &Deliverable) -> Option<&'a ExistingFacts> {
        // Of a fresh job nothing is there, and no path has to be written out.
        if self.answers.existing.is_empty() {
            return None;
        }
        self.answers.existing.get(&one.pattern.sketch())
    }

    /// The deliverables of which pictures are there and were read, with them.
    pub(super) fn finished(
        &self,
    ) -> impl Iterator<Item = (&'a Deliverable, &'a [FinishedPicture])> + use<'a> {
        let answers = self.answers;
        let all = self.expansion.deliverables.iter();
        all.filter(|_| !answers.pictures.is_empty())
            .filter_map(|one| {
                let pictures = answers.pictures.get(&one.pattern.sketch())?;
                Some((one, pictures.as_slice()))
            })
    }

    /// Pictures between whose frames none is missing: only those are neighbours.
    pub(super) fn rows(
        &self,
        one: &Deliverable,
        pictures: &'a [FinishedPicture],
    ) -> Vec<&'a [FinishedPicture]> {
        let mut wanted = one.common.frames.files.value.iter().enumerate();
        let places = pictures.iter().map(|picture| {
            let place = wanted.find(|(_, frame)| *frame >= picture.frame);
            place.map(|(place, _)| place)
        });
        let places: Vec<Option<usize>> = places.collect();
        let mut rows = Vec::new();
        let mut start = 0;
        for at in 1..=pictures.len() {
            let goes_on = places
                .get(at)
                .is_some_and(|place| *place == places[at - 1].map(|before| before + 1));
            if !goes_on {
                rows.push(&pictures[start..at]);
                start = at;
            }
        }
        rows
    }

    /// A finding about some frames of a deliverable: what they are or do, in words that begin with a verb in the
    /// plural.
    pub(super) fn of_frames(
        &self,
        rule: &Rule,
        one: &Deliverable,
        frames: &FrameSet,
        what: &str,
    ) -> Finding {
        let (verb, rest) = what.split_once(' ').unwrap_or((what, ""));
        let (word, verb) = match (frames.count(), verb) {
            (1, "are") => ("frame", "is".to_owned()),
            (1, "have") => ("frame", "has".to_owned()),
            (1, verb) => ("frame", format!("{verb}s")),
            (_, verb) => ("frames", verb.to_owned()),
        };
        let sentence = format!("{}: {word} {frames} {verb} {rest}", one.label());
        rule.finding(sentence.trim_end())
            .at(&one.template.place, "")
            .about(one.label(), one.pattern.sketch(), frames.clone())
    }

    /// What stands at a place.
    pub(super) fn text(&self, place: &Place) -> &'a str {
        let source = self.job.sources.get(place.source);
        source.text.get(place.span.clone()).unwrap_or_default()
    }

    /// The folder that the place of a deliverable has on a system, where the job says one.
    pub(super) fn folder_on(&self, one: &Deliverable, system: System) -> Option<&'a str> {
        let name = match one.template.template.parts().first()? {
            Part::Token(token) => token.name.strip_prefix("place.")?,
            Part::Text(_) | Part::Optional(_) => return None,
        };
        let place = self.job.places.iter().find(|place| place.name == name)?;
        // A folder for every system is a path of the one that the job was written on.
        let mut folders = place.folders.iter().filter(|(on, _)| *on == Some(system));
        folders.next().map(|(_, folder)| folder.value.as_str())
    }

    /// Whether machines of a system see the place of a deliverable.
    pub(super) fn is_shared_with(&self, one: &Deliverable, system: System) -> bool {
        self.around.system == system || self.folder_on(one, system).is_some()
    }
}

/// What a job is looked through with: threads are worth starting only where there is much to look at.
fn executor_for(expansion: &Expansion, around: &Surroundings) -> &'static dyn Executor {
    if expansion.is_large() {
        around.executor
    } else {
        &OneThread
    }
}

/// Collisions of names that differ only in capitals and in how marks are written.
fn near_collisions(
    expansion: &Expansion,
    sequences: &[(&PathPattern, &FrameSet)],
) -> Vec<Collision> {
    // Folders of places are the same for all; what differs is below them.
    let plain = |one: &Deliverable| {
        one.pattern.pieces().iter().all(|piece| match piece {
            Piece::Text(text) => is_folded(text.strip_prefix(&*one.root).unwrap_or(text)),
            Piece::Frame(_) => true,
        })
    };
    if expansion.deliverables.iter().all(plain) {
        return Vec::new();
    }
    let all: Vec<Option<PathPattern>> = sequences.iter().map(|(path, _)| folded(path)).collect();
    // Only what reads like one of those that folding changes can meet it.
    let changed: HashSet<u64> = all.iter().flatten().map(wording).collect();
    let (indices, candidates): (Vec<usize>, Vec<(&PathPattern, &FrameSet)>) = all
        .iter()
        .zip(sequences)
        .map(|(folded, (path, frames))| (folded.as_ref().unwrap_or(path), *frames))
        .enumerate()
        .filter(|(_, (path, _))| changed.contains(&wording(path)))
        .unzip();
    let mut near = collisions(&candidates);
    for collision in &mut near {
        for member in &mut collision.members {
            *member = indices[*member];
        }
    }
    near
}

/// What a path holds besides numbers, as a hash: what shares one by chance is only looked at in vain.
fn wording(pattern: &PathPattern) -> u64 {
    let mut hasher = DefaultHasher::new();
    for piece in pattern.pieces() {
        let Piece::Text(text) = piece else { continue };
        // Frames before 0 bring a sign of their own.
        for part in text.split(|c: char| c.is_ascii_digit() || c == '-') {
            hasher.write(part.as_bytes());
        }
    }
    hasher.finish()
}

/// The first deliverable of a key, and the files of all that have it.
struct First<'a, V> {
    order: usize,
    deliverable: &'a Deliverable,
    measured: V,
    files: u64,
}
