//! Engine profiles: how to speak to one program. Nothing about any engine is in the code.

mod arguments;
mod call;
mod cut;
mod explain;
mod given_file;
mod inputs;
mod keys;
pub mod learn;
mod orders;
mod overrides;
mod profile;
mod read;
mod setting;
mod source_files;
mod standing;
mod tokens;
mod words;

pub use keys::{PROFILE_KEYS, ProfileKey, ProfileKind, keys_of};

pub use arguments::{ArgumentError, arguments, fill};
pub use call::Call;
pub use explain::{Explained, profile_of_run};
pub use given_file::{Content, GivenFile, JsonTemplate, Language, literal};
pub use inputs::PictureInputs;
pub use orders::Orders;
pub use overrides::Overrides;

pub use profile::{
    Argument, Checkpoint, Each, LogKind, LogPattern, Naming, PassesTake, Preparation, Profile,
    Proof, Refusal, Takes, VersionQuery, ValueMap,
};
pub use read::read_profile;
pub use setting::{SettingFacts, SettingTakes};
pub use source_files::{SourceFiles, printf};
pub use standing::Standing;
pub use tokens::{ENGINE_TOKENS, EngineToken, can_change_picture};
pub use words::map_row;
