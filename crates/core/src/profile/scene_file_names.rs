//! How the scenes of an engine name the files that they need.

use std::collections::BTreeSet;

use regex::Regex;

/// How scenes name the files that they need: includes, textures, tables.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SceneFileNames {
    /// Regular expressions with a group `file`.
    pub find: Vec<String>,
    /// Whether the files that are found name further ones in the same way.
    pub follow: bool,
}

/// What looks like the name of a file in any text: no space or bracket, and an extension that begins with a letter.
const ANY_NAME: &str = r#"(?P<file>[^\s"'`<>|=,;:()\[\]{}]+\.[A-Za-z][A-Za-z0-9]{0,5})\b"#;

impl SceneFileNames {
    /// For scenes of which nobody says how they name files: whatever looks like a name.
    #[must_use]
    pub fn of_any_text() -> Self {
        Self {
            find: vec![ANY_NAME.to_owned()],
            follow: false,
        }
    }

    /// The patterns, compiled. One that does not compile finds nothing; reading the profile has said so.
    #[must_use]
    pub fn finder(&self) -> SceneFileFinder {
        let patterns = self.find.iter().filter_map(|find| Regex::new(find).ok());
        SceneFileFinder(patterns.collect())
    }
}

/// Finds the names of files in the text of a scene.
///
/// ```
/// use truepath_core::profile::SceneFileNames;
///
/// let names = SceneFileNames {
///     find: vec![r#"#include\s+"(?P<file>[^"]+)""#.to_owned()],
///     follow: true,
/// };
/// let found = names.finder().names("#include \"brass.inc\"\n  #include  \"parts/lamp.inc\"\n");
/// assert!(found.iter().eq(["brass.inc", "parts/lamp.inc"]));
/// ```
#[derive(Debug)]
pub struct SceneFileFinder(Vec<Regex>);

impl SceneFileFinder {
    /// The names in a text, each once, sorted.
    #[must_use]
    pub fn names(&self, text: &str) -> BTreeSet<String> {
        let captures = self.0.iter().flat_map(|find| find.captures_iter(text));
        captures
            .filter_map(|captures| captures.name("file"))
            .map(|name| name.as_str().to_owned())
            .filter(|name| !name.is_empty())
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_text_has_names_and_no_numbers() {
        let text = "mesh(parts/wheel.obj) look = 'brass.inc', at 0.25 12.5e3 v1.0\n<textures/oak_01.png>, kiln";
        let found = SceneFileNames::of_any_text().finder().names(text);
        let found: Vec<&str> = found.iter().map(String::as_str).collect();
        assert_eq!(
            found,
            ["brass.inc", "parts/wheel.obj", "textures/oak_01.png"]
        );
    }
}
