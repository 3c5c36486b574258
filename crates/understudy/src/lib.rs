//! The understudy: a simulated renderer. It draws real pictures of small scenes, names its files
//! in its own way, writes a log, and misbehaves when a scene asks for it.

mod draw;
mod lettering;
mod mishap;
mod render;
mod scene;

pub use mishap::Mishap;
pub use render::{RenderError, Request, SETTINGS, render};
pub use scene::{Camera, Planet, Scene, SceneError, Sun};
