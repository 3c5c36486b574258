//! What there is to know about a token.

/// What there is to know about a token.
#[derive(Debug, Clone, Copy)]
pub struct TokenFacts {
    /// Its name; `place.NAME`, `settings.NAME` and `map.NAME` stand for many.
    pub name: &'static str,
    /// What it stands for in templates of paths; none where only profiles know it.
    pub meaning: Option<&'static str>,
    /// What it stands for in profiles, where that is something else or templates do not know it.
    pub meaning_in_profiles: Option<&'static str>,
    /// What kind of value it has in templates.
    pub kind: ValueKind,
    /// Where its value is set.
    pub origin: SetBy,
    /// Whether it has another value in another process of the same deliverables.
    pub varies_by_process: bool,
    /// Whether another value can make another picture, where it reaches the engine. Files count by what
    /// they hold, and not by where they are.
    pub changes_picture: bool,
    /// What the scene decides where the engine is not given this token: several tokens may stand for one
    /// decision, as width and height do for the size.
    pub decision: Option<&'static str>,
}

/// What kind of value a token has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueKind {
    /// A component of a path, or a piece of one.
    Text,
    /// A whole number.
    Number,
    /// A whole path.
    Path,
    /// A date and time.
    Date,
    /// A list or a table, for files that are given to engines.
    Many,
}

/// Where the value of a token is set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SetBy {
    /// By a key of the job, by its name.
    Key(&'static str),
    /// By a key of the job; of a movie by another one.
    KeyOrMovieKey(&'static str, &'static str),
    /// By the name of the shot's table.
    ShotName,
    /// By the name of the output's table.
    OutputName,
    /// By `[place]`.
    Place,
    /// By an entry of `settings`.
    Setting,
    /// By `crop`, else by `size`.
    Size,
    /// By `format` or the movie's container, else by the end of the path.
    Extension,
    /// By `run` or `engine`.
    Engine,
    /// By nobody: it follows from the process, the machine, the user or the clock.
    Nobody,
}

/// A token of templates, which profiles know too.
pub(super) const fn template(meaning: &'static str, kind: ValueKind, origin: SetBy) -> TokenFacts {
    TokenFacts {
        name: "",
        meaning: Some(meaning),
        meaning_in_profiles: None,
        kind,
        origin,
        varies_by_process: false,
        changes_picture: true,
        decision: None,
    }
}

/// A token that only profiles know.
pub(super) const fn profile(meaning: &'static str) -> TokenFacts {
    TokenFacts {
        meaning: None,
        meaning_in_profiles: Some(meaning),
        ..template("", ValueKind::Text, SetBy::Nobody)
    }
}

impl TokenFacts {
    pub(super) const fn named(mut self, name: &'static str) -> Self {
        self.name = name;
        self
    }

    pub(super) const fn in_profiles(mut self, meaning: &'static str) -> Self {
        self.meaning_in_profiles = Some(meaning);
        self
    }

    pub(super) const fn varying(mut self) -> Self {
        self.varies_by_process = true;
        self
    }

    pub(super) const fn without_picture(mut self) -> Self {
        self.changes_picture = false;
        self
    }

    pub(super) const fn many(mut self) -> Self {
        self.kind = ValueKind::Many;
        self
    }

    pub(super) const fn decides(mut self, what: &'static str) -> Self {
        self.decision = Some(what);
        self
    }
}
