//! The tokens that profiles know besides those of paths.

use crate::token::TOKENS;

/// A token of a profile.
#[derive(Debug)]
pub struct EngineToken {
    /// Its name.
    pub name: &'static str,
    /// What it stands for.
    pub meaning: &'static str,
    /// Whether another value can make another picture. Files count by what they hold, and not by where
    /// they are.
    pub changes_picture: bool,
}

const fn token(name: &'static str, meaning: &'static str) -> EngineToken {
    EngineToken {
        name,
        meaning,
        changes_picture: true,
    }
}

const fn no_picture(name: &'static str, meaning: &'static str) -> EngineToken {
    EngineToken {
        name,
        meaning,
        changes_picture: false,
    }
}

/// Whether another value of a token can make another picture.
#[must_use]
pub fn can_change_picture(name: &str) -> bool {
    if name.starts_with("place.") {
        return false;
    }
    let of_engines = ENGINE_TOKENS.iter().find(|one| one.name == name);
    if let Some(facts) = of_engines {
        return facts.changes_picture;
    }
    // Settings, words of the engine and tokens of the project's own can.
    let of_paths = TOKENS.iter().find(|one| one.name == name);
    of_paths.is_none_or(|facts| facts.changes_picture)
}

/// Every token of profiles, besides those of paths, in the order of the reference.
pub const ENGINE_TOKENS: [EngineToken; 52] = [
    no_picture("scene.file", "the scene, an absolute path"),
    no_picture("scene.folder", "the folder of the scene"),
    no_picture("frame", "the frame of a process that renders one"),
    no_picture("first", "the first frame of the process"),
    no_picture("last", "the last frame of the process"),
    no_picture("frames", "the frames of the process, such as `1-9,12`"),
    no_picture(
        "frames.list",
        "each of them, a list in files that are given",
    ),
    no_picture("step", "the step between them"),
    token("clip.first", "the first frame of the shot"),
    token("clip.last", "the last frame of the shot"),
    no_picture("target", "where to write: the target's folder and name"),
    no_picture("target.folder", "the folder to write to, an absolute path"),
    no_picture("target.name", "the name to write, with its extension"),
    no_picture("target.stem", "that name without its extension"),
    token("target.extension", "the extension alone, without a dot"),
    no_picture("target.printf", "the target with `%04d` for the frame"),
    no_picture("target.hashes", "the target with `####` for the frame"),
    token("format", "the file format"),
    token("channels", "the channels of a pixel"),
    token("bits", "the bits of a channel"),
    token("compression", "how the file is compressed"),
    token("quality", "how well a lossy file keeps the picture"),
    token(
        "pixel-aspect",
        "width of a pixel by its height, a decimal number",
    ),
    token("crop.left", "left edge of the part, in pixels"),
    token("crop.top", "upper edge of the part, in pixels"),
    token("crop.width", "width of the part, in pixels"),
    token("crop.height", "height of the part, in pixels"),
    token(
        "together",
        "`yes` where a file holds several passes or views, else `no`",
    ),
    token(
        "passes",
        "each pass of the process, a list in files that are given",
    ),
    token(
        "views",
        "each view of the process, a list in files that are given",
    ),
    token("settings", "all settings, a table in files that are given"),
    token("key", "the name of a setting, with `each = \"settings\"`"),
    token("value", "its value, with `each = \"settings\"`"),
    no_picture("threads", "the threads of the process"),
    no_picture("prepared", "what the preparing step made of the scene"),
    token("transfer", "how linear pixels become ready for display"),
    token("pixel-values", "what pixels are: `linear` or `display`"),
    no_picture(
        "source.printf",
        "the frames of a movie, with `%04d` and the like for the number",
    ),
    no_picture("source.first", "the number of the first of them"),
    token("source.count", "how many they are"),
    token("source.format", "their file format"),
    token(
        "source.values",
        "what their pixels are: `linear` or `display`",
    ),
    token("source.alpha", "`yes` where they have alpha, else `no`"),
    token(
        "source.transfer",
        "how they become ready for display, where they are linear light",
    ),
    token("fps.fraction", "frames a second, `24000/1001` for 23.976"),
    token("seconds", "how long a movie is"),
    token("pixels", "how the pixels of a movie are stored"),
    token("movie-quality", "how good a movie is"),
    token("rate", "bits a second of a movie"),
    no_picture("audio", "the sound of a movie, an absolute path"),
    token("audio-codec", "how it is coded"),
    token(
        "map.NAME",
        "the engine's own word, from the table of that name",
    ),
];
