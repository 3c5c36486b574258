//! JSON Schemas (draft 2020-12) of the files that people write, made from the same tables that
//! read them: an editor completes and checks while one types.

mod job;
mod profile;

pub use job::job_schema;
pub use profile::profile_schema;

use serde_json::{Map, Value, json};

/// The dialect of the schemas.
const DIALECT: &str = "https://json-schema.org/draft/2020-12/schema";

/// Puts the schema of a key among those of its table; a key with a dot into a table of its own.
fn put(properties: &mut Map<String, Value>, name: &str, schema: Value) {
    match name.split_once('.') {
        None => {
            properties.insert(name.to_owned(), schema);
        }
        Some((group, name)) => {
            let entry = properties.entry(group).or_insert_with(
                || json!({ "type": "object", "properties": {}, "additionalProperties": false }),
            );
            entry["properties"][name] = schema;
        }
    }
}
