//! The most useful line of an engine that failed: the first error of its last lines, with the file and line number
//! that it names; else the first error of all, else its last words.

use std::collections::VecDeque;
use std::sync::LazyLock;

use regex::Regex;

/// What an engine printed, as far as it may say why it failed.
#[derive(Debug, Default)]
pub(crate) struct Complaint {
    /// The first line that a pattern of the profile calls an error.
    matched: Option<ErrorLine>,
    /// The first line that looks like an error, whatever the engine.
    first: Option<ErrorLine>,
    /// Such lines among the last ones, in their order.
    late: VecDeque<ErrorLine>,
    /// The last line that names a file and a line number, with its number.
    located: Option<(String, u64)>,
    last: Option<String>,
    /// How many lines it printed.
    lines: u64,
}

/// A line that says why it failed.
#[derive(Debug, Clone)]
struct ErrorLine {
    text: String,
    /// Its number.
    line: u64,
    /// Where the error is, where a line next to it names a file and a line number.
    location: Option<String>,
}

impl ErrorLine {
    /// A location right behind the error belongs to it, unless one before it does.
    fn is_located_by(&mut self, location: &str, line: u64) {
        if self.location.is_none() && line.saturating_sub(self.line) <= NEAR {
            self.location = Some(location.to_owned());
        }
    }
}

/// The error that ends a program is in its last lines. After an earlier error the program went on.
const LATE: u64 = 12;
/// A location counts for an error so many lines before or after it.
const NEAR: u64 = 3;
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
            self.matched = Some(self.error_line(text));
        }
    }

    /// The first line that a pattern of the profile calls an error.
    pub(crate) fn first_error(&self) -> Option<&str> {
        self.matched.as_ref().map(|one| one.text.as_str())
    }

    /// Any line.
    pub(crate) fn line(&mut self, line: &str) {
        let line = line.trim();
        if line.is_empty() {
            return;
        }
        self.lines += 1;
        if let Some(found) = location(line) {
            let errors = self.matched.iter_mut().chain(&mut self.first);
            for error in errors.chain(&mut self.late) {
                error.is_located_by(&found, self.lines);
            }
            self.located = Some((found, self.lines));
        }
        if !line.to_ascii_lowercase().contains("warning")
            && ERROR.as_ref().is_some_and(|error| error.is_match(line))
        {
            let error = self.error_line(line);
            self.first.get_or_insert_with(|| error.clone());
            self.late.push_back(error);
        }
        while self
            .late
            .front()
            .is_some_and(|one| one.line + LATE <= self.lines)
        {
            self.late.pop_front();
        }
        self.last = Some(shortened(line));
    }

    fn error_line(&self, text: &str) -> ErrorLine {
        let near = self.located.as_ref();
        let near = near.filter(|(_, line)| self.lines.saturating_sub(*line) <= NEAR);
        ErrorLine {
            text: shortened(text),
            line: self.lines,
            location: near.map(|(found, _)| found.clone()),
        }
    }

    /// The most useful line, if it printed any.
    pub(crate) fn text(&self) -> Option<String> {
        let error = self
            .matched
            .as_ref()
            .or(self.late.front())
            .or(self.first.as_ref());
        let Some(error) = error else {
            return self.last.clone();
        };
        match &error.location {
            Some(place) if location(&error.text).is_none() => {
                Some(format!("{} ({place})", error.text))
            }
            _ => Some(error.text.clone()),
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
    fn an_error_that_it_went_on_after_is_no_reason() {
        let mut lines = vec!["cannot open the user configuration file /nowhere: No such file"];
        lines.extend(["tracing"; 20]);
        lines.extend(["Parse Error: Cannot open input file.", "Render failed"]);
        assert_eq!(
            of(&lines).as_deref(),
            Some("Parse Error: Cannot open input file.")
        );
        // One that nothing follows which looks like it still counts.
        assert_eq!(of(&lines[..21]).as_deref(), Some(lines[0]));
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
