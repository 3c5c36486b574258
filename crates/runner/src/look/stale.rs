//! Why frames are stale: which setting has another value than when they were made.

use std::collections::{BTreeMap, BTreeSet};

use truepath_core::deliverable::Deliverable;
use truepath_core::frames::{Frame, FrameSet};

use crate::look::fingerprint::of_all_frames;
use crate::record::ledger::Ledger;
use crate::record::value_key::{InputValues, VARIABLE};

/// What stands for the content of the scene among inputs.
pub(crate) const SCENE: &str = "the scene";

/// Stale frames that were made alike, and what has changed since.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WhyStale {
    /// The frames.
    pub frames: FrameSet,
    /// What has changed, each as `samples: 4 is now 8`; none where that is not known.
    pub changes: Vec<String>,
}

impl WhyStale {
    /// Of files that are assembled from others.
    fn of_sources(one: &Deliverable, frames: &FrameSet) -> Self {
        let change = if one.movie().is_some() {
            "its frames have changed since it was made, or are not whole"
        } else {
            "what it is made of has changed since it was made, or is not whole"
        };
        Self {
            frames: frames.clone(),
            changes: vec![change.to_owned()],
        }
    }
}

/// Why some frames of a deliverable are stale, by what made them; of what is assembled, that its sources are others.
pub(crate) fn why_stale(
    one: &Deliverable,
    frames: &FrameSet,
    ledger: &Ledger,
    today: &InputValues,
) -> Vec<WhyStale> {
    if one.is_assembled() && !frames.is_empty() {
        return vec![WhyStale::of_sources(one, frames)];
    }
    let mut by_maker: BTreeMap<&str, Vec<Frame>> = BTreeMap::new();
    for frame in frames.iter() {
        let record = ledger.published.get(&one.path(frame));
        let fingerprint = record.and_then(|record| record.fingerprint());
        by_maker
            .entry(fingerprint.unwrap_or_default())
            .or_default()
            .push(frame);
    }
    by_maker
        .into_iter()
        .map(|(fingerprint, frames)| {
            let shared = of_all_frames(fingerprint);
            let then = ledger.inputs.get(shared);
            let mut changes = then.map_or_else(Vec::new, |then| changes(then, today));
            if changes.is_empty() && then.is_some() && shared != fingerprint {
                changes.push("the files of the frame alone have changed".to_owned());
            }
            WhyStale {
                frames: FrameSet::from_frames(frames),
                changes,
            }
        })
        .collect()
}

/// What differs between two sets of inputs, in words.
fn changes(then: &InputValues, now: &InputValues) -> Vec<String> {
    let of =
        |inputs: &InputValues| -> BTreeMap<String, String> { inputs.iter().cloned().collect() };
    let (then, now) = (of(then), of(now));
    let names: BTreeSet<&String> = then.keys().chain(now.keys()).collect();
    let mut changes = Vec::new();
    for name in names {
        // Of these only hashes are recorded.
        let is_hash = name == SCENE || name.starts_with("the file ") || name.starts_with(VARIABLE);
        match (then.get(name), now.get(name)) {
            (Some(old), Some(new)) if old == new => {}
            (Some(_), Some(_)) if is_hash => changes.push(format!("{name} has changed")),
            (Some(old), Some(new)) => changes.push(format!("{name}: {old} is now {new}")),
            (Some(_), None) if is_hash => changes.push(format!("{name} is no longer set")),
            (None, Some(_)) if is_hash => changes.push(format!("{name} is new")),
            (Some(old), None) => changes.push(format!("{name}: {old} is no longer set")),
            (None, Some(new)) => changes.push(format!("{name}: {new} is new")),
            (None, None) => {}
        }
    }
    changes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn changes_are_said_from_what_to_what() {
        let inputs = |all: &[(&str, &str)]| -> InputValues {
            let pair = |(name, value): &(&str, &str)| ((*name).to_owned(), (*value).to_owned());
            all.iter().map(pair).collect()
        };
        let then = inputs(&[
            ("samples", "4"),
            ("tint", "red"),
            (SCENE, "aa"),
            ("fps", "24"),
        ]);
        let now = inputs(&[
            ("samples", "8"),
            ("lamp", "on"),
            (SCENE, "bb"),
            ("fps", "24"),
        ]);
        assert_eq!(
            changes(&then, &now),
            [
                "lamp: on is new",
                "samples: 4 is now 8",
                "the scene has changed",
                "tint: red is no longer set",
            ]
        );
    }
}
