//! Frames that jump out of the run of their neighbours: in brightness, contrast, noise, or bytes.

use super::{measures, median};
use crate::frames::Frame;
use crate::question::FinishedPicture;

/// What a picture is measured by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Measured {
    /// The mean of its values.
    Brightness,
    /// Their standard deviation.
    Contrast,
    /// How much neighbouring pixels differ.
    Noise,
}

impl Measured {
    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Brightness => "brightness",
            Self::Contrast => "contrast",
            Self::Noise => "noise",
        }
    }
}

/// A frame that jumps.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Jump {
    /// The frame.
    pub frame: Frame,
    /// What jumps.
    pub measured: Measured,
    /// Its value.
    pub value: f32,
    /// The middle of its neighbours' values.
    pub usual: f32,
}

/// So many neighbours on either side are compared.
const REACH: usize = 4;
/// With fewer than so many neighbours nothing can be said.
const FEWEST: usize = 4;
/// How many times the spread of its neighbours a frame must be away from them. The spread is the median
/// absolute deviation, scaled to the standard deviation of normal values.
const SPREADS: f32 = 6.0;
const SCALE: f32 = 1.4826;

/// The frames whose brightness, contrast or noise is above, or below, that of their neighbours on both sides.
/// What rises or falls steadily is never found. Of one frame only what jumps most counts.
#[must_use]
pub fn jumps(pictures: &[FinishedPicture]) -> Vec<Jump> {
    let measures = measures(pictures);
    let mut found: Vec<(f32, Jump)> = Vec::new();
    for (measured, least) in [
        (Measured::Brightness, 0.01),
        (Measured::Contrast, 0.01),
        (Measured::Noise, 0.004),
    ] {
        let values: Vec<f32> = measures
            .iter()
            .map(|(_, one)| match measured {
                Measured::Brightness => one.brightness,
                Measured::Contrast => one.contrast,
                Measured::Noise => one.noise,
            })
            .collect();
        for (at, (picture, one)) in measures.iter().enumerate() {
            let is_constant = one.constant_color().is_some();
            let Some((away, usual)) = distance(&values, at, least).filter(|_| !is_constant) else {
                continue;
            };
            let jump = Jump {
                frame: pictures[*picture].frame,
                measured,
                value: values[at],
                usual,
            };
            match found
                .iter_mut()
                .find(|(_, known)| known.frame == jump.frame)
            {
                Some(known) if known.0 >= away => {}
                Some(known) => *known = (away, jump),
                None => found.push((away, jump)),
            }
        }
    }
    let mut found: Vec<Jump> = found.into_iter().map(|(_, jump)| jump).collect();
    found.sort_by_key(|jump| jump.frame);
    found
}

/// The frames whose files are much smaller than those of their neighbours on both sides: their bytes, and those
/// that are usual there.
#[must_use]
pub fn small_files(pictures: &[FinishedPicture]) -> Vec<(Frame, u64, u64)> {
    let sizes: Vec<f32> = pictures.iter().map(|one| one.bytes as f32).collect();
    let mut found = Vec::new();
    for (at, picture) in pictures.iter().enumerate() {
        let measure = picture.measure.as_ref();
        if measure.is_some_and(|one| one.constant_color().is_some()) {
            continue;
        }
        if let Some((_, usual)) = distance(&sizes, at, 1000.0)
            && sizes[at] < usual * 0.5
        {
            found.push((picture.frame, picture.bytes, usual as u64));
        }
    }
    found
}

/// The frames that took much less time than their neighbours on both sides: their seconds, and those that are usual
/// there. A few seconds more or less say nothing.
#[must_use]
pub fn fast_frames(pictures: &[FinishedPicture]) -> Vec<(Frame, f64, f64)> {
    let seconds: Option<Vec<f32>> = pictures
        .iter()
        .map(|one| Some(one.seconds? as f32))
        .collect();
    let seconds = seconds.unwrap_or_default();
    let mut found = Vec::new();
    for at in 0..seconds.len() {
        if let Some((_, usual)) = distance(&seconds, at, 4.0)
            && seconds[at] < usual * 0.2
        {
            found.push((pictures[at].frame, f64::from(seconds[at]), f64::from(usual)));
        }
    }
    found
}

/// How far a value is from its neighbours' middle, as a share of what is allowed, where it is above or below
/// those on both sides by more than that; and the middle.
fn distance(values: &[f32], at: usize, least: f32) -> Option<(f32, f32)> {
    let value = values[at];
    let left = &values[at.saturating_sub(REACH)..at];
    let right = &values[at + 1..(at + 1 + REACH).min(values.len())];
    if left.len() + right.len() < FEWEST {
        return None;
    }
    let mut beside: Vec<f32> = left.iter().chain(right).copied().collect();
    let usual = median(&mut beside);
    let mut deviations: Vec<f32> = beside.iter().map(|one| (one - usual).abs()).collect();
    let spread = median(&mut deviations) * SCALE;
    let allowed = (SPREADS * spread).max(0.25 * usual.abs()).max(least);
    let is_out = |side: &[f32]| {
        let middle = median(&mut side.to_vec());
        let away = value - middle;
        side.is_empty() || (away.abs() > allowed && (away > 0.0) == (value > usual))
    };
    // Near either end there are too few on one side to show a rhythm: none may be alike.
    let is_alone = left.len().min(right.len()) >= REACH
        || beside.iter().all(|one| (value - one).abs() > allowed);
    let away = (value - usual).abs();
    (is_alone && away > allowed && is_out(left) && is_out(right)).then_some((away / allowed, usual))
}

#[cfg(test)]
mod tests {
    use super::super::sample::{change, sequence};
    use super::*;

    fn frames(pictures: &[FinishedPicture]) -> Vec<(Frame, Measured)> {
        jumps(pictures)
            .iter()
            .map(|one| (one.frame, one.measured))
            .collect()
    }

    #[test]
    fn a_frame_that_is_brighter_or_darker_than_both_sides_is_found_with_its_numbers() {
        for at in [0, 12, 23] {
            for value in [0.9, 0.05] {
                let mut pictures = sequence(24, |frame| 0.4 + frame as f32 * 0.002);
                change(&mut pictures[at], |measure| measure.brightness = value);
                let found = jumps(&pictures);
                assert_eq!(frames(&pictures), [(at as i64 + 1, Measured::Brightness)]);
                assert!((found[0].value - value).abs() < 1e-6);
                assert!((0.4..0.45).contains(&found[0].usual), "{found:?}");
            }
        }
    }

    #[test]
    fn noise_and_contrast_jump_too() {
        let mut pictures = sequence(24, |_| 0.4);
        change(&mut pictures[7], |measure| measure.noise = 0.05);
        change(&mut pictures[15], |measure| measure.contrast = 0.5);
        let found = frames(&pictures);
        assert_eq!(found, [(8, Measured::Noise), (16, Measured::Contrast)]);
    }

    #[test]
    fn fades_cuts_and_pulses_are_meant() {
        let quiet = |brightness: &dyn Fn(i64) -> f32| {
            let pictures = sequence(48, brightness);
            assert_eq!(frames(&pictures), []);
        };
        quiet(&|frame| frame as f32 / 48.0);
        quiet(&|frame| if frame < 24 { 0.2 } else { 0.7 });
        quiet(&|frame| 0.5 + 0.3 * (frame as f32 * 0.7).sin());
        quiet(&|frame| 0.5 * (1.0 - frame as f32 / 48.0).powi(3));
        quiet(&|frame| if frame % 2 == 0 { 0.3 } else { 0.5 });
    }

    #[test]
    fn of_few_frames_nothing_is_said() {
        let mut pictures = sequence(4, |_| 0.4);
        change(&mut pictures[1], |measure| measure.brightness = 0.9);
        assert_eq!(frames(&pictures), []);
    }

    #[test]
    fn a_file_that_is_much_smaller_than_its_neighbours_is_found() {
        let mut pictures = sequence(24, |_| 0.4);
        for picture in &mut pictures {
            picture.bytes += picture.frame as u64 * 100;
        }
        assert_eq!(small_files(&pictures), []);
        for at in [0, 11, 23] {
            let mut pictures = pictures.clone();
            pictures[at].bytes = 20_000;
            let small = small_files(&pictures);
            assert_eq!(small.len(), 1);
            assert_eq!((small[0].0, small[0].1), (at as i64 + 1, 20_000));
        }
    }
}
