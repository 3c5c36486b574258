//! The grammar of frames, both ways.
//!
//! ```text
//! set   = list [ "not" list ]
//! list  = range { "," range }
//! range = frame [ "-" frame [ "/" step ] ]
//! frame = [ "-" ] digits
//! ```

use std::fmt;
use std::ops::Range;
use std::str::FromStr;

use super::{FARTHEST, Frame, FrameSet, StepRange};

/// Why a text is no set of frames, and where in it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct FramesError {
    /// What is wrong.
    pub message: String,
    /// Which bytes of the text.
    pub span: Range<usize>,
    /// What would work.
    pub advice: Option<String>,
}

struct FramesReader<'a> {
    text: &'a str,
    at: usize,
}

impl FromStr for FrameSet {
    type Err = FramesError;

    fn from_str(text: &str) -> Result<Self, FramesError> {
        let mut reader = FramesReader { text, at: 0 };
        let mut set = reader.list()?;
        if reader.word("not") {
            let without = reader.list()?;
            set = set
                .difference(&without)
                .map_err(|error| reader.error(0..text.len(), error.to_string(), None))?;
        }
        reader.spaces();
        if reader.at < text.len() {
            let span = reader.at..text.len();
            return Err(reader.error(
                span,
                format!("`{}` does not belong here", &text[reader.at..]),
                Some("frames are written like `1-96`, `1-96/4`, `1-10,20,30-40` or `1-96 not 5-7`"),
            ));
        }
        Ok(set)
    }
}

impl FramesReader<'_> {
    fn list(&mut self) -> Result<FrameSet, FramesError> {
        let mut ranges = vec![self.range()?];
        while self.sign(',') {
            ranges.push(self.range()?);
        }
        // In order, so that what was printed is joined again just as it was.
        ranges.sort_unstable();
        let mut set = FrameSet::empty();
        for range in ranges {
            set = set
                .union(&FrameSet::from_range(range))
                .map_err(|error| self.error(0..self.text.len(), error.to_string(), None))?;
        }
        Ok(set)
    }

    fn range(&mut self) -> Result<StepRange, FramesError> {
        self.spaces();
        let start = self.at;
        let first = self.frame()?;
        if !self.sign('-') {
            return Ok(StepRange::single(first));
        }
        let last = self.frame()?;
        let span = start..self.at;
        if last < first {
            return Err(self.error(
                span,
                format!("this range runs backwards, from {first} to {last}"),
                Some(&format!("write `{last}-{first}`")),
            ));
        }
        let step = if self.sign('/') {
            self.spaces();
            let start = self.at;
            let digits = self.digits();
            match digits.parse::<Frame>() {
                Ok(step) if (1..=FARTHEST).contains(&step) => step,
                _ => {
                    return Err(self.error(
                        start..self.at.max(start + 1).min(self.text.len().max(start)),
                        "the step of a range is a number from 1".to_owned(),
                        Some("every fourth frame is `1-96/4`"),
                    ));
                }
            }
        } else {
            1
        };
        StepRange::new(first, last, step)
            .ok_or_else(|| self.error(span, "this range is empty".to_owned(), None))
    }

    fn frame(&mut self) -> Result<Frame, FramesError> {
        self.spaces();
        let start = self.at;
        if self.text[self.at..].starts_with('-') {
            self.at += 1;
        }
        let digits = self.digits();
        if digits.is_empty() {
            let rest = self.text[start..].chars().next();
            let end = start + rest.map_or(0, char::len_utf8);
            return Err(self.error(
                start..end,
                rest.map_or_else(
                    || "a frame number is missing here".to_owned(),
                    |found| format!("a frame number was expected, not `{found}`"),
                ),
                Some("frames are written like `1-96`, `1-96/4`, `1-10,20,30-40` or `1-96 not 5-7`"),
            ));
        }
        match self.text[start..self.at].parse::<Frame>() {
            Ok(frame) if frame.abs() <= FARTHEST => Ok(frame),
            _ => Err(self.error(
                start..self.at,
                format!("no frame is further from zero than {FARTHEST}"),
                None,
            )),
        }
    }

    fn digits(&mut self) -> &str {
        let start = self.at;
        let rest = &self.text[start..];
        self.at += rest
            .find(|c: char| !c.is_ascii_digit())
            .unwrap_or(rest.len());
        &self.text[start..self.at]
    }

    fn spaces(&mut self) {
        let rest = &self.text[self.at..];
        self.at += rest.len() - rest.trim_start().len();
    }

    fn sign(&mut self, sign: char) -> bool {
        self.spaces();
        let found = self.text[self.at..].starts_with(sign);
        if found {
            self.at += sign.len_utf8();
        }
        found
    }

    fn word(&mut self, word: &str) -> bool {
        self.spaces();
        let found = self.text[self.at..].starts_with(word);
        if found {
            self.at += word.len();
        }
        found
    }

    fn error(&self, span: Range<usize>, message: String, advice: Option<&str>) -> FramesError {
        let mut end = span.end.min(self.text.len());
        // What was expected to be a digit may be longer than one byte.
        while !self.text.is_char_boundary(end) {
            end += 1;
        }
        FramesError {
            message,
            span: span.start.min(end)..end,
            advice: advice.map(str::to_owned),
        }
    }
}

impl fmt::Display for StepRange {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (first, last) = (self.first(), self.last());
        if first == last {
            write!(out, "{first}")
        } else if self.step() == 1 {
            write!(out, "{first}-{last}")
        } else {
            write!(out, "{first}-{last}/{}", self.step())
        }
    }
}

impl fmt::Display for FrameSet {
    /// The shortest list that parses back to the same set; nothing for the empty set.
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, range) in self.ranges().iter().enumerate() {
            if index > 0 {
                out.write_str(",")?;
            }
            write!(out, "{range}")?;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn frames(text: &str) -> Vec<Frame> {
        text.parse::<FrameSet>().unwrap().iter().collect()
    }

    #[test]
    fn reads_every_form() {
        assert_eq!(frames("5"), [5]);
        assert_eq!(frames(" 1 - 4 "), [1, 2, 3, 4]);
        assert_eq!(frames("1-10/4"), [1, 5, 9]);
        assert_eq!(frames("-3--1"), [-3, -2, -1]);
        assert_eq!(frames("-1-1"), [-1, 0, 1]);
        assert_eq!(frames("7,1-3,2-4"), [1, 2, 3, 4, 7]);
        assert_eq!(frames("1-9 not 2-8/2"), [1, 3, 5, 7, 9]);
        assert!(frames("3 not 1-9").is_empty());
    }

    #[test]
    fn prints_back_what_it_means() {
        for (text, printed) in [
            ("1-96", "1-96"),
            ("1-96/4", "1-93/4"),
            ("3,1,2", "1-3"),
            ("1,5", "1,5"),
            ("1-96 not 5-7", "1-4,8-96"),
            ("1-1000000000", "1-1000000000"),
            ("1-5/2,7", "1-7/2"),
        ] {
            assert_eq!(text.parse::<FrameSet>().unwrap().to_string(), printed);
        }
    }

    #[test]
    fn says_what_is_wrong_and_where() {
        for (text, span, part) in [
            ("10-1", 0..4, "backwards"),
            ("", 0..0, "missing"),
            ("1-", 2..2, "missing"),
            ("1-9/0", 4..5, "step"),
            ("1-9/é", 4..6, "step"),
            ("1-9,x", 4..5, "`x`"),
            ("1-9 bis 5", 4..9, "`bis 5`"),
            ("99999999999999999999", 0..20, "further from zero"),
        ] {
            let error = text.parse::<FrameSet>().unwrap_err();
            assert!(error.message.contains(part), "{text}: {error}");
            assert_eq!(error.span, span, "{text}");
        }
    }
}
