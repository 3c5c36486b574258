//! Profiles: whatever stands in one, it is read, and every finding points into the text.
#![no_main]

use libfuzzer_sys::fuzz_target;
use truepath_core::profile::read_profile;
use truepath_core::source::{SourceKind, Sources};

fuzz_target!(|text: &str| {
    let mut sources = Sources::default();
    if let Err(findings) = read_profile("lamp.toml", text, SourceKind::File, &mut sources) {
        for label in findings.iter().flat_map(|one| &one.labels) {
            let source = sources.get(label.place.source);
            assert!(source.text.get(label.place.span.clone()).is_some());
        }
    }
});
