//! A place of a clip that is rendered in a row and alone, and what its pictures say.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::DeliverableId;
use truepath_core::frames::Frame;
use truepath_core::split::{JudgedPlace, Judgement, Place, PlaceDifferences, Silence, judge};
use truepath_media::{CompareError, Flaw, Pair};

use super::held::HeldProcess;

/// Bytes of memory that two pictures may take while they are compared.
const MOST_MEMORY: u64 = 4 << 30;

/// A place of a clip that is being rendered.
pub(super) struct PlaceAtWork {
    pub(super) place: Place,
    pub(super) row: Option<HeldProcess>,
    pub(super) alone: Vec<HeldProcess>,
    /// What its pictures say, once that is known.
    pub(super) judged: Option<JudgedPlace>,
}

impl PlaceAtWork {
    pub(super) fn new(place: Place) -> Self {
        Self {
            place,
            row: None,
            alone: Vec::new(),
            judged: None,
        }
    }

    /// Whether it is known what its pictures say.
    pub(super) fn is_judged(&self) -> bool {
        self.judged.is_some()
    }
}

/// A place of which nothing else is known.
pub(super) fn judged(judgement: Judgement, silence: Silence) -> JudgedPlace {
    JudgedPlace {
        frame: 0,
        judgement,
        silence,
        share: 0.0,
        noise: 0.0,
    }
}

/// How much two pictures differ: the root mean square, and the part of the pixels.
pub(super) fn rms_and_share(one: &Path, other: &Path) -> Result<(f64, f64), CompareError> {
    Pair::rms_and_share(one, other, MOST_MEMORY)
}

type Pictures = BTreeMap<(DeliverableId, Frame), PathBuf>;

/// Compares the pictures of a place: of all deliverables that its process makes, the one that says most counts.
pub(super) fn compare(at_work: &PlaceAtWork) -> JudgedPlace {
    let nothing = judged(Judgement::Nothing, Silence::NoPixels);
    let Some(row) = at_work.row.as_ref().map(HeldProcess::pictures) else {
        return nothing;
    };
    let alone: Vec<Pictures> = at_work.alone.iter().map(HeldProcess::pictures).collect();
    let Some(first) = alone.first() else {
        return nothing;
    };
    let mut said = judged(Judgement::Nothing, Silence::Alike);
    for ((index, frame), picture) in first {
        let of_place = compare_one(at_work, &row, (*index, *frame), picture, alone.get(1));
        let Ok(one) = of_place else {
            return nothing;
        };
        let rank = |judgement: Judgement| match judgement {
            Judgement::Nothing => 0,
            Judgement::Free => 1,
            Judgement::OnceMore => 2,
            Judgement::Depends => 3,
        };
        let noise = said.noise.max(one.noise);
        if rank(one.judgement) > rank(said.judgement) {
            said = one;
        }
        said.noise = noise;
    }
    said
}

/// Compares the pictures of one deliverable at a place.
fn compare_one(
    at_work: &PlaceAtWork,
    row: &Pictures,
    (index, frame): (DeliverableId, Frame),
    alone: &Path,
    again: Option<&Pictures>,
) -> Result<JudgedPlace, CompareError> {
    let lacks = || {
        CompareError::First(Flaw::from(std::io::Error::from(
            std::io::ErrorKind::NotFound,
        )))
    };
    let in_row = |frame| row.get(&(index, frame)).ok_or_else(lacks);
    let frames: Vec<Frame> = at_work.place.row.iter().collect();
    let mut moves = 0.0_f64;
    for pair in frames.windows(2) {
        moves = moves.max(rms_and_share(in_row(pair[0])?, in_row(pair[1])?)?.0);
    }
    let (alone_rms, share) = rms_and_share(in_row(frame)?, alone)?;
    let again = match again {
        Some(again) => {
            let again = again.get(&(index, frame)).ok_or_else(lacks)?;
            Some((
                rms_and_share(in_row(frame)?, again)?.0,
                rms_and_share(alone, again)?.0,
            ))
        }
        None => None,
    };
    let judgement = judge(PlaceDifferences {
        in_row: moves,
        alone: alone_rms,
        again,
    });
    Ok(JudgedPlace {
        share,
        noise: again.map_or(0.0, |(_, noise)| noise),
        ..judged(judgement, Silence::Alike)
    })
}
