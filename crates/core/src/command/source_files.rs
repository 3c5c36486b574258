//! The frames of the sequence that a movie is assembled from, as an encoder reads them.

use crate::deliverable::Deliverable;
use crate::frames::Frame;
use crate::template::{FrameField, PathPattern, Piece};

/// The frames of a sequence, as an encoder reads them: one pattern, numbered without a gap.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SourceFiles {
    /// Their own names make such a pattern.
    Direct {
        /// The pattern in the notation of C's printf: `/a/dawn.%04d.exr`.
        printf: String,
        /// The number of the first.
        first: Frame,
    },
    /// They are linked under names that do.
    Linked {
        /// Name of the link in the staging folder, and the file.
        links: Vec<(String, String)>,
        /// The pattern of the links' names, without a folder.
        printf: String,
    },
}

impl SourceFiles {
    /// The frames of a sequence.
    #[must_use]
    pub fn of(sequence: &Deliverable) -> Self {
        let clip = &sequence.common.frames.shot;
        if let [range] = clip.ranges()
            && (range.step() == 1 || clip.count() == 1)
            && range.first() >= 0
            && let Some(printf) = printf(&sequence.pattern)
        {
            let first = range.first();
            return Self::Direct { printf, first };
        }
        let extension = sequence.picture.format.extension();
        let links = (1..).zip(clip.iter()).map(|(number, frame)| {
            (
                format!("source.{number:06}.{extension}"),
                sequence.path(frame),
            )
        });
        Self::Linked {
            links: links.collect(),
            printf: format!("source.%06d.{extension}"),
        }
    }
}

impl SourceFiles {
    /// The number of the first frame in its pattern.
    #[must_use]
    pub fn first(&self) -> Frame {
        match self {
            Self::Direct { first, .. } => *first,
            Self::Linked { .. } => 1,
        }
    }
}

/// A pattern in the notation of C's printf; none where it has no frame, or several.
#[must_use]
pub fn printf(pattern: &PathPattern) -> Option<String> {
    let mut out = String::new();
    let mut frames = 0;
    for piece in pattern.pieces() {
        match piece {
            Piece::Text(text) => out.push_str(&text.replace('%', "%%")),
            Piece::Frame(FrameField::Digits(digits)) => {
                frames += 1;
                out.push_str(&match digits {
                    0 | 1 => "%d".to_owned(),
                    digits => format!("%0{digits}d"),
                });
            }
            Piece::Frame(_) => return None,
        }
    }
    (frames == 1 && !pattern.split().0.has_frame()).then_some(out)
}
