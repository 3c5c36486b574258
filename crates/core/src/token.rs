//! Every token that templates know.

/// What there is to know about a token.
#[derive(Debug)]
pub struct TokenFacts {
    /// Its name; `place.NAME` and `settings.NAME` stand for many.
    pub name: &'static str,
    /// What it stands for.
    pub meaning: &'static str,
    /// Whether another value can make another picture, where it reaches the engine.
    pub changes_picture: bool,
}

const fn token(name: &'static str, meaning: &'static str) -> TokenFacts {
    TokenFacts {
        name,
        meaning,
        changes_picture: true,
    }
}

/// A token of which another value never makes another picture: who, when, where, and the frame, which
/// is the picture's own.
const fn no_picture(name: &'static str, meaning: &'static str) -> TokenFacts {
    TokenFacts {
        name,
        meaning,
        changes_picture: false,
    }
}

/// The tokens of templates, in the order of the reference.
pub const TOKENS: [TokenFacts; 27] = [
    token("project", "the project's name"),
    no_picture(
        "place.NAME",
        "a folder of `[place]`; also `place.job` and `place.scene`",
    ),
    token("shot", "the shot's name"),
    token("scene", "the scene's file name without its extension"),
    token("variant", "the variant"),
    token("view", "the view"),
    token("pass", "the pass"),
    token("camera", "the camera"),
    token("preset", "the preset"),
    token("engine", "the engine's name"),
    token("output", "the output's name"),
    token("version", "the version, a number"),
    no_picture("frame", "the frame, a number"),
    token("first", "the first frame of the shot"),
    token("last", "the last frame of the shot"),
    token("count", "how many frames the shot has"),
    token("width", "pixels in a row of the file"),
    token("height", "rows of pixels of the file"),
    token("fps", "frames a second"),
    token("ext", "the extension of the format, without a dot"),
    token("codec", "how the pictures of a movie are coded"),
    token("container", "the kind of a movie file"),
    no_picture("user", "the user's name on this machine"),
    no_picture(
        "artist",
        "the artist, from your configuration, else the user",
    ),
    no_picture("host", "this machine's name"),
    no_picture("date", "when the run began, such as `{date:%Y%m%d}`"),
    token("settings.NAME", "a setting that is handed to the engine"),
];

/// Whether a name is taken by a token that is built in.
#[must_use]
pub fn is_built_in(name: &str) -> bool {
    TOKENS.iter().any(|facts| facts.name == name)
}
