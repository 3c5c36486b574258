//! What rendering took and cost.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;

use common::{kiln, made_up, picture};

#[test]
fn a_row_has_the_frames_time_and_memory_of_its_processes() {
    let project = kiln("1-6", "jobs = 1\n", "");
    let called = project.call(&["times"]).ends(0);
    assert!(
        called.err.contains("nothing was rendered yet"),
        "{}",
        called.err
    );
    project.call(&["run"]).ends(0);
    let times = project.call(&["times", "--format", "json"]).ends(0).json();
    let row = &times["rows"][0];
    assert_eq!((&row["name"], &row["frames"]), (&"kiln".into(), &6.into()));
    let number = |key: &str| row[key].as_f64().unwrap();
    assert!(number("wall_seconds") >= number("slowest_seconds"));
    assert!(number("slowest_seconds") >= number("median_seconds"));
    assert!(number("cpu_seconds") > 0.0 && number("memory_bytes") > 1e6);
    assert_eq!(row["failed"], 0);
    // The shares of the frames are all that the process took.
    let by_frame = project.call(&["times", "--by", "frame", "--format", "json"]);
    let rows = by_frame.ends(0).json()["rows"].as_array().unwrap().clone();
    let names: Vec<&str> = rows
        .iter()
        .map(|row| row["name"].as_str().unwrap())
        .collect();
    assert_eq!(names.len(), 6, "{names:?}");
    assert!(
        names[0].ends_with(" 1") && names[5].ends_with(" 6"),
        "{names:?}"
    );
    let sum: f64 = rows
        .iter()
        .map(|row| row["wall_seconds"].as_f64().unwrap())
        .sum();
    assert!((sum - number("wall_seconds")).abs() < 0.01, "{sum}");
    let table = project
        .call(&["times", "--by", "engine", "--format", "csv"])
        .ends(0)
        .out;
    let head: Vec<&str> = table.lines().next().unwrap().split(',').collect();
    let line: Vec<&str> = table.lines().nth(1).unwrap().split(',').collect();
    assert_eq!((head.len(), head[0], head[9]), (10, "engine", "failed"));
    assert!(
        line[0].starts_with("understudy ") && line[1] == "6",
        "{table}"
    );
    // Frames that were not chosen have no part in it.
    let times = project.call(&["times", "--frames", "2,3", "--format", "json"]);
    assert_eq!(times.ends(0).json()["rows"][0]["frames"], 2);
}

#[test]
fn failed_tries_and_the_memory_of_helpers_count() {
    // The picture needs a helper that takes 80 MB, and frame 2 fails at its first try.
    let script = r#"
head -c 80000000 /dev/zero | tail -n 1 >/dev/null
if [ "$1" = 2 ] && [ ! -e "$3/tried" ]; then : >"$3/tried"; echo "error: no lamp oil" >&2; exit 3; fi
cp "$3/one.png" "$2"
"#;
    let profile = " }\narguments = [\"{frame}\", \"{target}\", \"{place.job}\"]\n";
    let project = made_up(profile, script, "frames = \"1-2\"\nretries = 1\njobs = 1\n");
    fs::write(project.path("one.png"), picture(1)).unwrap();
    project.call(&["run"]).ends(0);
    let times = project.call(&["times", "--format", "json"]).ends(0).json();
    let row = &times["rows"][0];
    assert_eq!(
        (&row["frames"], &row["processes"], &row["failed"]),
        (&2.into(), &3.into(), &1.into())
    );
    assert!(row["memory_bytes"].as_u64().unwrap() >= 80_000_000, "{row}");
    // `why` says of a frame what its own process used, and which try it was.
    let why = project.call(&["why", "r/dawn.0002.png"]).ends(0).out;
    assert!(why.contains("ended with success, try 2"), "{why}");
}
