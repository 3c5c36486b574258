//! Pictures in which every pixel has one color, or one alpha.

use super::{measures, median};
use crate::frames::Frame;
use crate::picture::PictureMeasure;
use crate::question::FinishedPicture;

/// A picture of one color.
#[derive(Debug, Clone, PartialEq)]
pub struct ConstantColor {
    /// Its frame.
    pub frame: Frame,
    /// The value of each channel but alpha.
    pub color: Vec<f32>,
    /// Whether it may be a flash: two or three white frames between others.
    pub may_be_flash: bool,
}

impl ConstantColor {
    /// `black`, `white`, or the values.
    #[must_use]
    pub fn name(&self) -> String {
        let all = |is: fn(f32) -> bool| self.color.iter().all(|value| is(*value));
        if all(|value| value == 0.0) {
            "black".to_owned()
        } else if all(|value| value == 1.0) {
            "white".to_owned()
        } else {
            let values: Vec<String> = self
                .color
                .iter()
                .map(|value| format!("{value:.3}"))
                .collect();
            format!("of one color ({})", values.join(", "))
        }
    }
}

/// A flash takes so many frames at most.
const LONGEST_FLASH: usize = 3;
/// A neighbour this much nearer to the color than most frames shows that the sequence fades.
const NEAR: f32 = 0.35;

/// The pictures of one color; those that a fade leads to or comes from are left out.
#[must_use]
pub fn constant_color(pictures: &[FinishedPicture]) -> Vec<ConstantColor> {
    let measures = measures(pictures);
    let color = |at: usize| measures[at].1.constant_color();
    let others = measures
        .iter()
        .filter(|(_, one)| one.constant_color().is_none());
    let mut brightness: Vec<f32> = others.map(|(_, one)| one.brightness).collect();
    let usual = median(&mut brightness);
    let mut found = Vec::new();
    let mut at = 0;
    while at < measures.len() {
        let Some(first) = color(at) else {
            at += 1;
            continue;
        };
        let end = (at..measures.len())
            .find(|next| color(*next).is_none())
            .unwrap_or(measures.len());
        let before = at.checked_sub(1).map(|before| (measures[before].1, at));
        let after = measures.get(end).map(|(_, one)| (*one, end - 1));
        let is_fade = [before, after].into_iter().flatten().any(|(one, beside)| {
            let edge = measures[beside.min(end - 1)].1.brightness;
            (one.brightness - edge).abs() < NEAR * (usual - edge).abs()
        });
        let is_white = first.iter().all(|value| *value >= 0.95);
        let may_be_flash = is_white
            && (2..=LONGEST_FLASH).contains(&(end - at))
            && before.is_some()
            && after.is_some();
        if !is_fade || brightness.len() < 3 {
            found.extend((at..end).filter_map(|at| {
                Some(ConstantColor {
                    frame: pictures[measures[at].0].frame,
                    color: color(at)?,
                    may_be_flash,
                })
            }));
        }
        at = end;
    }
    found
}

/// A picture with one alpha.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ConstantAlpha {
    /// Its frame.
    pub frame: Frame,
    /// The alpha of every pixel: 0 or 1.
    pub alpha: f32,
}

/// The pictures whose alpha is 0 or 1 everywhere. One that is empty altogether, color and alpha, is suspicious
/// only between others: things come into a picture and leave it.
#[must_use]
pub fn constant_alpha(pictures: &[FinishedPicture]) -> Vec<ConstantAlpha> {
    let measures = measures(pictures);
    let is_empty = |one: &PictureMeasure| {
        one.constant_alpha() == Some(0.0)
            && one
                .constant_color()
                .is_some_and(|color| color.iter().all(|value| *value == 0.0))
    };
    let mut found = Vec::new();
    for (at, (picture, one)) in measures.iter().enumerate() {
        let Some(alpha) = one
            .constant_alpha()
            .filter(|alpha| [0.0, 1.0].contains(alpha))
        else {
            continue;
        };
        let is_filled = |at: Option<usize>| {
            at.and_then(|at| measures.get(at))
                .is_some_and(|(_, one)| !is_empty(one))
        };
        let is_between = is_filled(at.checked_sub(1)) && is_filled(Some(at + 1));
        if !is_empty(one) || is_between {
            found.push(ConstantAlpha {
                frame: pictures[*picture].frame,
                alpha,
            });
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::super::sample::{change, constant, sequence};
    use super::*;

    fn frames(pictures: &[FinishedPicture]) -> Vec<Frame> {
        constant_color(pictures)
            .iter()
            .map(|one| one.frame)
            .collect()
    }

    #[test]
    fn one_picture_of_one_color_is_found_wherever_it_stands() {
        for value in [0.0, 1.0, 0.25] {
            for at in [0, 5, 11] {
                // Dark throughout, as stars are.
                for usual in [0.5, 0.01] {
                    let mut pictures = sequence(12, |_| usual);
                    pictures[at] = constant(at as i64 + 1, value);
                    assert_eq!(frames(&pictures), [at as i64 + 1], "{value} at {at}");
                }
            }
        }
    }

    #[test]
    fn a_fade_ends_and_begins_with_pictures_of_one_color() {
        // From black in eight frames, and to white in six.
        let mut pictures = sequence(40, |frame| match frame {
            ..9 => 0.4 * (frame - 1) as f32 / 8.0,
            34.. => 0.4 + 0.6 * (frame - 33) as f32 / 6.0,
            _ => 0.4,
        });
        pictures[0] = constant(1, 0.0);
        pictures[38] = constant(39, 1.0);
        pictures[39] = constant(40, 1.0);
        assert_eq!(frames(&pictures), [0; 0]);
        // Frames of another color do not belong to it.
        pictures[39] = constant(40, 0.1);
        assert_eq!(frames(&pictures), [0; 0]);
        pictures[20] = constant(21, 0.0);
        assert_eq!(frames(&pictures), [21]);
    }

    #[test]
    fn a_whole_sequence_of_one_color_is_found_and_a_flash_is_reported() {
        let black: Vec<FinishedPicture> = (1..=5).map(|frame| constant(frame, 0.0)).collect();
        assert_eq!(frames(&black), [1, 2, 3, 4, 5]);
        assert_eq!(constant_color(&black)[0].name(), "black");
        let mut pictures = sequence(12, |_| 0.3);
        pictures[5] = constant(6, 1.0);
        assert!(!constant_color(&pictures)[0].may_be_flash);
        pictures[6] = constant(7, 1.0);
        assert!(constant_color(&pictures).iter().all(|one| one.may_be_flash));
        assert_eq!(frames(&pictures), [6, 7]);
    }

    #[test]
    fn alpha_is_suspicious_where_it_is_full_or_hides_what_is_there() {
        let mut pictures = sequence(9, |_| 0.3);
        for picture in &mut pictures {
            change(picture, |measure| {
                measure.has_alpha = true;
                measure.ranges = vec![(0.0, 1.0), (0.0, 1.0)];
            });
        }
        assert!(constant_alpha(&pictures).is_empty());
        let alpha = |at: usize, color: f32, alpha: f32| {
            let mut pictures = pictures.clone();
            change(&mut pictures[at], |measure| {
                measure.ranges = vec![(0.0, color), (alpha, alpha)];
            });
            let found = constant_alpha(&pictures);
            found.iter().map(|one| one.frame).collect::<Vec<Frame>>()
        };
        for at in [0, 4, 8] {
            let frame = at as i64 + 1;
            assert_eq!(alpha(at, 1.0, 1.0), [frame]);
            assert_eq!(alpha(at, 1.0, 0.0), [frame]);
        }
        // Nothing is in the picture yet, or any more.
        assert_eq!(alpha(0, 0.0, 0.0), [0; 0]);
        assert_eq!(alpha(8, 0.0, 0.0), [0; 0]);
        assert_eq!(alpha(4, 0.0, 0.0), [5]);
    }
}
