//! Finds out which file is which frame when an engine names its files in its own way.

use std::collections::BTreeMap;

use crate::frames::{Frame, FrameSet};
use crate::template::{PathPattern, Piece};

/// Why files cannot be distinguished by frame.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LearnError {
    /// Several readings fit.
    #[error("it is not clear which of these files are the frames: {}", .0.join(", "))]
    Several(Vec<String>),
    /// Nothing fits.
    #[error("none of these files can be recognised as one of the frames: {}", .0.join(", "))]
    None(Vec<String>),
}

/// The name that an engine with a way of naming of its own is asked to write, of files with such a true name: the true name
/// of a single frame, else the name without the frame.
#[must_use]
pub fn target_name(name: &PathPattern, frames: &FrameSet) -> String {
    match frames.first() {
        Some(frame) if frames.count() == 1 => name.path(frame),
        _ => without_frame(name),
    }
}

/// `kiln_front.png` for `kiln_front.{frame:04}.png`.
fn without_frame(name: &PathPattern) -> String {
    let mut out = String::new();
    for piece in name.pieces() {
        match piece {
            Piece::Frame(_) => {
                let kept = out.trim_end_matches(['.', '_', '-', ' ']).len();
                out.truncate(kept);
            }
            Piece::Text(text) => out.push_str(text),
        }
    }
    out
}

/// What follows the name that was asked for in the name of a file; the whole name where it does not begin so. `kiln_v001.png`
/// was asked for, and `kiln_v00107.png` is frame 7, not 107 or 1.
fn behind<'n>(file: &'n str, target: &str) -> &'n str {
    let stem = target.rsplit_once('.').map_or(target, |(stem, _)| stem);
    file.strip_prefix(stem).unwrap_or(file)
}

/// Which file is which frame. `files` are all files that appeared in an empty folder, `wanted` the
/// frames that were asked for, `target` the name that the engine was asked to write, `true_name` the true name of a frame.
///
/// A file with its true name is that frame. For one frame one file is enough. For more, the numbers in the names must be the
/// frames: those behind the name that was asked for, where a file begins so.
///
/// # Errors
/// When nothing fits, or more than one reading does.
pub fn learn(
    files: &[String],
    wanted: &FrameSet,
    target: &str,
    true_name: &dyn Fn(Frame) -> String,
) -> Result<Vec<(String, Frame)>, LearnError> {
    if files.is_empty() {
        return Ok(Vec::new());
    }
    let exact: Vec<(String, Frame)> = wanted
        .iter()
        .filter_map(|frame| {
            let name = true_name(frame);
            files.contains(&name).then_some((name, frame))
        })
        .collect();
    if !exact.is_empty() {
        return Ok(exact);
    }
    if let (Some(frame), [file]) = (wanted.first().filter(|_| wanted.count() == 1), files) {
        return Ok(vec![(file.clone(), frame)]);
    }
    let mut readings = readings(files, wanted, target);
    let most = readings.iter().map(Vec::len).max().unwrap_or(0);
    readings.retain(|reading| reading.len() == most);
    if readings.len() > 1 {
        // Previews often lie beside the pictures: the extension that was asked for decides.
        let extension = wanted
            .first()
            .map(|frame| extension(&true_name(frame)).to_owned());
        let fitting: Vec<_> = readings
            .iter()
            .filter(|reading| {
                reading
                    .iter()
                    .all(|(name, _)| Some(self::extension(name)) == extension.as_deref())
            })
            .cloned()
            .collect();
        if fitting.len() == 1 {
            readings = fitting;
        }
    }
    let few = || files.iter().take(8).cloned().collect();
    match readings.pop() {
        None => Err(LearnError::None(few())),
        Some(reading) if readings.is_empty() => Ok(reading),
        Some(_) => Err(LearnError::Several(few())),
    }
}

/// Every way to take the files for frames: names that are alike but for one number, whose values
/// are all wanted and no two the same.
fn readings(files: &[String], wanted: &FrameSet, target: &str) -> Vec<Vec<(String, Frame)>> {
    let mut alike: BTreeMap<(String, usize), Vec<(String, Frame)>> = BTreeMap::new();
    for file in files {
        let number = behind(file, target);
        let before = file.len() - number.len();
        for (start, end) in digit_runs(number) {
            let (start, end) = (before + start, before + end);
            let is_signed = file[..start].ends_with('-') && start > before;
            // A dash before a number is its sign, or parts it from the name.
            for start in [Some(start), is_signed.then(|| start - 1)]
                .into_iter()
                .flatten()
            {
                if let Ok(number) = file[start..end].parse::<Frame>() {
                    let shape = format!("{}\0{}", &file[..start], &file[end..]);
                    alike
                        .entry((shape, start))
                        .or_default()
                        .push((file.clone(), number));
                }
            }
        }
    }
    let mut readings: Vec<Vec<(String, Frame)>> = alike
        .into_values()
        .filter(|reading| {
            let numbers = FrameSet::from_frames(reading.iter().map(|(_, number)| *number));
            numbers.count() == reading.len() as u64
                && reading.iter().all(|(_, number)| wanted.contains(*number))
        })
        .collect();
    // A constant number, such as a version, makes a reading of one file: where several frames are
    // wanted, one file shows nothing.
    if wanted.count() > 1 {
        readings.retain(|reading| reading.len() > 1);
    }
    readings
}

/// The numbers in the name of a file behind the name that was asked for, the last first.
pub fn numbers<'n>(file: &'n str, target: &str) -> impl Iterator<Item = Frame> + use<'n> {
    let number = behind(file, target);
    let runs = digit_runs(number).into_iter().rev();
    runs.filter_map(|(from, to)| number[from..to].parse().ok())
}

fn digit_runs(name: &str) -> Vec<(usize, usize)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    for (at, byte) in name.bytes().enumerate() {
        if byte.is_ascii_digit() {
            match runs.last_mut() {
                Some((_, end)) if *end == at => *end += 1,
                _ => runs.push((at, at + 1)),
            }
        }
    }
    runs
}

fn extension(name: &str) -> &str {
    name.rsplit_once('.').map_or("", |(_, extension)| extension)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn check(files: &[&str], wanted: &str) -> Result<Vec<Frame>, LearnError> {
        let files: Vec<String> = files.iter().map(|&file| file.to_owned()).collect();
        let name = |frame: Frame| format!("kiln_v003.{frame:04}.png");
        learn(&files, &wanted.parse().unwrap(), "kiln_v003.png", &name)
            .map(|found| found.into_iter().map(|(_, frame)| frame).collect())
    }

    #[test]
    fn finds_the_frames() {
        assert_eq!(check(&["kiln_v003.0007.png", "x.log"], "7"), Ok(vec![7]));
        assert_eq!(check(&["odd_out.bin"], "7"), Ok(vec![7]));
        assert_eq!(
            check(&["k_v003_out000007", "k_v003_out000008"], "7-8"),
            Ok(vec![7, 8])
        );
        assert_eq!(
            check(&["k7.png", "k7.thumb", "k8.png", "k8.thumb"], "7-8"),
            Ok(vec![7, 8])
        );
        assert_eq!(check(&["k_v003_10", "k_v003_3"], "1-10"), Ok(vec![10, 3]));
    }

    #[test]
    fn refuses_to_guess() {
        assert!(matches!(
            check(&["a7.png", "b7.png"], "7"),
            Err(LearnError::Several(_))
        ));
        assert!(matches!(
            check(&["a0.png", "a1.png"], "7-8"),
            Err(LearnError::None(_))
        ));
        assert!(matches!(
            check(&["left", "right"], "7-8"),
            Err(LearnError::None(_))
        ));
        // Neither a version nor a single number proves anything where several frames are wanted.
        assert!(matches!(
            check(&["kiln_v003_out.png"], "1-10"),
            Err(LearnError::None(_))
        ));
        assert!(matches!(
            check(&["kiln_v003_a.png", "kiln_v003_b.png"], "1-10"),
            Err(LearnError::None(_))
        ));
        assert_eq!(check(&[], "7"), Ok(Vec::new()));
    }

    proptest! {
        #[test]
        fn what_follows_the_name_that_was_asked_for_is_the_number(
            stem in "[a-z0-9_]{0,6}[0-9._-]{0,3}[0-9a-z]",
            between in prop::sample::select(vec!["", ".", "_", "-", "_f"]),
            padding in 0_usize..6,
            first in -20_i64..1_000,
            count in 2_i64..120,
            has_previews: bool,
        ) {
            // Behind a dash a sign is no sign.
            prop_assume!(first >= 0 || between != "-");
            let wanted = FrameSet::range(first, first + count - 1);
            let file = |frame: Frame, ending: &str| format!("{stem}{between}{frame:0padding$}{ending}");
            let mut files: Vec<String> = wanted.iter().map(|frame| file(frame, ".png")).collect();
            let names: BTreeMap<String, Frame> = files.iter().cloned().zip(wanted.iter()).collect();
            if has_previews {
                files.extend(wanted.iter().map(|frame| file(frame, ".png.thumb")));
            }
            let name = |frame: Frame| format!("{stem}.true.{frame:04}.png");
            let found = learn(&files, &wanted, &format!("{stem}.png"), &name).unwrap();
            let found: BTreeMap<String, Frame> = found.into_iter().collect();
            prop_assert_eq!(found, names);
        }
    }

    #[test]
    fn ten_thousand_frames_behind_digits_are_recognised() {
        let wanted = FrameSet::range(1, 10_000);
        let files: Vec<String> = (1..=10_000)
            .map(|frame| format!("kiln_v001{frame:05}.png"))
            .collect();
        let name = |frame: Frame| format!("kiln_v001.{frame:05}.png");
        let found = learn(&files, &wanted, "kiln_v001.png", &name).unwrap();
        assert!(
            found
                .iter()
                .zip(1..)
                .all(|((_, found), frame)| *found == frame)
        );
        assert_eq!(found.len(), 10_000);
    }
}
