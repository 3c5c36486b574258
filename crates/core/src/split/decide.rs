//! What the places of a clip say together.

use super::{FoundSplit, Judgement};
use crate::finding::count;
use crate::frames::Frame;

/// So many places are tried that bring no picture.
pub const MOST_FAILED: usize = 5;
/// So many places that say that a frame is the same picture are enough.
const ENOUGH: usize = 2;

/// What was found at a place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct JudgedPlace {
    /// The frame that was rendered in a row and alone.
    pub frame: Frame,
    /// What its pictures say.
    pub judgement: Judgement,
    /// Why they say nothing.
    pub silence: Silence,
    /// The part of its pixels of which a value differs, from 0 to 1.
    pub share: f64,
    /// How much two pictures of the frame differ that were both rendered alone: a root mean square.
    pub noise: f64,
}

/// Why a place says nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Silence {
    /// The pictures of the row are alike among themselves, or the place does say something.
    Alike,
    /// A frame of it failed.
    Failed,
    /// No frame of its row came.
    Empty,
    /// There are no pixels to compare.
    NoPixels,
}

/// What is done next.
#[derive(Debug, Clone, PartialEq)]
pub enum Decision {
    /// So many more places are tried.
    Try(usize),
    /// It is known.
    Found(FoundSplit),
}

/// What is done next after some places were judged; `more` says whether there are others.
#[must_use]
pub fn decide(judged: &[JudgedPlace], more: bool) -> Decision {
    let noise = judged.iter().map(|one| one.noise).fold(0.0, f64::max);
    if let Some(one) = judged
        .iter()
        .find(|one| one.judgement == Judgement::Depends)
    {
        return Decision::Found(FoundSplit {
            free: false,
            frames: vec![one.frame],
            noise,
            why: format!(
                "frame {} rendered alone is another picture than in a row: {} of its pixels differ",
                one.frame,
                percent(one.share)
            ),
            ..FoundSplit::default()
        });
    }
    let mut free: Vec<Frame> = judged
        .iter()
        .filter(|one| one.judgement == Judgement::Free)
        .map(|one| one.frame)
        .collect();
    free.sort_unstable();
    let is_empty = |one: &JudgedPlace| one.silence == Silence::Empty;
    let all_failed = judged.len() >= MOST_FAILED && judged.iter().all(is_empty);
    let no_pixels = judged.iter().any(|one| one.silence == Silence::NoPixels);
    if free.len() >= ENOUGH || (!more && !free.is_empty()) {
        return Decision::Found(FoundSplit {
            free: true,
            frames: free,
            noise,
            ..FoundSplit::default()
        });
    }
    if judged.is_empty() {
        return Decision::Try(ENOUGH);
    }
    if more && !all_failed && !no_pixels {
        return Decision::Try(1);
    }
    let why = if no_pixels {
        "its pictures cannot be decoded here, so nothing shows whether it may be split".to_owned()
    } else if judged.iter().all(|one| one.silence != Silence::Alike) {
        "frames failed wherever it was tried, so nothing shows whether it may be split".to_owned()
    } else {
        let places = count(judged.len() as u64, "place", "places");
        format!("nothing moves at {places}, so nothing shows whether it may be split")
    };
    Decision::Found(FoundSplit {
        why,
        ..FoundSplit::default()
    })
}

/// `83 %`; what is there is never `0 %`.
fn percent(share: f64) -> String {
    let percent = share * 100.0;
    if percent > 0.0 && percent < 1.0 {
        "less than 1 %".to_owned()
    } else {
        format!("{} %", percent.round())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn place(frame: Frame, judgement: Judgement, silence: Silence) -> JudgedPlace {
        JudgedPlace {
            frame,
            judgement,
            silence,
            share: 0.834,
            noise: 0.0,
        }
    }

    fn found(judged: &[JudgedPlace], more: bool) -> String {
        match decide(judged, more) {
            Decision::Try(places) => format!("try {places}"),
            Decision::Found(found) => found.words(),
        }
    }

    #[test]
    fn two_places_that_say_it_are_enough() {
        let free = |frame| place(frame, Judgement::Free, Silence::Alike);
        assert_eq!(found(&[], true), "try 2");
        assert_eq!(
            found(&[free(3), free(122)], true),
            "found free by frames 3 and 122"
        );
        let still = place(3, Judgement::Nothing, Silence::Alike);
        assert_eq!(found(&[still, free(122)], true), "try 1");
        assert_eq!(found(&[still, free(122)], false), "found free by frame 122");
    }

    #[test]
    fn one_place_that_depends_on_the_range_decides() {
        let places = [
            place(3, Judgement::Free, Silence::Alike),
            place(122, Judgement::Depends, Silence::Alike),
        ];
        assert_eq!(
            found(&places, true),
            "one process for the clip: frame 122 rendered alone is another picture than in a row: 83 % of its pixels differ"
        );
    }

    #[test]
    fn where_nothing_shows_it_the_clip_is_one_process() {
        let of = |silence| place(3, Judgement::Nothing, silence);
        let still = [of(Silence::Alike); 8];
        assert!(found(&still, false).contains("nothing moves at 8 places"));
        assert!(found(&[of(Silence::NoPixels); 2], true).contains("cannot be decoded"));
        assert_eq!(found(&[of(Silence::Empty); 4], true), "try 1");
        assert!(found(&[of(Silence::Empty); 5], true).contains("frames failed wherever"));
    }
}
