//! Where a value comes from: which text, which bytes of it, and which level of the job.

use std::ops::Range;
use std::sync::Arc;

/// Number of a text among the [`Sources`] of a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct SourceId(pub u16);

/// What kind of text a source is; decides how a finding points at it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SourceKind {
    /// A file that somebody wrote.
    File,
    /// An argument of the command line.
    Argument,
    /// A text inside the program.
    BuiltIn,
}

/// One text that values are read from.
#[derive(Debug, Clone)]
pub struct Source {
    /// How it is called in messages: a path as the user gave it, or the option's name.
    pub name: String,
    /// Its whole text.
    pub text: Arc<str>,
    /// What kind of text it is.
    pub kind: SourceKind,
}

/// All texts of a job, in the order in which they were read.
#[derive(Debug, Clone, Default)]
pub struct Sources(Vec<Source>);

impl Sources {
    /// Adds a text and gives it its number.
    pub fn add(&mut self, name: impl Into<String>, text: &str, kind: SourceKind) -> SourceId {
        let id = SourceId(u16::try_from(self.0.len()).unwrap_or(u16::MAX));
        self.0.push(Source {
            name: name.into(),
            text: Arc::from(text),
            kind,
        });
        id
    }

    /// The text with this number.
    #[must_use]
    pub fn get(&self, id: SourceId) -> &Source {
        &self.0[usize::from(id.0)]
    }

    /// The names of all files, in the order in which they were read.
    pub fn files(&self) -> impl Iterator<Item = &str> {
        let files = self.0.iter().filter(|one| one.kind == SourceKind::File);
        files.map(|one| one.name.as_str())
    }

    /// Whether one of the texts holds these words.
    #[must_use]
    pub fn mention(&self, words: &str) -> bool {
        self.0.iter().any(|source| source.text.contains(words))
    }

    /// Line and column, both from 1, of a place; the column counts characters.
    #[must_use]
    pub fn line_and_column(&self, place: &Place) -> (usize, usize) {
        let text = &self.get(place.source).text;
        let mut start = place.span.start.min(text.len());
        while !text.is_char_boundary(start) {
            start -= 1;
        }
        let before = &text[..start];
        let line = before.matches('\n').count() + 1;
        let column = before
            .rsplit('\n')
            .next()
            .map_or(0, |tail| tail.chars().count())
            + 1;
        (line, column)
    }
}

/// Some bytes of one text.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Place {
    /// Which text.
    pub source: SourceId,
    /// Which bytes of it.
    pub span: Range<usize>,
}

impl Place {
    /// Whether another place lies in it.
    #[must_use]
    pub fn contains(&self, other: &Self) -> bool {
        self.source == other.source
            && (self.span.start <= other.span.start && other.span.end <= self.span.end)
    }

    /// The place of `part` (bytes) of a text of `length` bytes that stands here. A text that is
    /// written with escapes is longer on paper than in memory: then it is the whole place.
    #[must_use]
    pub fn part(&self, length: usize, part: Range<usize>) -> Self {
        if self.span.len() != length {
            return self.clone();
        }
        Self {
            source: self.source,
            span: self.span.start + part.start..self.span.start + part.end,
        }
    }
}

/// The layers of a job, the later wins over the earlier.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Level {
    /// What the program assumes when nothing is set.
    BuiltIn,
    /// `[project]`, or the top of a short job file.
    Project,
    /// `[output.*]`
    Output,
    /// `[pass.*]`
    Pass,
    /// `[output.X.pass.Y]`
    OutputPass,
    /// `[shot.*]`
    Shot,
    /// `[shot.X.pass.Y]`
    ShotPass,
    /// `[variant.*]`, with what it inherits.
    Variant,
    /// `[view.*]`
    View,
    /// `[shot.X.variant.Y]`
    ShotVariant,
    /// `[shot.X.view.Y]`
    ShotView,
    /// `[preset.*]`
    Preset,
    /// `--set KEY=VALUE`
    CommandLine,
    /// What a person or machine says about itself.
    Configuration,
}

impl Level {
    /// How the level is called in messages.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Self::BuiltIn => "built in",
            Self::Project => "project",
            Self::Output => "output",
            Self::Pass => "pass",
            Self::OutputPass => "pass of the output",
            Self::Shot => "shot",
            Self::ShotPass => "pass of the shot",
            Self::Variant => "variant",
            Self::View => "view",
            Self::ShotVariant => "variant of the shot",
            Self::ShotView => "view of the shot",
            Self::Preset => "preset",
            Self::CommandLine => "command line",
            Self::Configuration => "your configuration",
        }
    }
}

/// A value that knows where it was written and which level holds it.
#[derive(Debug, Clone, PartialEq)]
pub struct Sourced<T> {
    /// The value itself.
    pub value: T,
    /// The level that holds it.
    pub level: Level,
    /// Where it was written.
    pub place: Place,
}

impl<T> Sourced<T> {
    /// The same source with another value.
    pub fn map<U>(self, change: impl FnOnce(T) -> U) -> Sourced<U> {
        Sourced {
            value: change(self.value),
            level: self.level,
            place: self.place,
        }
    }

    /// The same source with a value made from a reference to this one.
    pub fn with<U>(&self, value: U) -> Sourced<U> {
        Sourced {
            value,
            level: self.level,
            place: self.place.clone(),
        }
    }
}
