//! The pure computation of True Path. Data flows one way:
//! text → job → deliverables → findings and plan → command lines.
//!
//! Nothing in here touches a terminal, a process, a clock or a file system.

pub mod adopt;
pub mod alike;
pub mod collide;
pub mod configuration;
pub mod deliverable;
pub mod engine;
pub mod finding;
pub mod forecast;
pub mod frames;
pub mod job;
pub mod layers;
pub mod listing;
pub mod fix;
pub mod movie;
pub mod nearest;
pub mod overview;
pub mod pass;
pub mod picture;
pub mod plan;
pub mod probes;
pub mod provenance;
pub mod question;
pub mod quote;
pub mod retry;
pub mod rules;
pub mod scene_facts;
pub mod schema;
pub mod script;
pub mod source;
pub mod start;
pub mod strip;
pub mod system;
pub mod template;
pub mod token;
pub mod visible;
