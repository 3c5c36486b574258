//! Pictures that are whole and may still be wrong: what a frame shows, compared with the frames beside it.
//!
//! Each function takes the pictures of a sequence in the order of their frames, and gives the frames that it
//! suspects. Nothing is decided by one picture alone where its neighbours can show that it is meant.

mod constant;
mod jump;
mod part;
mod repeated;

pub use constant::{ConstantAlpha, ConstantColor, constant_alpha, constant_color};
pub use jump::{Jump, Measured, fast_frames, jumps, small_files};
pub use part::{UnrenderedPart, unrendered_parts};
pub use repeated::{Repetition, repeated};

use crate::picture::PictureMeasure;
use crate::question::FinishedPicture;

/// The measures of a sequence, with the places of their pictures in it.
fn measures(pictures: &[FinishedPicture]) -> Vec<(usize, &PictureMeasure)> {
    let all = pictures.iter().enumerate();
    all.filter_map(|(at, picture)| Some((at, picture.measure.as_ref()?)))
        .collect()
}

/// The middle of some values; 0 of none.
fn median(values: &mut [f32]) -> f32 {
    values.sort_by(f32::total_cmp);
    match values.len() {
        0 => 0.0,
        count if count % 2 == 1 => values[count / 2],
        count => f32::midpoint(values[count / 2 - 1], values[count / 2]),
    }
}

#[cfg(test)]
pub(crate) mod sample {
    //! Sequences for the tests of this module.

    use crate::picture::{Digest, PictureMeasure, Thumbnail};
    use crate::question::FinishedPicture;

    /// A picture with a digest of its own, of this brightness.
    pub(crate) fn picture(frame: i64, brightness: f32) -> FinishedPicture {
        FinishedPicture {
            frame,
            bytes: 100_000,
            seconds: None,
            measure: Some(PictureMeasure {
                digest: Digest(frame as u64),
                ranges: vec![(0.0, (brightness * 2.0).min(1.0))],
                has_alpha: false,
                brightness,
                contrast: brightness / 2.0,
                noise: 0.01,
                thumbnail: Thumbnail([(frame * 100) as u16; 16]),
                not_a_number: 0,
                infinite: 0,
                blank: None,
            }),
            samples: None,
            kind: None,
        }
    }

    /// A picture in which every pixel has this value.
    pub(crate) fn constant(frame: i64, value: f32) -> FinishedPicture {
        let mut picture = picture(frame, value);
        change(&mut picture, |measure| {
            measure.digest = Digest(u64::from(value.to_bits()));
            measure.ranges = vec![(value, value)];
            measure.contrast = 0.0;
            measure.noise = 0.0;
        });
        picture
    }

    pub(crate) fn change(picture: &mut FinishedPicture, act: impl FnOnce(&mut PictureMeasure)) {
        act(picture.measure.as_mut().unwrap());
    }

    /// A sequence whose brightness a function of the frame gives.
    pub(crate) fn sequence(count: i64, brightness: impl Fn(i64) -> f32) -> Vec<FinishedPicture> {
        (1..=count)
            .map(|frame| picture(frame, brightness(frame)))
            .collect()
    }
}
