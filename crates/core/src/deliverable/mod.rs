//! Deliverables: what is to be made, fully expanded but for the frame.
//!
//! [`expand`] takes one shot after another. `walk` lists what the job asks of it, each a `Request`;
//! `resolve` finds what the deliverables of a request share ([`Common`]: engine, frames, scene,
//! version), `picture` and `movie` what their files must be, and `make` fills in the paths. A movie
//! asks `make` for the sequence that it is assembled from. What stands in the way of a deliverable
//! is a [`Problem`] of the [`Expansion`], which rules report.

mod clip;
mod common;
mod context;
mod encoder;
mod engine;
mod expand;
mod expansion;
mod id;
mod make;
mod model;
mod movie;
mod origin;
mod picture;
mod planes;
mod problem;
mod request;
mod resolve;
mod root;
mod scene;
mod selection;
mod share;
mod sources;
mod surroundings;
mod values;
mod version;
mod walk;
mod wanted;

pub use crate::job::PathTemplate;
pub use common::{Common, Frames, Limits, Names, Processes};
pub(crate) use encoder::beyond_built_in;
pub(crate) use expand::MOST_DELIVERABLES;
pub use expand::expand;
pub use expansion::Expansion;
pub use id::DeliverableId;
pub use model::{Deliverable, DeliverableKind, LayerSource};
pub use movie::{Movie, Sound};
pub use origin::{Origin, origins, settings_of_key};
pub use picture::{Color, Picture};
pub use planes::Plane;
pub use problem::{Problem, ProblemKind};
pub use root::absolute;
pub use scene::Scene;
pub use selection::{Selection, SelectionError};
pub use share::Share;
pub use surroundings::{Person, ProjectValues, Surroundings};
pub use wanted::{MOST_FILES, MOST_FRAMES, MadeFrom, WantedFile, WantedFiles};
