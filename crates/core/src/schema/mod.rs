//! JSON Schemas (draft 2020-12) of the files that people write, made from the same tables that
//! read them: an editor completes and checks while one types.

mod job;
mod kind;
mod profile;

pub use job::job_schema;
pub use profile::profile_schema;

/// The dialect of the schemas.
const DIALECT: &str = "https://json-schema.org/draft/2020-12/schema";
