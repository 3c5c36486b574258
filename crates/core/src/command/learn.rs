//! Finds out which file is which frame when an engine names its files in its own way.

use std::collections::BTreeMap;

use crate::frames::{Frame, FrameSet};

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

/// Which file is which frame. `files` are all files that appeared in an empty folder, `wanted` the
/// frames that were asked for, `true_name` the name that was asked for.
///
/// A file with the name that was asked for is that frame. For one frame one file is enough. For
/// more, the numbers in the names must be the frames.
///
/// # Errors
/// When nothing fits, or more than one reading does.
pub fn learn(
    files: &[String],
    wanted: &FrameSet,
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
    let mut readings = readings(files, wanted);
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
fn readings(files: &[String], wanted: &FrameSet) -> Vec<Vec<(String, Frame)>> {
    let mut alike: BTreeMap<(String, usize), Vec<(String, Frame)>> = BTreeMap::new();
    for file in files {
        for (start, end) in digit_runs(file) {
            if let Ok(number) = file[start..end].parse::<Frame>() {
                let shape = format!("{}\0{}", &file[..start], &file[end..]);
                alike
                    .entry((shape, start))
                    .or_default()
                    .push((file.clone(), number));
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

/// The numbers in a name, the last first.
pub fn numbers(name: &str) -> impl Iterator<Item = Frame> + '_ {
    let runs = digit_runs(name).into_iter().rev();
    runs.filter_map(|(from, to)| name[from..to].parse().ok())
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
    use super::*;

    fn check(files: &[&str], wanted: &str) -> Result<Vec<Frame>, LearnError> {
        let files: Vec<String> = files.iter().map(|&file| file.to_owned()).collect();
        let name = |frame: Frame| format!("kiln_v003.{frame:04}.png");
        learn(&files, &wanted.parse().unwrap(), &name)
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
}
