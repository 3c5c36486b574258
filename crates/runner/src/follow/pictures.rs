//! Which pictures there are to look at: those of a job, by deliverable, with their states; or those of any folders, by
//! sequence.

use std::io;
use std::path::{Path, PathBuf};

use truepath_core::deliverable::Expansion;
use truepath_core::file_state::FileState;
use truepath_core::finding::Finding;
use truepath_core::frames::{Frame, FrameSet};
use truepath_core::renaming::NameReader;
use truepath_core::rules::{FinishedScope, Subject, judge_finished};
use truepath_core::sequences::Sequence;
use truepath_core::strip::States;
use truepath_core::template::{Template, TokenValue, expand};
use truepath_core::visible::visible;
use truepath_media::recognise;

use crate::Loaded;
use crate::follow::looked_back::published_pictures;
use crate::follow::status::Follower;
use crate::look::scan::{path_of, scan};

/// Pictures that belong together: a sequence, a still or single files.
#[derive(Debug, Clone)]
pub struct PictureRow {
    /// What they are, in words.
    pub title: String,
    /// The frames that there are, or should be.
    pub frames: FrameSet,
    /// Whether their values are data that is no light.
    pub is_data: bool,
    /// Frames that are not as they should be, by the word for their state.
    pub states: Vec<(&'static str, FrameSet)>,
    /// Frames that are whole and may be wrong all the same, by the code of the rule that says so.
    pub suspicions: Vec<(&'static str, FrameSet)>,
    files: Files,
}

#[derive(Debug, Clone)]
enum Files {
    Pattern(truepath_core::template::PathPattern),
    Sequence(PathBuf, Sequence),
    One(PathBuf),
}

impl PictureRow {
    /// Single file.
    #[must_use]
    pub fn of_file(path: PathBuf) -> Self {
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        Self {
            title: visible(&name).into_owned(),
            frames: FrameSet::range(0, 0),
            is_data: false,
            states: Vec::new(),
            suspicions: Vec::new(),
            files: Files::One(path),
        }
    }

    /// The file of a frame; none where a sequence has none.
    #[must_use]
    pub fn path(&self, frame: Frame) -> Option<PathBuf> {
        match &self.files {
            Files::Pattern(pattern) => Some(PathBuf::from(pattern.path(frame))),
            Files::Sequence(folder, sequence) => {
                let name = sequence.file_name(frame)?;
                Some(path_of(folder, &name))
            }
            Files::One(path) => Some(path.clone()),
        }
    }

    /// The same with no frames but these.
    #[must_use]
    pub fn limited_to(&self, frames: &FrameSet) -> Self {
        let within = |own: &FrameSet| own.intersection(frames).unwrap_or_default();
        let states = self.states.iter();
        Self {
            frames: within(&self.frames),
            states: states
                .map(|(word, frames)| (*word, within(frames)))
                .collect(),
            suspicions: self
                .suspicions
                .iter()
                .map(|(code, frames)| (*code, within(frames)))
                .collect(),
            ..self.clone()
        }
    }

    /// The state of a frame that is not as it should be.
    #[must_use]
    pub fn state(&self, frame: Frame) -> Option<&'static str> {
        word_of(&self.states, frame)
    }

    /// The code of a rule that says of a frame that it may be wrong though it is whole.
    #[must_use]
    pub fn suspicion(&self, frame: Frame) -> Option<&'static str> {
        word_of(&self.suspicions, frame)
    }
}

/// The first word whose frames hold one.
fn word_of(words: &[(&'static str, FrameSet)], frame: Frame) -> Option<&'static str> {
    let mut found = words.iter().filter(|(_, frames)| frames.contains(frame));
    found.next().map(|(word, _)| *word)
}

/// What the rules say of the finished pictures of a job.
///
/// # Errors
/// When the ledgers cannot be read.
pub fn judged_pictures(loaded: &Loaded, rendered: &Expansion) -> io::Result<Vec<Finding>> {
    let answers = published_pictures(loaded, rendered)?;
    let around = &loaded.surroundings;
    let subject = Subject::of_pictures(&loaded.job, rendered, around, &answers);
    Ok(judge_finished(&subject, FinishedScope::All))
}

/// The pictures of the chosen part of a job; movies are none.
///
/// # Errors
/// When the state of the job cannot be read.
pub fn pictures_of_job(loaded: &Loaded, chosen: &Expansion) -> io::Result<Vec<PictureRow>> {
    let mut follower = Follower::new(loaded, chosen);
    let status = follower.look()?;
    let findings = judged_pictures(loaded, chosen)?;
    let suspicions = |path: &str| {
        let of_path = findings.iter().filter_map(|finding| {
            let found = finding.frames.as_ref()?;
            (found.path == path).then(|| (finding.code, found.frames.clone()))
        });
        of_path.collect()
    };
    let rows = chosen.deliverables.iter().zip(status.rows);
    Ok(rows
        .filter(|(one, _)| one.movie().is_none())
        .map(|(one, row)| PictureRow {
            title: one.label(),
            frames: one.common.frames.selected.clone(),
            is_data: one.picture.is_data(),
            states: states(&row.states),
            suspicions: suspicions(&one.pattern.sketch()),
            files: Files::Pattern(one.pattern.clone()),
        })
        .collect())
}

/// Frames by the word for their state, but for those that are there as they should be.
fn states(states: &States) -> Vec<(&'static str, FrameSet)> {
    let known = [
        (FileState::Broken, &states.broken),
        (FileState::Changed, &states.changed),
        (FileState::Stale, &states.stale),
        (FileState::Unverifiable, &states.unverifiable),
        (FileState::Running, &states.running),
        (FileState::Failed, &states.failed),
    ];
    let mut left = states.wanted.difference(&states.done).unwrap_or_default();
    let mut all = Vec::new();
    for (state, frames) in known {
        left = left.difference(frames).unwrap_or(left);
        all.push((state.word(), frames.clone()));
    }
    all.push((FileState::Missing.word(), left));
    all.retain(|(_, frames)| !frames.is_empty());
    all
}

/// The pictures of folders and single files.
#[derive(Debug)]
pub struct FolderPictures {
    /// Sequences, and single pictures.
    pub rows: Vec<PictureRow>,
    /// Folders of what runs set aside, which are left out.
    pub set_aside: Vec<PathBuf>,
}

/// The pictures of folders, by sequence, and of single files. What is no picture is left out; frames that a sequence
/// lacks between its first and its last are missing.
///
/// # Errors
/// When a file or folder that is named cannot be looked at.
pub fn pictures_of_paths(paths: &[PathBuf]) -> io::Result<FolderPictures> {
    let mut rows = Vec::new();
    let mut set_aside = Vec::new();
    for path in paths {
        if path.metadata()?.is_dir() {
            let left_out = scan(std::slice::from_ref(path), &mut |folder| {
                for sequence in folder.sequences {
                    rows.extend(row_of_sequence(&folder.path, sequence));
                }
                true
            });
            set_aside.extend(left_out);
        } else {
            rows.push(PictureRow::of_file(path.clone()));
        }
    }
    Ok(FolderPictures { rows, set_aside })
}

/// The pictures whose names a template with `{frame}` stands for, in one folder; frames that lack between the first and
/// the last are missing.
///
/// # Errors
/// When the template cannot be read, or there are no such pictures.
pub fn pictures_of_template(text: &str) -> io::Result<PictureRow> {
    let path = Path::new(text);
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    let reader = NameReader::new(&name, &[]).map_err(io::Error::other)?;
    let template: Template = text.parse().map_err(io::Error::other)?;
    let value = |token: &str| match token {
        "frame" => TokenValue::Frame,
        _ => TokenValue::Unknown,
    };
    let pattern = expand(&template, &value).map_err(|errors| {
        let first = errors.first().map(ToString::to_string);
        io::Error::other(first.unwrap_or_default())
    })?;
    let mut frames = Vec::new();
    for entry in folder.read_dir()? {
        let name = entry?.file_name();
        let read = name
            .to_str()
            .and_then(|name| reader.read(name).ok().flatten());
        let frame = read.and_then(|values| values.into_iter().find(|(token, _)| token == "frame"));
        frames.extend(frame.and_then(|(_, value)| value.parse::<Frame>().ok()));
    }
    let (Some(first), Some(last)) = (frames.iter().min(), frames.iter().max()) else {
        return Err(io::Error::other("there are no pictures of such names"));
    };
    let known = FrameSet::from_frames(frames.iter().copied());
    let all = FrameSet::range(*first, *last);
    let missing = all.difference(&known).unwrap_or_default();
    Ok(PictureRow {
        title: visible(text).into_owned(),
        frames: all,
        is_data: false,
        states: vec![(FileState::Missing.word(), missing)],
        suspicions: Vec::new(),
        files: Files::Pattern(pattern),
    })
}

fn row_of_sequence(folder: &Path, sequence: Sequence) -> Option<PictureRow> {
    let known = sequence.frames();
    let first = known.first().unwrap_or(0);
    let path = path_of(folder, &sequence.file_name(first)?);
    recognise(&path).ok().flatten()?;
    let title = path_of(folder, sequence.name().as_bytes());
    if known.is_empty() {
        return Some(PictureRow::of_file(path));
    }
    let missing = sequence.missing();
    Some(PictureRow {
        title: visible(&title.to_string_lossy()).into_owned(),
        frames: known.union(&missing).unwrap_or_else(|_| known.clone()),
        is_data: false,
        states: Some((FileState::Missing.word(), missing))
            .into_iter()
            .filter(|(_, frames)| !frames.is_empty())
            .collect(),
        suspicions: Vec::new(),
        files: Files::Sequence(folder.to_owned(), sequence),
    })
}
