//! Sets of frames: `1-96`, `1-96/4`, `1-10,20,30-40`, `1-96 not 5-7`, `-10--1`.
//!
//! A set stays a short list of ranges, however many frames it has.

mod parse;
mod set;
mod step_range;

pub use parse::FramesError;
pub use set::{FrameSet, TooIntricate};
pub use step_range::StepRange;

/// A frame number.
pub type Frame = i64;

/// No frame number is further from zero than this.
pub const FARTHEST: Frame = 999_999_999_999;
