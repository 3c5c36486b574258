//! The pure computation of True Path. Nothing in here touches a terminal, a process, a clock, a file
//! system or threads of its own.
//!
//! Data flows one way: the text of a job file is read into a [`job`] (by way of a [`toml_tree`]);
//! [`precedence`] says which of its values wins; [`deliverable`] expands it into what is to be made.
//! With a [`profile`] of its engine, [`command`] turns each into command lines. On top of that stand
//! the [`rules`] that check it, the [`plan`] of processes, and the [`script`]s that hold the plan. A
//! test keeps the modules free of cycles.

pub mod adopt;
pub mod alike;
pub mod at_least_one;
pub mod balance;
pub mod collide;
pub mod command;
pub mod configuration;
pub mod deliverable;
pub mod executor;
pub mod file_state;
pub mod finding;
pub mod fix;
pub mod forecast;
pub mod frame_progress;
pub mod frames;
pub mod hash_list;
pub mod hex;
pub mod job;
pub mod listing;
pub mod movie;
pub mod nearest;
pub mod overview;
pub mod pass;
pub mod picture;
pub mod plan;
pub mod precedence;
pub mod probes;
pub mod profile;
pub mod question;
pub mod queue;
pub mod quote;
pub mod renaming;
pub mod retry;
pub mod rules;
pub mod scene_facts;
pub mod schema;
pub mod script;
pub mod sequences;
pub mod source;
pub mod split;
pub mod spread;
pub mod start;
pub mod strip;
pub mod suspicion;
pub mod system;
pub mod template;
pub mod times;
pub mod token;
pub mod toml_tree;
pub mod visible;
