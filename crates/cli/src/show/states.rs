//! What several commands say of the states of files, in the same words.

use truepath_core::deliverable::Expansion;
use truepath_core::finding::count;

use super::remark;

/// Why frames cannot be verified, and what can be done, in the lines below them.
pub(crate) fn unverifiable(reason: &str) -> String {
    format!(
        "\n         nobody knows whether they are whole: {reason}.\n         They stay as they are; `unverifiable = \"allow\"` in the job takes them for whole"
    )
}

/// What has changed since frames were made, in one line.
pub(crate) fn changes(all: &[String]) -> String {
    match all {
        [] => "other settings or another state of the scene made them".to_owned(),
        all => all.join("; "),
    }
}

/// Says how many movies nobody has made or looked at.
pub(crate) fn remark_on_direct_movies(expansion: &Expansion) {
    let movies = expansion
        .deliverables
        .iter()
        .filter(|one| one.movie().is_some_and(|movie| movie.is_direct()));
    let number = movies.count() as u64;
    if number > 0 {
        remark(&format!(
            "{} that an engine writes itself: named and checked, but not run by this version",
            count(number, "movie", "movies")
        ));
    }
}
