//! One sequence, and how files of one shape are split into sequences.

use std::collections::{BTreeMap, BTreeSet};

use super::File;
use super::number::NumberedName;
use crate::frames::{Frame, FrameSet};
use crate::visible::visible;

/// Why a number of the name is the frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Choice {
    /// There is no other number.
    Only,
    /// It varies, and the others do not.
    Varies,
    /// Others vary too, and this one the most; of those that vary alike the last.
    VariesMost,
}

/// A sequence of files, or a file that belongs to none.
#[derive(Debug, Clone)]
pub struct Sequence {
    /// What stands before the frame, and behind it; the whole name of a file of no sequence.
    before: Vec<u8>,
    after: Vec<u8>,
    /// How many digits the frame has at least; none of a file of no sequence.
    padding: Option<u8>,
    frames: Vec<NumberedName>,
    choice: Choice,
    bytes: u64,
    oldest: i64,
    newest: i64,
}

impl Sequence {
    /// Whether it has frames.
    #[must_use]
    pub fn is_sequence(&self) -> bool {
        self.padding.is_some()
    }

    /// Its name with the frame as a token; what is no text is written as escapes.
    #[must_use]
    pub fn name(&self) -> String {
        let (before, after) = (shown(&self.before), shown(&self.after));
        match self.padding {
            None => before,
            Some(0 | 1) => format!("{before}{{frame}}{after}"),
            Some(digits) => format!("{before}{{frame:{digits:02}}}{after}"),
        }
    }

    /// What names are sorted by.
    pub(super) fn raw_name(&self) -> (&[u8], &[u8], std::cmp::Reverse<Option<u8>>) {
        (&self.before, &self.after, std::cmp::Reverse(self.padding))
    }

    /// What names that are easily taken for each other have in common.
    pub(super) fn folded(&self) -> String {
        let parts = [shown(&self.before), shown(&self.after)];
        let frame = if self.is_sequence() { "\u{0}" } else { "" };
        parts.join(frame).to_lowercase()
    }

    /// Its frames; none of a file of no sequence.
    #[must_use]
    pub fn frames(&self) -> FrameSet {
        FrameSet::from_frames(self.frames.iter().map(|frame| frame.value))
    }

    /// The frames between the first and the last that are not there.
    #[must_use]
    pub fn missing(&self) -> FrameSet {
        let there = self.frames();
        let (Some(first), Some(last)) = (there.first(), there.last()) else {
            return FrameSet::empty();
        };
        let all = FrameSet::range(first, last);
        all.difference(&there).unwrap_or_default()
    }

    /// How many files it has.
    #[must_use]
    pub fn count(&self) -> u64 {
        self.frames.len().max(1) as u64
    }

    /// Their bytes.
    #[must_use]
    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// When the first and the last of them changed, in seconds since 1970.
    #[must_use]
    pub fn changed(&self) -> (i64, i64) {
        (self.oldest, self.newest)
    }

    /// Why the number is the frame.
    #[must_use]
    pub fn choice(&self) -> Choice {
        self.choice
    }

    /// The names of its files, in the order of their frames.
    pub fn files(&self) -> impl Iterator<Item = String> + '_ {
        let single = (!self.is_sequence()).then(|| shown(&self.before));
        let frames = self.frames.iter().filter(|_| self.is_sequence());
        let name = |frame: &NumberedName| {
            [&shown(&self.before), &frame.text(), &shown(&self.after)]
                .map(String::as_str)
                .concat()
        };
        single.into_iter().chain(frames.map(name))
    }

    /// The name of the file of a frame, in bytes.
    #[must_use]
    pub fn file_name(&self, frame: Frame) -> Option<Vec<u8>> {
        if !self.is_sequence() {
            return Some(self.before.clone());
        }
        let number = self.frames.iter().find(|number| number.value == frame)?;
        Some([&self.before, number.text().as_bytes(), &self.after].concat())
    }
}

fn shown(bytes: &[u8]) -> String {
    match std::str::from_utf8(bytes) {
        Ok(text) => visible(text).into_owned(),
        Err(_) => bytes.escape_ascii().to_string(),
    }
}

/// Splits files of one shape into sequences.
pub(super) fn split(texts: &[Vec<u8>], files: Vec<File>) -> Vec<Sequence> {
    let numbers = texts.len() - 1;
    let distinct = |at: usize| -> usize {
        let all = files.iter().map(|file| file.numbers[at].value);
        all.collect::<BTreeSet<i64>>().len()
    };
    let counts: Vec<usize> = (0..numbers).map(distinct).collect();
    let varying = counts.iter().filter(|count| **count > 1).count();
    let most = counts.iter().copied().max().unwrap_or(0);
    let frame = counts.iter().rposition(|count| *count == most && most > 1);
    let Some(frame) = frame else {
        return files.iter().map(|file| single(texts, file)).collect();
    };
    let choice = match (numbers, varying) {
        (1, _) => Choice::Only,
        (_, 1) => Choice::Varies,
        _ => Choice::VariesMost,
    };
    // What stands around the frame, with the other numbers as they are written.
    let mut groups: BTreeMap<(Vec<u8>, Vec<u8>), Vec<File>> = BTreeMap::new();
    for file in files {
        let (mut before, mut after) = (texts[0].clone(), Vec::new());
        for at in 0..numbers {
            let side = if at < frame { &mut before } else { &mut after };
            if at != frame {
                side.extend(file.numbers[at].text().bytes());
            }
            side.extend(&texts[at + 1]);
        }
        // The text between the last number before the frame and the frame belongs before it.
        groups.entry((before, after)).or_default().push(file);
    }
    groups
        .into_iter()
        .flat_map(|((before, after), files)| by_padding(&before, &after, files, frame, choice))
        .collect()
}

/// Files with one name around the frame, by how the frame is padded.
fn by_padding(
    before: &[u8],
    after: &[u8],
    files: Vec<File>,
    frame: usize,
    choice: Choice,
) -> Vec<Sequence> {
    // Each width that is seen with a zero in front is a padding; longer numbers belong to the widest of them.
    let widths: BTreeSet<u8> = files
        .iter()
        .filter(|file| file.numbers[frame].is_padded())
        .map(|file| file.numbers[frame].digits)
        .collect();
    let mut groups: BTreeMap<u8, Vec<File>> = BTreeMap::new();
    let plain_is_one_width = {
        let plain = files.iter().map(|file| file.numbers[frame].digits);
        let plain: BTreeSet<u8> = plain.collect();
        (plain.len() == 1).then(|| plain.first().copied()).flatten()
    };
    for file in files {
        let number = file.numbers[frame];
        let padding = if number.is_padded() {
            number.digits
        } else {
            // As long as a padding, or longer than all of them.
            let fits = widths.iter().rev().find(|width| {
                **width == number.digits || Some(*width) == widths.last() && number.digits > **width
            });
            fits.copied().or(plain_is_one_width).unwrap_or(1)
        };
        groups.entry(padding).or_default().push(file);
    }
    groups
        .into_iter()
        .map(|(padding, files)| sequence(before, after, padding, files, frame, choice))
        .collect()
}

fn sequence(
    before: &[u8],
    after: &[u8],
    padding: u8,
    files: Vec<File>,
    frame: usize,
    choice: Choice,
) -> Sequence {
    let mut frames: Vec<NumberedName> = files.iter().map(|file| file.numbers[frame]).collect();
    frames.sort_unstable();
    let changed = files.iter().map(|file| file.changed);
    Sequence {
        before: before.to_vec(),
        after: after.to_vec(),
        padding: Some(padding),
        frames,
        choice,
        bytes: files.iter().map(|file| file.bytes).sum(),
        oldest: changed.clone().min().unwrap_or(0),
        newest: changed.max().unwrap_or(0),
    }
}

/// A file that belongs to no sequence.
fn single(texts: &[Vec<u8>], file: &File) -> Sequence {
    let mut name = texts[0].clone();
    for (number, text) in file.numbers.iter().zip(&texts[1..]) {
        name.extend(number.text().bytes());
        name.extend(text);
    }
    Sequence {
        before: name,
        after: Vec::new(),
        padding: None,
        frames: Vec::new(),
        choice: Choice::Only,
        bytes: file.bytes,
        oldest: file.changed,
        newest: file.changed,
    }
}
