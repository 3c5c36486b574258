//! Lists of shots: whatever stands in the table, the job is read, and every finding points into it.
#![no_main]

use libfuzzer_sys::fuzz_target;
use truepath_core::job::read;

const JOB: &str = "[project]\nengine = \"understudy\"\n[output.frames]\npath = \"r/{shot}.{frame:04}.png\"\n\
                   [shot-list]\nfrom = \"shots.csv\"\n";

fuzz_target!(|text: &str| {
    let reading = read("truepath.toml", JOB, &[], &mut |_: &str| Ok(text.to_owned()));
    for label in reading.findings.iter().flat_map(|one| &one.labels) {
        let source = reading.job.sources.get(label.place.source);
        assert!(source.text.get(label.place.span.clone()).is_some());
    }
});
