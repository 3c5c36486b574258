//! Engine profiles: what a profile says about one program. Nothing about any engine is in the code.
//!
//! [`read_profile`] reads the text by the table of `keys` into a [`Profile`], which is data and does
//! nothing: [`crate::command`] makes command lines of it, [`crate::schema`] a schema of the table.
//! A `run` line of a job is turned into a profile as well (`run_line`), so that all that follows
//! knows profiles only. `explain` puts one into words.

mod explain;
mod given_file;
mod keys;
mod known;
mod log_pattern;
mod model;
mod read;
mod run_line;
mod scene_file_names;
mod setting;
mod takes;

pub use explain::ExplainedEntry;
pub use given_file::{Content, GivenFile, JsonTemplate, Language};
pub(crate) use keys::keys_of;
pub use keys::{PROFILE_KEYS, ProfileKey, ProfileKind};
pub use known::Profiles;
pub use log_pattern::{LogKind, LogPattern};
pub use model::{
    Argument, Checkpoint, Each, Makes, MovieProof, Naming, PassesPerProcess, Preparation, Profile,
    Rejection, ValueMap, VersionQuery,
};
pub use read::read_profile;
pub use run_line::profile_of_run;
pub use scene_file_names::{SceneFileFinder, SceneFileNames};
pub use setting::{SettingFacts, SettingTakes};
pub use takes::FramesPerProcess;
