//! The places of a clip at which it is found out whether it may be split.

use crate::frames::{Frame, FrameSet};

/// Frames of a row.
const ROW: u64 = 4;
/// The frame of a row that is rendered again alone, from 0: a state that is carried shows as two steps against none.
const ALONE: u64 = 2;
/// So many places are tried at most.
const MOST: u64 = 8;

/// A place of a clip: frames that one process renders in a row, and the one that is rendered again alone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Place {
    /// The frames of the row.
    pub row: FrameSet,
    /// The frame that is rendered alone.
    pub alone: Frame,
}

/// The places of a clip in the order in which they are tried: at its start, near its middle, then between these. No
/// two have a frame in common. `clip` is what one process renders of all of it.
///
/// ```
/// use truepath_core::split::places;
///
/// let rows: Vec<String> = places(&"1-240".parse()?).iter().map(|one| one.row.to_string()).collect();
/// assert_eq!(rows[..3], ["1-4", "121-124", "61-64"]);
/// // A clip of six frames has room for one.
/// assert_eq!(places(&"1-6".parse()?).len(), 1);
/// # Ok::<(), truepath_core::frames::FramesError>(())
/// ```
#[must_use]
pub fn places(clip: &FrameSet) -> Vec<Place> {
    let rows = clip.count() / ROW;
    let mut places: Vec<(u64, Place)> = Vec::new();
    // Of the rows one after another: the first, the middle, the quarters, the eighths.
    for (part, of) in [
        (0, 1),
        (1, 2),
        (1, 4),
        (3, 4),
        (1, 8),
        (3, 8),
        (5, 8),
        (7, 8),
    ] {
        let at = (rows.saturating_sub(1) * part).div_ceil(of);
        let is_new = places.iter().all(|(known, _)| *known != at);
        if at >= rows || !is_new || places.len() as u64 >= MOST {
            continue;
        }
        let row = clip.slice(at * ROW, ROW);
        if let Some(alone) = row.nth(ALONE) {
            places.push((at, Place { row, alone }));
        }
    }
    places.into_iter().map(|(_, place)| place).collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_clip_has_the_places_that_it_has_room_for() {
        assert_eq!(places(&"1-3".parse().unwrap()), []);
        let of_ten = places(&"11-20".parse().unwrap());
        let rows: Vec<String> = of_ten.iter().map(|one| one.row.to_string()).collect();
        assert_eq!(rows, ["11-14", "15-18"]);
        // The step of the clip is that of the row.
        let stepped = places(&"1-100/10".parse().unwrap());
        assert_eq!(stepped[0].row.to_string(), "1-31/10");
        assert_eq!(stepped[0].alone, 21);
    }

    proptest! {
        #[test]
        fn places_are_rows_of_the_clip_without_a_frame_in_common(
            first in -50_i64..50, count in 0_i64..3000,
        ) {
            let clip = FrameSet::range(first, first + count);
            let all = places(&clip);
            prop_assert_eq!(all.is_empty(), clip.count() < ROW);
            let mut seen = FrameSet::empty();
            for place in &all {
                prop_assert_eq!(place.row.count(), ROW);
                prop_assert_eq!(place.row.nth(ALONE), Some(place.alone));
                prop_assert_eq!(place.row.count_shared(&clip), ROW);
                prop_assert_eq!(place.row.count_shared(&seen), 0);
                seen = seen.union(&place.row).unwrap();
            }
        }
    }
}
