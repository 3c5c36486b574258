//! The engine profiles that ship: a new one is a file in `engines/` and a line here.

/// Name and text of each.
pub(crate) const SHIPPED: &[(&str, &str)] = &[
    ("understudy", include_str!("../engines/understudy.toml")),
    ("povray", include_str!("../engines/povray.toml")),
    ("tachyon", include_str!("../engines/tachyon.toml")),
    ("python", include_str!("../engines/python.toml")),
    #[cfg(feature = "movies")]
    ("built-in", include_str!("../engines/built-in.toml")),
    (
        "built-in-layers",
        include_str!("../engines/built-in-layers.toml"),
    ),
    ("ffmpeg", include_str!("../engines/ffmpeg.toml")),
];
