//! What the pictures of one place say.

/// A picture that is rendered again differs by noise alone as long as it differs by no more than so many times as much
/// as two pictures of it that were rendered in the same way.
const NOISE: f64 = 1.5;

/// Whether two pictures differ by more than two that were rendered in the same way.
#[must_use]
pub fn is_more_than_noise(difference: f64, noise: f64) -> bool {
    difference > noise * NOISE
}

/// How much the pictures of a place differ: root mean squares of values from 0 to 1.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PlaceDifferences {
    /// The largest difference of two neighbours in the row.
    pub in_row: f64,
    /// Between the frame in its row and the same frame alone.
    pub alone: f64,
    /// Where the frame was rendered alone a second time: between the frame in its row and that one, and between both
    /// that were rendered alone.
    pub again: Option<(f64, f64)>,
}

/// What a place says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Judgement {
    /// Nothing: its pictures are alike among themselves, or one of them failed.
    Nothing,
    /// The frame is the same picture alone and in a row.
    Free,
    /// The picture depends on the range.
    Depends,
    /// The frame is to be rendered alone once more: the renderer may not repeat itself.
    OnceMore,
}

/// Judges a place.
///
/// ```
/// use truepath_core::split::{Judgement, PlaceDifferences, judge};
///
/// let moving = PlaceDifferences { in_row: 0.1, alone: 0.0, again: None };
/// assert_eq!(judge(moving), Judgement::Free);
/// let other = PlaceDifferences { alone: 0.05, ..moving };
/// assert_eq!(judge(other), Judgement::OnceMore);
/// // It gives the same picture alone each time, and another one in a row.
/// assert_eq!(judge(PlaceDifferences { again: Some((0.05, 0.0)), ..other }), Judgement::Depends);
/// // It never gives the same picture.
/// assert_eq!(judge(PlaceDifferences { again: Some((0.05, 0.045)), ..other }), Judgement::Free);
/// ```
#[must_use]
pub fn judge(differences: PlaceDifferences) -> Judgement {
    let PlaceDifferences {
        in_row,
        alone,
        again,
    } = differences;
    if ![in_row, alone].iter().all(|one| one.is_finite()) {
        return Judgement::Nothing;
    }
    if alone == 0.0 {
        return if in_row == 0.0 {
            Judgement::Nothing
        } else {
            Judgement::Free
        };
    }
    match again {
        None => Judgement::OnceMore,
        Some((second, noise)) if !second.is_finite() || !noise.is_finite() => Judgement::Nothing,
        Some((second, noise)) if is_more_than_noise(alone.min(second), noise) => Judgement::Depends,
        // What moves by no more than the noise does not show.
        Some((_, noise)) if !is_more_than_noise(in_row, noise) => Judgement::Nothing,
        Some(_) => Judgement::Free,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(in_row: f64, alone: f64, again: Option<(f64, f64)>) -> Judgement {
        judge(PlaceDifferences {
            in_row,
            alone,
            again,
        })
    }

    #[test]
    fn pictures_that_are_alike_say_nothing() {
        assert_eq!(of(0.0, 0.0, None), Judgement::Nothing);
        // A still beginning with noise of its own.
        assert_eq!(of(0.05, 0.05, Some((0.05, 0.05))), Judgement::Nothing);
        assert_eq!(of(f64::NAN, 0.0, None), Judgement::Nothing);
    }

    #[test]
    fn a_still_row_that_differs_from_the_frame_alone_depends_on_the_range() {
        assert_eq!(of(0.0, 0.1, None), Judgement::OnceMore);
        assert_eq!(of(0.0, 0.1, Some((0.1, 0.0))), Judgement::Depends);
        assert_eq!(of(0.2, 0.1, Some((0.11, 0.05))), Judgement::Depends);
    }

    #[test]
    fn noise_alone_is_no_reason() {
        assert_eq!(of(0.3, 0.05, Some((0.06, 0.04))), Judgement::Free);
    }
}
