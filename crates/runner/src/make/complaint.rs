//! The most useful line of an engine that failed: the first error, with the file and line number that
//! it names, else its last words.

use std::sync::LazyLock;

use regex::Regex;

/// What an engine printed, as far as it may say why it failed.
#[derive(Debug, Default)]
pub(crate) struct Complaint {
    /// The first line that a pattern of the profile calls an error.
    matched: Option<String>,
    /// The first line that looks like an error, whatever the engine.
    looks_like_error: Option<String>,
    /// Where the error is, where a line next to it names a file and a line number.
    location: Option<String>,
    /// The last line that names a file and a line number, and how many lines ago.
    located: Option<(String, u32)>,
    /// How many lines ago the error was.
    since_error: Option<u32>,
    last: Option<String>,
}

/// A location counts for an error so many lines before or after it.
const NEAR: u32 = 3;
/// No reason is longer than this, in characters.
const LONGEST: usize = 400;

/// Words with which programs report errors.
static ERROR: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r"(?i)\b(\w*error|fatal|\w*exception|cannot|can't|could not|failed|failure|denied|no such file|not found|licen[cs]e|out of memory|segmentation fault|aborted|panicked)\b").ok()
});
/// `File "kiln.py", line 12`, `file 'x.pov' line 3` or `kiln.scene:12: `
static LOCATION: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(r#"(?i)\bfile:? ["']?(?P<file>[^"',]+?)["']?,? (?:on |at )?line:? (?P<line>\d+)|(?P<path>[\w./\\-]+\.\w+)[:(](?P<number>\d+)(?:[:)]|$)"#)
        .ok()
});

impl Complaint {
    /// A line that a pattern of the profile calls an error.
    pub(crate) fn error(&mut self, text: &str) {
        if self.matched.is_none() {
            self.matched = Some(shortened(text));
            self.since_error = Some(0);
            self.location = self.near_location();
        }
    }

    /// The first line that a pattern of the profile calls an error.
    pub(crate) fn first_error(&self) -> Option<&str> {
        self.matched.as_deref()
    }

    /// Any line.
    pub(crate) fn line(&mut self, line: &str) {
        let line = line.trim();
        if line.is_empty() {
            return;
        }
        if let Some((_, ago)) = &mut self.located {
            *ago += 1;
        }
        if let Some(found) = location(line) {
            // A location right behind the error belongs to it, unless one before it does.
            if self.location.is_none() && self.since_error.is_some_and(|lines| lines < NEAR) {
                self.location = Some(found.clone());
            }
            self.located = Some((found, 0));
        }
        if let Some(lines) = &mut self.since_error {
            *lines += 1;
        }
        if self.looks_like_error.is_none()
            && !line.to_ascii_lowercase().contains("warning")
            && ERROR.as_ref().is_some_and(|error| error.is_match(line))
        {
            self.since_error.get_or_insert(0);
            self.looks_like_error = Some(shortened(line));
            if self.location.is_none() {
                self.location = self.near_location();
            }
        }
        self.last = Some(shortened(line));
    }

    fn near_location(&self) -> Option<String> {
        let (found, ago) = self.located.as_ref()?;
        (*ago <= NEAR).then(|| found.clone())
    }

    /// The most useful line, if it printed any.
    pub(crate) fn text(&self) -> Option<String> {
        let line = self
            .matched
            .as_ref()
            .or(self.looks_like_error.as_ref())
            .or(self.last.as_ref())?;
        match &self.location {
            Some(place) if location(line).is_none() => Some(format!("{line} ({place})")),
            _ => Some(line.clone()),
        }
    }
}

/// `kiln.py, line 12` for a line that names a file and a line number.
fn location(line: &str) -> Option<String> {
    let found = LOCATION.as_ref()?.captures(line)?;
    let group = |one: &str, other: &str| {
        let text = found.name(one).or_else(|| found.name(other))?;
        Some(text.as_str().to_owned())
    };
    let (file, number) = (group("file", "path")?, group("line", "number")?);
    Some(format!("{file}, line {number}"))
}

fn shortened(text: &str) -> String {
    let text = text.trim();
    match text.char_indices().nth(LONGEST) {
        Some((at, _)) => format!("{} …", &text[..at]),
        None => text.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(lines: &[&str]) -> Option<String> {
        let mut complaint = Complaint::default();
        lines.iter().for_each(|line| complaint.line(line));
        complaint.text()
    }

    #[test]
    fn the_first_error_counts_and_not_what_follows_from_it() {
        let lines = [
            "reading the scene",
            "texture brass.tx: No such file or directory",
            "error: cannot render",
            "bye",
        ];
        assert_eq!(
            of(&lines).as_deref(),
            Some("texture brass.tx: No such file or directory")
        );
    }

    #[test]
    fn a_file_and_a_line_number_next_to_it_are_added() {
        let lines = [
            "Traceback (most recent call last):",
            "  File \"kiln.py\", line 12, in render",
            "    lamp()",
            "NameError: name 'lamp' is not defined",
        ];
        assert_eq!(
            of(&lines).as_deref(),
            Some("NameError: name 'lamp' is not defined (kiln.py, line 12)")
        );
        let lines = ["kiln.scene:7: syntax error near `lamp`", "giving up"];
        assert_eq!(
            of(&lines).as_deref(),
            Some("kiln.scene:7: syntax error near `lamp`")
        );
    }

    #[test]
    fn without_an_error_its_last_words_count() {
        assert_eq!(of(&["one", "", "two", "  "]).as_deref(), Some("two"));
        assert_eq!(of(&[]), None);
    }

    #[test]
    fn a_pattern_of_the_profile_wins() {
        let mut complaint = Complaint::default();
        complaint.line("warning: a failed lookup");
        complaint.line("E 7 out of ink");
        complaint.error("out of ink");
        complaint.error("again");
        assert_eq!(complaint.text().as_deref(), Some("out of ink"));
    }
}
