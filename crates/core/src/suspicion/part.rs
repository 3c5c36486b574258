//! Parts of pictures that were never rendered: rectangles of one value that no neighbour has.

use super::measures;
use crate::frames::Frame;
use crate::picture::BlankPart;
use crate::question::FinishedPicture;

/// A part of a picture that seems never to have been rendered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct UnrenderedPart {
    /// The frame.
    pub frame: Frame,
    /// The part.
    pub part: BlankPart,
}

/// Smaller parts are details of the picture, in pixels.
const SMALLEST: u64 = 16 * 16;

/// The pictures with a blank part that the two frames before and the two after do not have; at either end the
/// neighbours on the other side count.
#[must_use]
pub fn unrendered_parts(pictures: &[FinishedPicture]) -> Vec<UnrenderedPart> {
    let measures = measures(pictures);
    let mut found = Vec::new();
    for (at, (picture, one)) in measures.iter().enumerate() {
        let Some(part) = one.blank.filter(|part| part.area() >= SMALLEST) else {
            continue;
        };
        let has_it = |other: usize| {
            let other = measures[other].1;
            // In a picture of one color every part is blank.
            other.constant_color().is_some()
                || other
                    .blank
                    .is_some_and(|blank| blank.shared(part) * 2 >= part.area())
        };
        let neighbours: Vec<usize> = (at.saturating_sub(2)..(at + 3).min(measures.len()))
            .filter(|other| *other != at)
            .collect();
        if neighbours.len() >= 2 && !neighbours.into_iter().any(has_it) {
            found.push(UnrenderedPart {
                frame: pictures[*picture].frame,
                part,
            });
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::super::sample::{change, sequence};
    use super::*;

    fn with_parts(parts: &[(usize, u32)]) -> Vec<Frame> {
        let mut pictures = sequence(9, |_| 0.4);
        for (at, height) in parts {
            change(&mut pictures[*at], |measure| {
                measure.blank = Some(BlankPart {
                    left: 0,
                    top: 200 - height,
                    width: 320,
                    height: *height,
                });
            });
        }
        let found = unrendered_parts(&pictures);
        found.iter().map(|one| one.frame).collect()
    }

    #[test]
    fn a_part_that_no_neighbour_has_is_found_at_the_first_the_last_and_in_between() {
        for at in [0, 4, 8] {
            assert_eq!(with_parts(&[(at, 80)]), [at as i64 + 1]);
        }
        // Too small to matter.
        assert_eq!(with_parts(&[(4, 0)]), [0; 0]);
    }

    #[test]
    fn bars_and_what_moves_slowly_are_meant() {
        let bars: Vec<(usize, u32)> = (0..9).map(|at| (at, 40)).collect();
        assert_eq!(with_parts(&bars), [0; 0]);
        // A curtain that comes up, slowly and quickly.
        let slow: Vec<(usize, u32)> = (0..9).map(|at| (at, 20 * at as u32)).collect();
        assert_eq!(with_parts(&slow), [0; 0]);
        assert_eq!(with_parts(&[(5, 40), (6, 90), (7, 140), (8, 180)]), [0; 0]);
        // The same part in a few frames was still never rendered, but a cut looks alike.
        assert_eq!(with_parts(&[(4, 80), (5, 80)]), [0; 0]);
    }

    #[test]
    fn a_picture_without_neighbours_shows_nothing() {
        let mut pictures = sequence(2, |_| 0.4);
        change(&mut pictures[0], |measure| {
            measure.blank = Some(BlankPart {
                left: 0,
                top: 0,
                width: 100,
                height: 100,
            });
        });
        assert!(unrendered_parts(&pictures).is_empty());
    }
}
