//! What pictures a run stops at.

/// What pictures a run stops at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StopOn {
    /// Pixels that are not a number, or infinite.
    BrokenValues,
    /// Every pixel is black.
    Black,
    /// Every pixel has the same color.
    OneColor,
    /// Alpha is 0 or 1 everywhere, though it was asked for.
    ConstantAlpha,
    /// The same pixels under two names.
    SamePicture,
}

impl StopOn {
    /// All of them.
    pub const ALL: [Self; 5] = [
        Self::BrokenValues,
        Self::Black,
        Self::OneColor,
        Self::ConstantAlpha,
        Self::SamePicture,
    ];

    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::BrokenValues => "broken-values",
            Self::Black => "black",
            Self::OneColor => "one-color",
            Self::ConstantAlpha => "constant-alpha",
            Self::SamePicture => "same-picture",
        }
    }

    /// The one with this word.
    #[must_use]
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.name() == name)
    }
}
