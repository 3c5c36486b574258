//! The tables of a job file.

/// The tables that a key may stand in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum TableKind {
    /// `[project]` and the top of a short job file.
    Project,
    /// `[shot.*]`
    Shot,
    /// `[pass.*]`
    Pass,
    /// `[output.*]`
    Output,
    /// `[output.X.pass.Y]`
    OutputPass,
    /// `[variant.*]`
    Variant,
    /// `[view.*]`
    View,
    /// `[shot.X.pass.Y]`
    ShotPass,
    /// `[shot.X.variant.Y]`
    ShotVariant,
    /// `[shot.X.view.Y]`
    ShotView,
    /// `[preset.*]`
    Preset,
    /// `--set KEY=VALUE`
    CommandLine,
}

impl TableKind {
    /// How the table is written, for messages and the reference.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Self::Project => "[project]",
            Self::Shot => "[shot.*]",
            Self::Pass => "[pass.*]",
            Self::Output => "[output.*]",
            Self::OutputPass => "[output.*.pass.*]",
            Self::Variant => "[variant.*]",
            Self::View => "[view.*]",
            Self::ShotPass => "[shot.*.pass.*]",
            Self::ShotVariant => "[shot.*.variant.*]",
            Self::ShotView => "[shot.*.view.*]",
            Self::Preset => "[preset.*]",
            Self::CommandLine => "--set",
        }
    }
}
