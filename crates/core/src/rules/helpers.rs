//! What several rules need.

use crate::job::Key;
use crate::picture::Holds;

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
