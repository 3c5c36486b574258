//! What several rules need.

use crate::job::Key;
use crate::picture::Holds;
use crate::template::{PathPattern, Piece};

/// The file name of a path as text before and text behind the last frame field; `None` for the
/// second where the name has none.
pub(super) fn name_around_frame(pattern: &PathPattern) -> (String, Option<String>) {
    let (_, name) = pattern.split();
    let mut before = String::new();
    let mut behind: Option<String> = None;
    for piece in name.pieces() {
        match (piece, &mut behind) {
            (Piece::Frame(_), _) => {
                before.push_str(&behind.take().unwrap_or_default());
                behind = Some(String::new());
            }
            (Piece::Text(text), Some(behind)) => behind.push_str(text),
            (Piece::Text(text), None) => before.push_str(text),
        }
    }
    (before, behind)
}

/// `` `a`, `b` or `c` ``
pub(super) fn one_of<T: std::fmt::Display>(items: impl IntoIterator<Item = T>) -> String {
    let quoted: Vec<String> = items.into_iter().map(|item| format!("`{item}`")).collect();
    match quoted.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, rest)) => format!("{} or {last}", rest.join(", ")),
        None => String::new(),
    }
}

/// Whether a path is a folder or something below it.
pub(super) fn is_below(path: &str, folder: &str) -> bool {
    let folder = folder.trim_end_matches('/');
    let rest = path.strip_prefix(folder);
    rest.is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
}

/// What a file holds several of, as a word, and the key that asks for it.
pub(super) fn several_of(holds: Holds) -> (&'static str, Key) {
    match holds {
        Holds::Passes => ("passes", Key::Layers),
        Holds::Views => ("views", Key::ViewsTogether),
    }
}
