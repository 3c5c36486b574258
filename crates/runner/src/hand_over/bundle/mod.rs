//! Bundles: a part of a job in one folder, for a machine that shares nothing with this one.
//!
//! - [`PackPlan`] says what goes into the bundles; [`Packer`] writes them, and loads each again to see that it makes the
//!   same pictures.
//! - [`BundleList`] is what a bundle says of itself: its part, and the hash of each packed file.
//! - `archive` makes one file of a bundle, and unpacks it.
//! - [`gather`] brings the frames of bundles home to their true names, and never replaces one.

mod archive;
mod frame_taker;
mod gather;
mod list;
mod pack;
mod pack_error;
mod pack_plan;
mod packed_files;
mod packing;

pub use gather::{GatherError, GatherOptions, GatherReport, Gathered, gather};
pub use list::{BundleError, BundleList, LIST_FILE, PackedDeliverable, PackedFile};
pub use pack::{Extras, PackedBundle, Packer};
pub use pack_error::PackError;
pub use pack_plan::{PackOptions, PackPlan, PartPlan};
