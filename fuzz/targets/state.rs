//! The record of a run and the card of one at work: whatever stands in them, it is read or refused.
#![no_main]

use std::fs;
use std::time::Duration;

use libfuzzer_sys::fuzz_target;
use truepath_runner::StateFolder;
use truepath_runner::presence::Sessions;
use truepath_runner::when;

fuzz_target!(|bytes: &[u8]| {
    let folder = tempfile::tempdir_in("/dev/shm").unwrap();
    fs::create_dir(folder.path().join("sessions")).unwrap();
    fs::write(folder.path().join("run-truepath.toml.json"), bytes).unwrap();
    fs::write(folder.path().join("sessions/0001"), bytes).unwrap();
    fs::write(folder.path().join("sessions/0001.beat"), bytes).unwrap();
    let state = StateFolder::new(folder.path().to_owned());
    let _ = when::latest(&state, "truepath.toml");
    let _ = Sessions::of(&state, Duration::from_secs(30)).state(1);
});
