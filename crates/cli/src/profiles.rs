//! The engine profiles that ship: a new one is a file in `engines/` and a line here.

/// Name and text of each.
pub(crate) const SHIPPED: [(&str, &str); 2] = [
    (
        "engines/understudy.toml",
        include_str!("../../../engines/understudy.toml"),
    ),
    (
        "engines/povray.toml",
        include_str!("../../../engines/povray.toml"),
    ),
];
