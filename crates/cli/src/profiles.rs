//! The engine profiles that ship: a new one is a file in `engines/` and a line here.

/// Name and text of each.
pub(crate) const SHIPPED: [(&str, &str); 5] = [
    (
        "engines/understudy.toml",
        include_str!("../../../engines/understudy.toml"),
    ),
    (
        "engines/povray.toml",
        include_str!("../../../engines/povray.toml"),
    ),
    (
        "engines/tachyon.toml",
        include_str!("../../../engines/tachyon.toml"),
    ),
    (
        "engines/python.toml",
        include_str!("../../../engines/python.toml"),
    ),
    (
        "engines/ffmpeg.toml",
        include_str!("../../../engines/ffmpeg.toml"),
    ),
];
