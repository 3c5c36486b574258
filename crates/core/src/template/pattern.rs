//! A path with everything but the frame filled in.

use std::fmt::Write;

use super::path_row::PathRow;
use crate::frames::Frame;

/// How a frame number stands in a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum FrameField {
    /// At least this many digits, the sign not counted.
    Digits(u8),
    /// Any digits: found, never predicted.
    Any,
}

/// A piece of a path.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Piece {
    /// Text.
    Text(Box<str>),
    /// The frame number.
    Frame(FrameField),
}

/// A row of texts and frame fields; texts are not empty and never stand side by side.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Default)]
pub struct PathPattern {
    pieces: Vec<Piece>,
}

impl PathPattern {
    /// A pattern of these pieces; texts side by side become one.
    pub fn new(pieces: impl IntoIterator<Item = Piece>) -> Self {
        let mut row = PathRow::default();
        for piece in pieces {
            match piece {
                Piece::Text(text) => row.text(&text),
                Piece::Frame(field) => row.frame(field),
            }
        }
        row.done()
    }

    /// The same with a text before it.
    #[must_use]
    pub fn behind(mut self, text: &str) -> Self {
        match self.pieces.first_mut() {
            Some(Piece::Text(first)) => *first = [text, &**first].concat().into(),
            _ => self.pieces.insert(0, Piece::Text(text.into())),
        }
        self
    }

    /// A pattern of pieces that are in order already.
    pub(super) fn of_row(pieces: Vec<Piece>) -> Self {
        Self { pieces }
    }

    /// The pieces, in order.
    #[must_use]
    pub fn pieces(&self) -> &[Piece] {
        &self.pieces
    }

    /// Whether the frame is part of it.
    #[must_use]
    pub fn has_frame(&self) -> bool {
        self.pieces
            .iter()
            .any(|piece| matches!(piece, Piece::Frame(_)))
    }

    /// The path of a frame.
    #[must_use]
    pub fn path(&self, frame: Frame) -> String {
        let mut out = String::with_capacity(self.length());
        self.write(frame, &mut out);
        out
    }

    /// Appends the path of a frame.
    pub fn write(&self, frame: Frame, out: &mut String) {
        for piece in &self.pieces {
            match piece {
                Piece::Text(text) => out.push_str(text),
                Piece::Frame(field) => write_frame(*field, frame, out),
            }
        }
    }

    /// Bytes that most of its paths have room in.
    fn length(&self) -> usize {
        let length = |piece: &Piece| match piece {
            Piece::Text(text) => text.len(),
            Piece::Frame(_) => 8,
        };
        self.pieces.iter().map(length).sum()
    }

    /// What stands behind the last separator and the last frame field: where an extension is.
    #[must_use]
    pub fn end(&self) -> &str {
        match self.pieces.last() {
            Some(Piece::Text(text)) => text.rsplit('/').next().unwrap_or(text),
            _ => "",
        }
    }

    /// The pattern split at its last separator: the folder and the name in it.
    #[must_use]
    pub fn split(&self) -> (Self, Self) {
        for (index, piece) in self.pieces.iter().enumerate().rev() {
            if let Piece::Text(text) = piece
                && let Some(at) = text.rfind('/')
            {
                let folder = self.pieces[..index]
                    .iter()
                    .cloned()
                    .chain([Piece::Text(text[..at].into())]);
                let name = [Piece::Text(text[at + 1..].into())]
                    .into_iter()
                    .chain(self.pieces[index + 1..].iter().cloned());
                return (Self::new(folder), Self::new(name));
            }
        }
        (Self::default(), self.clone())
    }

    /// The pattern as somebody would write it: `b.{frame:04}.png`.
    #[must_use]
    pub fn sketch(&self) -> String {
        let mut out = String::new();
        for piece in &self.pieces {
            match piece {
                Piece::Text(text) => out.push_str(text),
                Piece::Frame(FrameField::Digits(1)) => out.push_str("{frame}"),
                Piece::Frame(FrameField::Digits(digits)) => {
                    let _ = write!(out, "{{frame:0{digits}}}");
                }
                Piece::Frame(FrameField::Any) => out.push_str("{frame:?}"),
            }
        }
        out
    }

    /// The frame of a path that this pattern could have written; `None` for any other path. A
    /// pattern without a frame field gives `Some(None)` for its own text.
    #[must_use]
    pub fn read(&self, path: &str) -> Option<Option<Frame>> {
        read(&self.pieces, path, None)
    }
}

fn write_frame(field: FrameField, frame: Frame, out: &mut String) {
    let digits = match field {
        FrameField::Digits(digits) => usize::from(digits),
        FrameField::Any => 1,
    };
    if frame < 0 {
        out.push('-');
    }
    let _ = write!(out, "{:0digits$}", frame.unsigned_abs());
}

/// Whether a number is printed like this where it has at least so many digits: no zeros before it but
/// to fill them up, and no sign before 0.
fn is_printed(number: &str, least: u8) -> bool {
    let least = usize::from(least.max(1));
    let digits = number.strip_prefix('-').unwrap_or(number);
    let filled = digits.len() == least || (digits.len() > least && !digits.starts_with('0'));
    let zero = digits.bytes().all(|digit| digit == b'0');
    filled && !(zero && digits.len() < number.len())
}

fn read(pieces: &[Piece], rest: &str, known: Option<Frame>) -> Option<Option<Frame>> {
    let Some((piece, later)) = pieces.split_first() else {
        return rest.is_empty().then_some(known);
    };
    match piece {
        Piece::Text(text) => read(later, rest.strip_prefix(&**text)?, known),
        Piece::Frame(field) => {
            let sign = usize::from(rest.starts_with('-'));
            let digits = rest[sign..]
                .bytes()
                .take_while(u8::is_ascii_digit)
                .take(19)
                .count();
            // The longest reading first: other digits may stand directly behind the number.
            (1..=digits).rev().find_map(|length| {
                let (number, after) = rest.split_at(sign + length);
                let frame: Frame = number.parse().ok()?;
                if let FrameField::Digits(least) = *field
                    && !is_printed(number, least)
                {
                    return None;
                }
                if known.is_some_and(|known| known != frame) {
                    return None;
                }
                read(later, after, Some(frame))
            })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pattern(digits: FrameField) -> PathPattern {
        PathPattern::new([
            Piece::Text("a/b.".into()),
            Piece::Frame(digits),
            Piece::Text(".png".into()),
        ])
    }

    #[test]
    fn writes_and_reads_frames() {
        let four = pattern(FrameField::Digits(4));
        for (frame, path) in [
            (7, "a/b.0007.png"),
            (-7, "a/b.-0007.png"),
            (123_456, "a/b.123456.png"),
        ] {
            assert_eq!(four.path(frame), path);
            assert_eq!(four.read(path), Some(Some(frame)));
        }
        assert_eq!(four.read("a/b.07.png"), None);
        assert_eq!(pattern(FrameField::Any).read("a/b.07.png"), Some(Some(7)));
        assert_eq!(four.read("a/b.0007.png.part"), None);
    }

    #[test]
    fn what_is_read_is_what_is_written() {
        for least in [0, 1, 2, 4] {
            let field = FrameField::Digits(least);
            for number in [
                "0", "00", "000", "0000", "-0", "-00", "-0000", "7", "07", "0007", "00007", "-7",
                "-07", "-0007", "12345", "012345", "-12345", "10",
            ] {
                let mut printed = String::new();
                write_frame(field, number.parse().unwrap(), &mut printed);
                let same = printed == number;
                assert_eq!(
                    is_printed(number, least),
                    same,
                    "{number} of {least} digits"
                );
            }
        }
    }

    #[test]
    fn splits_folder_and_name() {
        let (folder, name) = pattern(FrameField::Digits(4)).split();
        assert_eq!(folder.sketch(), "a");
        assert_eq!(name.sketch(), "b.{frame:04}.png");
    }

    #[test]
    fn two_frame_fields_must_agree() {
        let twice = PathPattern::new([
            Piece::Frame(FrameField::Digits(2)),
            Piece::Text("/".into()),
            Piece::Frame(FrameField::Digits(4)),
        ]);
        assert_eq!(twice.read("07/0007"), Some(Some(7)));
        assert_eq!(twice.read("07/0008"), None);
    }
}
