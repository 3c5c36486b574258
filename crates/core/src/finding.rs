//! What a reader or a rule has to say about a job, a plan or the files on disk.

use crate::frames::FrameSet;
use crate::source::Place;

/// How grave a finding is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Frames would be lost, wrong or not made: nothing is rendered.
    Error,
    /// Likely not meant.
    Warning,
    /// Worth knowing.
    Note,
}

/// A place in a text with a remark.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Label {
    /// Where.
    pub place: Place,
    /// What; may be empty.
    pub text: String,
}

/// One finding. The first label is the main place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// Code such as `TP101`.
    pub code: &'static str,
    /// How grave it is.
    pub severity: Severity,
    /// One sentence without a full stop.
    pub sentence: String,
    /// The places it is about, the main one first.
    pub labels: Vec<Label>,
    /// What would happen, in numbers.
    pub consequence: Option<String>,
    /// What to do about it.
    pub advice: Vec<String>,
    /// Replacements that fix it, all of them together; none where people have to decide.
    pub fixes: Vec<Fix>,
    /// The frames that it is about, where it is about some of one deliverable.
    pub frames: Option<FramesFound>,
}

/// Frames that a finding is about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FramesFound {
    /// The label of their deliverable.
    pub deliverable: String,
    /// The path of their deliverable, with its frame field.
    pub path: String,
    /// Which frames.
    pub frames: FrameSet,
}

/// A text to put in place of another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fix {
    /// What is replaced.
    pub place: Place,
    /// What stands there then.
    pub text: String,
}

impl Severity {
    /// The word for it.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Self::Error => "error",
            Self::Warning => "warning",
            Self::Note => "note",
        }
    }
}

impl Finding {
    /// A finding with a sentence and nothing else yet.
    pub fn new(code: &'static str, severity: Severity, sentence: impl Into<String>) -> Self {
        Self {
            code,
            severity,
            sentence: sentence.into(),
            labels: Vec::new(),
            consequence: None,
            advice: Vec::new(),
            fixes: Vec::new(),
            frames: None,
        }
    }

    /// An error with a sentence and nothing else yet.
    pub fn error(code: &'static str, sentence: impl Into<String>) -> Self {
        Self::new(code, Severity::Error, sentence)
    }

    /// Points at a place.
    #[must_use]
    pub fn at(mut self, place: &Place, text: impl Into<String>) -> Self {
        self.labels.push(Label {
            place: place.clone(),
            text: text.into(),
        });
        self
    }

    /// Says which frames of a deliverable it is about.
    #[must_use]
    pub(crate) fn about(mut self, deliverable: String, path: String, frames: FrameSet) -> Self {
        self.frames = Some(FramesFound {
            deliverable,
            path,
            frames,
        });
        self
    }

    /// Says what would happen.
    #[must_use]
    pub fn so(mut self, consequence: impl Into<String>) -> Self {
        self.consequence = Some(consequence.into());
        self
    }

    /// Says what to do, where that is known.
    #[must_use]
    pub(crate) fn advise_some(self, advice: Option<String>) -> Self {
        match advice {
            Some(advice) => self.advise(advice),
            None => self,
        }
    }

    /// Says what to do.
    #[must_use]
    pub fn advise(mut self, advice: impl Into<String>) -> Self {
        self.advice.push(advice.into());
        self
    }
}

impl Finding {
    /// Says how it is fixed.
    #[must_use]
    pub fn fix(mut self, place: &Place, text: impl Into<String>) -> Self {
        self.fixes.push(Fix {
            place: place.clone(),
            text: text.into(),
        });
        self
    }
}

/// `1 frame`, `2 frames`, `12 000 frames`: a count with its word.
#[must_use]
pub fn count(number: u64, one: &str, many: &str) -> String {
    format!(
        "{} {}",
        grouped(number),
        if number == 1 { one } else { many }
    )
}

/// A number with its digits in groups of three, from 10 000 on.
#[must_use]
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    if digits.len() < 5 {
        return digits;
    }
    let mut out = String::new();
    for (index, digit) in digits.chars().enumerate() {
        if index > 0 && (digits.len() - index).is_multiple_of(3) {
            out.push(' ');
        }
        out.push(digit);
    }
    out
}
