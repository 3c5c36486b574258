//! Puts a path together from its pieces.

use super::{FrameField, PathPattern, Piece};

/// A pattern that is being made. Texts are gathered and put into their box once: paths are made by
/// the million.
#[derive(Debug, Default)]
pub(super) struct PathRow {
    pieces: Vec<Piece>,
    text: String,
}

impl PathRow {
    pub(super) fn text(&mut self, text: &str) {
        self.text.push_str(text);
    }

    pub(super) fn frame(&mut self, field: FrameField) {
        self.end_text();
        self.pieces.push(Piece::Frame(field));
    }

    /// Adds another row.
    pub(super) fn append(&mut self, other: Self) {
        for piece in other.pieces {
            match piece {
                Piece::Text(text) => self.text(&text),
                Piece::Frame(field) => self.frame(field),
            }
        }
        self.text(&other.text);
    }

    pub(super) fn done(mut self) -> PathPattern {
        self.end_text();
        PathPattern::of_row(self.pieces)
    }

    fn end_text(&mut self) {
        if !self.text.is_empty() {
            self.pieces.push(Piece::Text(self.text.as_str().into()));
            self.text.clear();
        }
    }
}
