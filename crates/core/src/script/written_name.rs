//! How files are called in a staging folder, and by their true names, as scripts know them.

use crate::template::{FrameField, PathPattern, Piece};

/// Files of one deliverable that a step brings.
#[derive(Debug, Clone)]
pub struct StepFiles {
    /// How they are called in the staging folder.
    pub written: WrittenName,
    /// Their true names.
    pub pattern: PathPattern,
}

/// How files are called in a staging folder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum WrittenName {
    /// One file of this name.
    One(String),
    /// What stands before the digits of the frame, and after them.
    Digits(String, String),
    /// Any name; the last digits before the extension are the frame, or there is one file only.
    Any,
}

/// A written pattern as the shells know it.
pub(super) fn written_name(pattern: &PathPattern) -> WrittenName {
    let (mut before, mut after, mut seen) = (String::new(), String::new(), false);
    for piece in pattern.pieces() {
        match piece {
            Piece::Text(text) if seen => after.push_str(text),
            Piece::Text(text) => before.push_str(text),
            Piece::Frame(_) if seen => return WrittenName::Any,
            Piece::Frame(_) => seen = true,
        }
    }
    if seen {
        WrittenName::Digits(before, after)
    } else {
        WrittenName::One(before)
    }
}

/// The text before the frame, the text after it, and the digits; none where the frame stands in a
/// name more than once.
pub(super) fn true_name(pattern: &PathPattern) -> Option<(String, String, u8)> {
    let (mut before, mut after, mut digits) = (String::new(), String::new(), None);
    for piece in pattern.pieces() {
        match (piece, digits) {
            (Piece::Text(text), None) => before.push_str(text),
            (Piece::Text(text), Some(_)) => after.push_str(text),
            (Piece::Frame(FrameField::Digits(count)), None) => digits = Some(*count),
            (Piece::Frame(_), _) => return None,
        }
    }
    Some((before, after, digits.unwrap_or(0)))
}
