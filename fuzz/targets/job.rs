//! Job files: whatever stands in one, it is read, expanded and checked, and every finding points
//! into the text.
#![no_main]

use std::sync::Arc;
use std::sync::LazyLock;

use libfuzzer_sys::fuzz_target;
use truepath_core::deliverable::{Person, Selection, Surroundings, expand};
use truepath_core::profile::read_profile;
use truepath_core::finding::Finding;
use truepath_core::job::{no_files, read};
use truepath_core::question::Answers;
use truepath_core::rules::{Subject, check};
use truepath_core::system::System;
use truepath_core::source::{SourceKind, Sources};

static SURROUNDINGS: LazyLock<Surroundings> = LazyLock::new(|| {
    let mut sources = Sources::default();
    let profiles = [
        include_str!("../../engines/understudy.toml"),
        include_str!("../../engines/povray.toml"),
    ];
    Surroundings {
        job_folder: "/work/show".to_owned(),
        system: System::Linux,
        person: Person::default(),
        began: None,
        scene_frames: Default::default(),
        executor: &truepath_core::executor::OneThread,
        profiles: profiles
            .iter()
            .filter_map(|text| read_profile("p", text, SourceKind::BuiltIn, &mut sources).ok())
            .map(Arc::new)
            .collect(),
    }
});

fuzz_target!(|text: &str| {
    let reading = read("truepath.toml", text, &[], &mut no_files);
    let points = |finding: &Finding| {
        for label in &finding.labels {
            let source = reading.job.sources.get(label.place.source);
            assert!(source.text.get(label.place.span.clone()).is_some(), "{finding:?}");
        }
    };
    reading.findings.iter().for_each(points);
    if !reading.is_sound() {
        return;
    }
    let expansion = expand(&reading.job, &SURROUNDINGS, &Selection::default());
    for one in &expansion.deliverables {
        let path = one.path(one.common.frames.files.value.first().unwrap_or(0));
        assert!(path.starts_with(&*one.root), "{path} leaves {}", one.root);
    }
    let answers = Answers::default();
    check(&Subject::new(&reading.job, &expansion, &SURROUNDINGS, &answers)).iter().for_each(points);
});
