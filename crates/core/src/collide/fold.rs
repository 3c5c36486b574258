//! Paths as systems see them that ignore capitals and how letters with marks are written.

use caseless::default_case_fold_str;
use unicode_normalization::UnicodeNormalization;

use crate::template::{PathPattern, Piece};

/// Whether folding surely changes nothing about a text.
#[must_use]
pub(crate) fn is_folded(text: &str) -> bool {
    text.bytes()
        .all(|byte| byte.is_ascii() && !byte.is_ascii_uppercase())
}

/// A pattern folded by the canonical caseless matching of the Unicode standard (D145): two paths
/// that fold to the same may be the same file there. `None` when that changes nothing.
#[must_use]
pub(crate) fn folded(pattern: &PathPattern) -> Option<PathPattern> {
    let texts = pattern.pieces().iter().filter_map(|piece| match piece {
        Piece::Text(text) => Some(text),
        Piece::Frame(_) => None,
    });
    if texts.into_iter().all(|text| is_folded(text)) {
        return None;
    }
    let pieces = pattern.pieces().iter().map(|piece| match piece {
        Piece::Text(text) if text.is_ascii() => Piece::Text(text.to_ascii_lowercase().into()),
        Piece::Text(text) => {
            let apart: String = text.nfd().collect();
            let small = default_case_fold_str(&apart);
            Piece::Text(small.nfd().collect::<String>().into())
        }
        Piece::Frame(format) => Piece::Frame(*format),
    });
    Some(PathPattern::new(pieces))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn capitals_and_marks_are_ignored() {
        let fold = |text: &str| {
            let pattern = PathPattern::new([Piece::Text(text.into())]);
            folded(&pattern).unwrap_or(pattern).path(0)
        };
        for (one, other) in [
            ("/a/Dawn.png", "/a/dawn.PNG"),
            ("/a/\u{e9}t\u{e9}", "/a/e\u{301}te\u{301}"),
            ("/a/stra\u{df}e", "/a/STRASSE"),
            ("/a/\u{3a3}", "/a/\u{3c2}"),
        ] {
            assert_eq!(fold(one), fold(other), "{one} {other}");
        }
        assert_ne!(fold("/a/dawn"), fold("/a/down"));
    }
}
