//! The pictures that a movie is made of.

use std::path::{Path, PathBuf};

use clap::Args;
use truepath_core::frames::Frame;
use truepath_core::movie::Fps;
use truepath_runner::follow::pictures::{PictureRow, pictures_of_template};

use crate::error::CommandError;
use crate::picture_arguments::PictureArguments;
use crate::show::count;

/// Pictures by number, for scripts.
#[derive(Debug, Args)]
pub(super) struct Numbered {
    /// For scripts: pictures by a pattern with %04d for the number
    #[arg(long, value_name = "PATTERN", requires_all = ["first", "count"], conflicts_with = "paths")]
    numbered: Option<String>,
    /// The number of the first of them
    #[arg(long, value_name = "NUMBER", requires = "numbered")]
    first: Option<Frame>,
    /// How many they are
    #[arg(long, value_name = "NUMBER", requires = "numbered")]
    count: Option<u32>,
}

/// The picture of each frame.
pub(super) struct MovieSource {
    /// What the pictures are, in words.
    pub(super) name: String,
    /// The frames in order; of pictures that were named, their place.
    pub(super) frames: Vec<Frame>,
    /// Frames per second, where the job says them.
    pub(super) fps: Option<Fps>,
    /// Whether values are data that is no light.
    pub(super) is_data: bool,
    /// What is wrong with frames that are there, in words.
    pub(super) doubts: Vec<String>,
    files: Files,
}

enum Files {
    Row(Box<PictureRow>),
    /// Single pictures in the order in which they were named, from 1.
    Listed(Vec<PathBuf>),
    Pattern(NumberPattern),
}

/// A text with one number in it, in the notation of C's printf.
struct NumberPattern {
    before: String,
    digits: usize,
    after: String,
}

impl NumberPattern {
    fn read(text: &str) -> Option<Self> {
        // A doubled sign stands for itself.
        let mut at = 0;
        let field = loop {
            let place = at + text.get(at..)?.find('%')?;
            if text.get(place + 1..)?.starts_with('%') {
                at = place + 2;
                continue;
            }
            break place;
        };
        let rest = &text[field + 1..];
        let (digits, after) = rest.split_once('d')?;
        let digits = if digits.is_empty() {
            1
        } else {
            digits.trim_start_matches('0').parse().ok()?
        };
        Some(Self {
            before: text[..field].replace("%%", "%"),
            digits,
            after: after.replace("%%", "%"),
        })
    }

    fn path(&self, frame: Frame) -> PathBuf {
        let digits = self.digits;
        PathBuf::from(format!("{}{frame:0digits$}{}", self.before, self.after))
    }
}

impl MovieSource {
    /// Finds the pictures that were asked for.
    pub(super) fn find(
        pictures: &PictureArguments,
        numbered: &Numbered,
    ) -> Result<Self, CommandError> {
        if let (Some(text), Some(first), Some(count)) =
            (&numbered.numbered, numbered.first, numbered.count)
        {
            let pattern = NumberPattern::read(text).ok_or_else(|| {
                CommandError::Usage(format!("{text} has no place for a number, such as %04d"))
            })?;
            return Ok(Self {
                name: name_of(Path::new(&pattern.path(first))),
                frames: (first..first + Frame::from(count)).collect(),
                fps: None,
                is_data: false,
                doubts: Vec::new(),
                files: Files::Pattern(pattern),
            });
        }
        if let [path] = pictures.paths()
            && let Some(template) = path.to_str().filter(|text| text.contains("{frame"))
        {
            let row = pictures_of_template(template);
            let row = row.map_err(|error| CommandError::Usage(format!("{template}: {error}")))?;
            return Ok(Self::of_row(row, None));
        }
        let chosen = pictures.load()?;
        let are_files =
            chosen.jobs.is_empty() && pictures.paths().iter().all(|path| path.is_file());
        if are_files {
            let paths = pictures.paths().to_vec();
            return Ok(Self {
                name: name_of(&paths[0]),
                frames: (1..=paths.len() as Frame).collect(),
                fps: None,
                is_data: false,
                doubts: Vec::new(),
                files: Files::Listed(paths),
            });
        }
        let fps = chosen.deliverable(0).and_then(|one| one.common.fps);
        let mut rows = chosen.rows;
        match (rows.pop(), rows.is_empty()) {
            (Some(row), true) => Ok(Self::of_row(row, fps)),
            (last, _) => {
                const MOST: usize = 6;
                let names: Vec<String> =
                    rows.into_iter().chain(last).map(|row| row.title).collect();
                let shown = names[..names.len().min(MOST)].join("\n  ");
                Err(CommandError::Usage(format!(
                    "a movie is made of one sequence, and here are {}; choose one of them:\n  {shown}",
                    names.len()
                )))
            }
        }
    }

    fn of_row(row: PictureRow, fps: Option<Fps>) -> Self {
        Self {
            name: without_frame(&row.title),
            frames: row.frames.iter().collect(),
            fps,
            is_data: row.is_data,
            doubts: row
                .states
                .iter()
                .filter(|(word, _)| *word != "missing")
                .map(|(word, frames)| {
                    format!("{} {word}", count(frames.count(), "frame is", "frames are"))
                })
                .collect(),
            files: Files::Row(Box::new(row)),
        }
    }

    /// The picture of a frame, whether it is there or not; none where a sequence lacks it.
    pub(super) fn path(&self, frame: Frame) -> Option<PathBuf> {
        match &self.files {
            Files::Row(row) => row.path(frame),
            Files::Listed(paths) => paths
                .get(usize::try_from(frame).ok()?.checked_sub(1)?)
                .cloned(),
            Files::Pattern(pattern) => Some(pattern.path(frame)),
        }
    }
}

/// The name of a sequence without its folder and the field of its frames.
fn without_frame(title: &str) -> String {
    let name = title.rsplit('/').next().unwrap_or(title);
    let before = name.split('{').next().unwrap_or(name);
    let before = before.trim_end_matches(['.', '_', '-', ' ']);
    let name = if before.is_empty() { name } else { before };
    name.to_owned()
}

fn name_of(path: &Path) -> String {
    path.file_stem()
        .unwrap_or_default()
        .to_string_lossy()
        .into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sequence_is_named_without_its_folder_and_frames() {
        assert_eq!(
            without_frame("r/q/dawn_beauty.{frame:04}.exr"),
            "dawn_beauty"
        );
        assert_eq!(without_frame("dawn · day · beauty"), "dawn · day · beauty");
        assert_eq!(without_frame("{frame:04}.png"), "{frame:04}.png");
    }

    #[test]
    fn patterns_of_numbers_are_read_as_c_reads_them() {
        let path = |text: &str, frame| NumberPattern::read(text).map(|one| one.path(frame));
        assert_eq!(path("/a/b.%04d.png", 7), Some("/a/b.0007.png".into()));
        assert_eq!(
            path("/a/100%%/b.%d.png", 12),
            Some("/a/100%/b.12.png".into())
        );
        assert_eq!(path("s.%06d.exr", 1), Some("s.000001.exr".into()));
        assert_eq!(path("/a/b.png", 1), None);
        assert_eq!(path("/a/%s.png", 1), None);
    }
}
