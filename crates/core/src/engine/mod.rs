//! Engine profiles: how to speak to one program. Nothing about any engine is in the code.

mod arguments;
mod cut;
mod keys;
pub mod learn;
mod profile;
mod read;

pub use keys::{PROFILE_KEYS, ProfileKey, ProfileKind, keys_of};

pub use arguments::{ArgumentError, Call, arguments, fill, word_row};

pub use profile::{
    Argument, Each, LogKind, LogPattern, Naming, PassesTake, Profile, Refusal, Takes, VersionQuery,
    WordTable,
};
pub use read::read_profile;
