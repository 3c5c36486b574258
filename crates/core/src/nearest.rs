//! Finds the known word that somebody most likely meant.

/// The nearest of `known` to `word`, when one is near enough to be worth suggesting.
pub fn nearest<'a>(word: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    // Of a number another number is never a slip of the hand.
    if word.bytes().all(|byte| byte.is_ascii_digit()) {
        return None;
    }
    let lowered = word.to_lowercase();
    known
        .into_iter()
        .map(|one| {
            (
                strsim::damerau_levenshtein(&lowered, &one.to_lowercase()),
                one,
            )
        })
        .filter(|(distance, one)| *distance <= 1 + one.chars().count().min(word.len()) / 4)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, one)| one)
}

/// A sentence that suggests the nearest known word, or lists them all.
#[must_use]
pub fn advice(word: &str, known: &[&str]) -> String {
    match nearest(word, known.iter().copied()) {
        Some(near) => format!("did you mean `{near}`?"),
        None if known.len() > 40 => format!("none of {} is near it", known.len()),
        None => format!("known here: {}", known.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn finds_a_slip_of_the_hand_and_nothing_far_away() {
        let known = ["beauty", "depth", "shadow"];
        assert_eq!(nearest("beuaty", known), Some("beauty"));
        assert_eq!(nearest("Depht", known), Some("depth"));
        assert_eq!(nearest("normals", known), None);
        assert_eq!(nearest("", known), None);
        assert_eq!(nearest("32", ["12", "half"]), None);
    }
}
