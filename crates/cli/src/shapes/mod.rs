//! The shapes of what commands print as JSON. Each is a type, so that its schema is generated.

pub(crate) mod audit;
pub(crate) mod clean;
pub(crate) mod compare;
pub(crate) mod dry_run;
pub(crate) mod engines;
pub(crate) mod findings;
pub(crate) mod gather;
pub(crate) mod matched;
pub(crate) mod overview;
pub(crate) mod passes;
pub(crate) mod paths;
pub(crate) mod queue;
pub(crate) mod rules;
pub(crate) mod scan;
pub(crate) mod status;
pub(crate) mod times;
pub(crate) mod tokens;
pub(crate) mod why;

/// The version of the shapes; it rises when something is taken out or changes its meaning.
pub(crate) const VERSION: u32 = 1;
