//! What the names of passes say.

/// Names of passes whose values are measures and no light: a value between two others means
/// something else, so they bear neither few bits nor loss, and they are smooth.
pub(crate) const DATA_PASSES: [&str; 14] = [
    "depth", "z", "normal", "normals", "position", "uv", "id", "ids", "matte", "mask", "motion",
    "vector", "velocity", "index",
];

/// Whether a pass is one of measures, by the parts of its name.
#[must_use]
pub(crate) fn is_data(name: &str) -> bool {
    name.to_lowercase()
        .split(|c: char| !c.is_alphanumeric())
        .any(|part| DATA_PASSES.contains(&part.trim_end_matches(|c: char| c.is_ascii_digit())))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn measures_are_known_by_a_part_of_the_name() {
        for name in ["depth", "Z", "world_normal", "matte2", "object-id"] {
            assert!(is_data(name), "{name}");
        }
        for name in ["beauty", "shadow", "zenith", "idle", "mattepainting", ""] {
            assert!(!is_data(name), "{name}");
        }
    }
}
