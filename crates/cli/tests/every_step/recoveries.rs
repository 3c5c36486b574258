//! Recoveries of recoveries: up to three runs are stopped one after another, each at any of its operations, so that each
//! recovers what those before it were recovering. The last one always ends, and nothing is lost or made twice.

use std::collections::BTreeMap;
use std::time::{Duration, Instant};

use truepath_runner::disk::RealDisk;
use truepath_runner::make::run::Policy;

use crate::common::{Chance, number, wrote};
use crate::faults::{Fault, FaultyDisk, render};
use crate::{bytes, project, staging_folders, undisturbed};

/// Stops runs at these operations, and lets the next one go on.
fn stopped(whole: &BTreeMap<String, Vec<u8>>, at: &[u64]) {
    let shown = format!("stopped at {at:?}");
    let project = project("");
    for operation in at {
        let disk = FaultyDisk::new(*operation, Fault::Stop);
        let _ = render(&project, &disk, Policy::default());
        for (name, bytes) in bytes(&project) {
            assert_eq!(bytes, whole[&name], "{shown}: {name} is not whole");
        }
    }
    let since = Instant::now();
    let report = render(&project, &RealDisk, Policy::default());
    let report = report.unwrap_or_else(|error| panic!("{shown}: {error}"));
    assert!(report.is_complete(), "{shown}: {report:?}");
    assert!(
        since.elapsed() < Duration::from_secs(60),
        "{shown}: it stood"
    );
    assert_eq!(&bytes(&project), whole, "{shown}");
    assert_eq!(staging_folders(&project), [""; 0], "{shown}");
    let mut times: BTreeMap<String, u32> = BTreeMap::new();
    // Of a line that is cut off in a log nobody knows which picture it names.
    let whole_lines = wrote(&project).into_iter();
    for line in whole_lines.filter(|line| line.ends_with(".png")) {
        *times.entry(line).or_default() += 1;
    }
    for (line, times) in times {
        assert_eq!(times, 1, "{shown}: {line} more than once");
    }
    assert!(!project.path(".truepath/claims").exists(), "{shown}");
    let mut sessions = project.files(".truepath/sessions");
    // A run that was stopped before it began may still be about to begin, for all that others know.
    sessions.retain(|name| !name.ends_with(".wants"));
    assert_eq!(sessions, [""; 0], "{shown}");
}

#[test]
fn runs_that_recover_what_others_were_recovering_are_stopped_anywhere() {
    let (whole, operations) = undisturbed();
    let rounds = number("TRUEPATH_TEST_ROUNDS", 40);
    let seed = number("TRUEPATH_STORM_SEED", 20_261_201);
    let mut chance = Chance(seed | 1);
    for _ in 0..rounds {
        let runs = 2 + chance.below(2);
        let at: Vec<u64> = (0..runs)
            .map(|_| chance.below(operations as usize + 20) as u64)
            .collect();
        stopped(&whole, &at);
    }
}
