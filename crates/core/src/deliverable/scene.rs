//! The file that is rendered, and others that the job names.

use crate::source::Place;

/// The file that is rendered, or another that the job names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scene {
    /// Its absolute path, with `/` between components.
    pub path: String,
    /// Where the job names it.
    pub place: Place,
}

impl Scene {
    /// Its folder.
    #[must_use]
    pub fn folder(&self) -> &str {
        self.path.rsplit_once('/').map_or("/", |(folder, _)| folder)
    }
}
