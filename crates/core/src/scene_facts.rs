//! What a scene has, as its engine or a file beside it says.

use crate::movie::Fps;

/// What a scene has; what is not stated is not known.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SceneFacts {
    /// Its frames, such as `1-96`.
    pub frames: Option<String>,
    /// Its size in pixels, such as `512x512`.
    pub size: Option<String>,
    /// Frames per second.
    pub fps: Option<Fps>,
    /// Its cameras.
    pub cameras: Option<Vec<String>>,
    /// The camera that it is seen from when none is asked for.
    pub camera: Option<String>,
    /// The passes that it can give.
    pub passes: Option<Vec<String>>,
    /// The settings that it knows.
    pub settings: Option<Vec<String>>,
    /// The files that it needs, absolute or relative to its folder.
    pub files: Option<Vec<String>>,
}
