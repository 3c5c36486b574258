//! What the pictures show that a run brings: they are judged while it goes on, so that a wrong camera is known
//! after a few frames.

use std::collections::{HashMap, HashSet};
use std::time::Duration;

use truepath_core::deliverable::{DeliverableId, Expansion};
use truepath_core::finding::Finding;
use truepath_core::frames::Frame;
use truepath_core::picture::Digest;
use truepath_core::question::{Answers, FinishedPicture};
use truepath_core::rules::{FinishedScope, Subject, judge_finished};

use crate::Loaded;
use crate::clock::Moment;
use crate::record::ledger::Record;

/// After so long all pictures are judged again, however few have come.
const BETWEEN: Duration = Duration::from_secs(30);

/// The pictures that a run has brought so far.
#[derive(Default)]
pub(super) struct FinishedPictures {
    answers: Answers,
    /// The paths of deliverables, by their index.
    paths: HashMap<DeliverableId, String>,
    count: u64,
    /// Suspicious ones are judged when so many have come.
    next: u64,
    judged: Option<Moment>,
    /// Whose picture of a frame has this digest.
    digests: HashMap<(Frame, Digest), DeliverableId>,
    /// Whether a picture has come that may be suspicious by itself.
    is_suspicious: bool,
    /// Codes and deliverables that were reported.
    reported: HashSet<(&'static str, String)>,
}

impl FinishedPictures {
    /// Takes what a picture shows.
    pub(super) fn take(
        &mut self,
        expansion: &Expansion,
        index: DeliverableId,
        frame: Frame,
        record: &Record,
    ) {
        if record.picture.is_none() && record.samples.is_none() && record.kind.is_none() {
            return;
        }
        let path = self
            .paths
            .entry(index)
            .or_insert_with(|| expansion.deliverables[index].pattern.sketch());
        let pictures = self.answers.pictures.entry(path.clone()).or_default();
        let picture = FinishedPicture {
            frame,
            bytes: record.size,
            // Known once its process has ended.
            seconds: None,
            measure: record.picture.clone(),
            samples: record.samples,
            kind: record.kind.clone(),
        };
        match pictures.binary_search_by_key(&frame, |one| one.frame) {
            Ok(at) => pictures[at] = picture,
            Err(at) => pictures.insert(at, picture),
        }
        self.count += 1;
        let samples = record.samples;
        self.is_suspicious |= samples.is_some_and(|samples| samples.missed().is_some());
        let Some(measure) = &record.picture else {
            return;
        };
        let first = *self.digests.entry((frame, measure.digest)).or_insert(index);
        self.is_suspicious |= first != index
            || measure.constant_color().is_some()
            || measure.not_a_number + measure.infinite > 0;
    }

    /// Whether it is time to judge: when a picture is suspicious by itself, and after some time. Where many are, they
    /// are judged after each that adds a thirtieth.
    pub(super) fn is_due(&self) -> bool {
        let late = self.judged.is_none_or(|then| then.elapsed() > BETWEEN);
        late || (self.is_suspicious && self.count >= self.next)
    }

    /// What was not reported yet, of those pictures that can be judged without what comes after them.
    pub(super) fn judge(&mut self, loaded: &Loaded, expansion: &Expansion) -> Vec<Finding> {
        self.next = self.count + 1 + self.count / 30;
        self.is_suspicious = false;
        self.judged = Some(Moment::now());
        let findings = self.findings(loaded, expansion, FinishedScope::SoFar);
        let mut new = findings;
        new.retain(|one| self.reported.insert((one.code, about(one).to_owned())));
        new
    }

    /// All that there is to say at the end.
    pub(super) fn judge_all(&self, loaded: &Loaded, expansion: &Expansion) -> Vec<Finding> {
        self.findings(loaded, expansion, FinishedScope::All)
    }

    fn findings(
        &self,
        loaded: &Loaded,
        expansion: &Expansion,
        scope: FinishedScope,
    ) -> Vec<Finding> {
        if self.count == 0 {
            return Vec::new();
        }
        let around = &loaded.surroundings;
        let subject = Subject::of_pictures(&loaded.job, expansion, around, &self.answers);
        judge_finished(&subject, scope)
    }
}

/// The deliverable that a finding is about: what its sentence begins with.
fn about(finding: &Finding) -> &str {
    let sentence = &finding.sentence;
    sentence
        .split_once(": frame")
        .map_or(sentence, |(about, _)| about)
}
