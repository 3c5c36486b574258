//! What the values of pixels are.

/// What the values of pixels are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PixelValues {
    /// Light of the scene, in proportion.
    Linear,
    /// Ready for display.
    Display,
    /// No light at all: depth, mattes, names of objects.
    Data,
}

impl PixelValues {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Linear, Self::Display, Self::Data];

    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Linear => "linear",
            Self::Display => "display",
            Self::Data => "data",
        }
    }

    /// The one with this word.
    #[must_use]
    pub fn of_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|one| one.name() == name)
    }
}
