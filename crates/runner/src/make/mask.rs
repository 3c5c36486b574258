//! Secrets, masked in what engines print.

/// Secrets that no line may show.
#[derive(Debug, Clone)]
pub(crate) struct Mask(Vec<String>);

impl Mask {
    /// One for these values.
    pub(crate) fn new(secrets: impl IntoIterator<Item = String>) -> Self {
        let mut secrets: Vec<String> = secrets.into_iter().collect();
        secrets.retain(|secret| !secret.is_empty());
        // Longer ones first: one may be a part of another.
        secrets.sort_by_key(|secret| std::cmp::Reverse(secret.len()));
        Self(secrets)
    }

    /// A line without them.
    pub(crate) fn masked(&self, line: String) -> String {
        let mask = |line: String, secret: &String| line.replace(secret, "***");
        self.0.iter().fold(line, mask)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_secret_that_is_a_part_of_another_shows_nothing_of_it() {
        let mask = Mask::new(["brass".to_owned(), String::new(), "brass-5050".to_owned()]);
        let line = "key=brass-5050, server=brass".to_owned();
        assert_eq!(mask.masked(line), "key=***, server=***");
    }
}
