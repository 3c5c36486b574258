//! Frames with the very pixels of the frame before.

use super::{measures, median};
use crate::frames::Frame;
use crate::question::FinishedPicture;

/// How frames repeat the one before.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Repetition {
    /// A few frames do, and no others: each is the frame itself.
    Some(Vec<Frame>),
    /// A longer row of frames stands still: the first and the last of each row.
    Held(Vec<(Frame, Frame)>),
    /// All frames show the same picture.
    All,
}

/// Where frames differ less than this share of what is usual in their sequence, it moves so slowly that two may be
/// alike.
const SLOW: f32 = 0.25;

/// So many frames that are alike in a row are held, and no mistake of a single frame.
const HELD: usize = 4;

/// The frames that have the pixels of the frame before. Where at least a third of all frames do, at least every
/// third pair, the sequence is animated on twos or threes, and nothing is found. Pictures of one color are left
/// out, and frames beside which hardly anything moves.
#[must_use]
pub fn repeated(pictures: &[FinishedPicture]) -> Vec<Repetition> {
    let measures = measures(pictures);
    if measures.len() < 3 {
        return Vec::new();
    }
    let frame = |at: usize| pictures[measures[at].0].frame;
    let is_same = |at: usize| {
        let (one, before) = (measures[at].1, measures[at - 1].1);
        one.digest == before.digest && one.constant_color().is_none()
    };
    let mut rows: Vec<(usize, usize)> = Vec::new();
    for at in (1..measures.len()).filter(|at| is_same(*at)) {
        match rows.last_mut() {
            Some((_, last)) if *last + 1 == at => *last = at,
            _ => rows.push((at - 1, at)),
        }
    }
    if rows == [(0, measures.len() - 1)] {
        return vec![Repetition::All];
    }
    let (held, single): (Vec<_>, Vec<_>) = rows
        .into_iter()
        .partition(|(first, last)| last - first + 1 >= HELD);
    let mut found = Vec::new();
    let still: usize = held.iter().map(|(first, last)| last - first).sum();
    let repeats: usize = single.iter().map(|(first, last)| last - first).sum();
    let is_stepped = repeats * 3 >= measures.len() - still && repeats > 1;
    let difference = |at: usize| {
        let (one, before) = (measures[at].1, measures[at - 1].1);
        one.thumbnail.difference(&before.thumbnail) as f32
    };
    let mut all: Vec<f32> = (1..measures.len())
        .filter(|at| !is_same(*at))
        .map(difference)
        .collect();
    let usual = median(&mut all);
    let moves = |(first, last): &&(usize, usize)| {
        let before = (*first > 0).then(|| difference(*first));
        let after = (last + 1 < measures.len()).then(|| difference(last + 1));
        let mut beside = before.into_iter().chain(after);
        beside.all(|difference| difference >= SLOW * usual)
    };
    let single: Vec<(usize, usize)> = single.iter().filter(moves).copied().collect();
    if !single.is_empty() && !is_stepped {
        let frames = single.iter().flat_map(|(first, last)| first + 1..=*last);
        found.push(Repetition::Some(frames.map(frame).collect()));
    }
    if !held.is_empty() {
        let rows = held
            .iter()
            .map(|(first, last)| (frame(*first), frame(*last)));
        found.push(Repetition::Held(rows.collect()));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::super::sample::{change, constant, sequence};
    use super::*;
    use crate::picture::{Digest, Thumbnail};

    /// A sequence whose digests a function of the frame gives.
    fn with_digests(count: i64, digest: impl Fn(i64) -> i64) -> Vec<FinishedPicture> {
        let mut pictures = sequence(count, |_| 0.4);
        for picture in &mut pictures {
            let digest = Digest(digest(picture.frame) as u64);
            change(picture, |measure| {
                measure.digest = digest;
                measure.thumbnail = Thumbnail([(digest.0 * 100) as u16; 16]);
            });
        }
        pictures
    }

    #[test]
    fn a_frame_that_repeats_the_one_before_is_found() {
        for at in [2, 13, 24] {
            let pictures = with_digests(24, |frame| if frame == at { frame - 1 } else { frame });
            assert_eq!(repeated(&pictures), [Repetition::Some(vec![at])]);
        }
    }

    #[test]
    fn animation_on_twos_and_threes_is_meant() {
        for step in [2, 3] {
            let pictures = with_digests(24, |frame| (frame - 1) / step);
            assert_eq!(repeated(&pictures), []);
            // One that starts in the middle of a step.
            let pictures = with_digests(25, |frame| frame / step);
            assert_eq!(repeated(&pictures), []);
        }
    }

    #[test]
    fn what_stands_still_is_told_from_a_mistake() {
        assert_eq!(repeated(&with_digests(24, |_| 7)), [Repetition::All]);
        let holds = with_digests(24, |frame| frame.clamp(4, 18));
        let rows = vec![(1, 4), (18, 24)];
        assert_eq!(repeated(&holds), [Repetition::Held(rows)]);
    }

    #[test]
    fn where_hardly_anything_moves_two_frames_may_be_alike() {
        // A pendulum: at its turning points, every 16 frames, it stands still.
        let place = |frame: i64| {
            (2000.0 + 1500.0 * (frame as f32 * std::f32::consts::PI / 16.0).sin()) as u16
        };
        let mut pictures =
            with_digests(60, |frame| if frame % 16 == 8 { frame - 1 } else { frame });
        for picture in &mut pictures {
            let place = place(picture.frame);
            change(picture, |measure| {
                measure.thumbnail = Thumbnail([place; 16])
            });
        }
        assert_eq!(repeated(&pictures), []);
    }

    #[test]
    fn pictures_of_one_color_repeat_without_harm() {
        let mut pictures = with_digests(24, |frame| frame);
        for picture in &mut pictures[20..] {
            *picture = constant(picture.frame, 0.0);
        }
        assert_eq!(repeated(&pictures), []);
        assert_eq!(repeated(&pictures[..2]), []);
    }
}
