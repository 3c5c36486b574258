//! Dates, people and machines in names: decided once, and reported by a configuration.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, kiln};

fn dated(frames: &str, mishap: &str) -> Project {
    let project = kiln(frames, "", mishap);
    let job = fs::read_to_string(project.path("truepath.toml")).unwrap();
    let job = job.replace("renders/", "renders/{date:%Y-%m-%d}/{date:%H%M%S}_");
    project.write("truepath.toml", &job);
    project
}

fn record(project: &Project) -> serde_json::Value {
    let text = fs::read_to_string(project.path(".truepath/run-truepath.toml.json")).unwrap();
    serde_json::from_str(&text).unwrap()
}

#[test]
fn a_run_keeps_its_instant_until_it_is_complete() {
    let project = dated("1-4", "");
    project.write(
        ".truepath/run-truepath.toml.json",
        "{\"instant\":\"2020-02-03T04:05:06\",\"complete\":false}",
    );
    // A part of the job does not make the run complete.
    project.call(&["run", "--frames", "1-2"]).ends(0);
    assert_eq!(
        project.files("renders"),
        [
            "2020-02-03/040506_kiln.0001.png",
            "2020-02-03/040506_kiln.0002.png"
        ]
    );
    assert_eq!(record(&project)["complete"], false);
    // Nor does a trial.
    project.call(&["run", "--preset", "trial"]).ends(0);
    assert_eq!(record(&project)["complete"], false);
    project.call(&["run"]).ends(0);
    assert_eq!(project.files("renders").len(), 4);
    assert_eq!(record(&project)["complete"], true);
    assert_eq!(record(&project)["instant"], "2020-02-03T04:05:06");
    // The audit looks at the latest run; the next one begins anew.
    assert_eq!(project.audit()["complete"], true);
    let next = project.call(&["paths", "--all"]).ends(0).out;
    assert!(!next.contains("2020-02-03"), "{next}");
}

#[test]
fn an_unfinished_run_is_gone_on_with_at_its_own_instant() {
    let project = dated("1-4", "[mishap]\nfail-at = 3\n");
    project.call(&["run"]).ends(1);
    let instant = record(&project)["instant"].clone();
    assert_eq!(record(&project)["complete"], false);
    project.call(&["run"]).ends(1);
    assert_eq!(record(&project)["instant"], instant);
    assert_eq!(project.files("renders").len(), 3);
}

#[test]
fn a_configuration_says_who_and_where() {
    let project = kiln("1", "place.out = \"out\"", "");
    let job = fs::read_to_string(project.path("truepath.toml")).unwrap();
    let job = job.replace("renders/", "{place.out}/{artist}_{user}_{host:upper}_");
    project.write("truepath.toml", &job);
    project.write(
        "me.toml",
        "artist = \"A. Brass\"\nuser = \"brass\"\nhost = \"dome1\"\n[place]\nout = \"elsewhere\"\nother = \"x\"\n",
    );
    let me = project.path("me.toml").display().to_string();
    let paths = project
        .call_with(&["paths", "--all"], ("TRUEPATH_CONFIG", &me))
        .ends(0);
    assert_eq!(
        project.plain(&paths.out),
        "/show/elsewhere/A. Brass_brass_DOME1_kiln.0001.png\n"
    );
    let tokens = project
        .call_with(&["tokens", "place.out"], ("TRUEPATH_CONFIG", &me))
        .ends(0);
    assert!(tokens.out.contains("your configuration"), "{}", tokens.out);
    assert!(tokens.out.contains("me.toml:5"), "{}", tokens.out);
    project.write("me.toml", "atrist = \"x\"\nuser = \"a/b\"\n");
    let wrong = project
        .call_with(&["paths"], ("TRUEPATH_CONFIG", &me))
        .ends(2);
    assert!(
        wrong.err.contains("did you mean `artist`?"),
        "{}",
        wrong.err
    );
    assert!(wrong.err.contains("holds a separator"), "{}", wrong.err);
}

#[test]
fn dates_are_read_back_and_odd_patterns_refused() {
    let project = dated("1", "");
    let name = "2020-02-03/040506.png";
    let read = project
        .call(&["match", "{date:%Y-%m-%d}/{date:%H%M%S}.png", name])
        .ends(1);
    // Two mentions that each say a part do not make one instant yet.
    assert!(read.out.contains("departs"), "{}", read.out);
    let read = project
        .call(&["match", "x_{date:%Y%m%d}.png", "x_20200203.png"])
        .ends(0);
    assert!(
        read.out.contains("date 2020-02-03T00:00:00"),
        "{}",
        read.out
    );
    let odd = project
        .call(&["check", "--set", "path=r/{date:%Q!}.{frame:04}.png"])
        .ends(1);
    assert!(
        odd.out.contains("TP110") && odd.out.contains("%Q!"),
        "{}",
        odd.out
    );
    let slash = project
        .call(&["check", "--set", "path=r/{date:%Y/%m}.{frame:04}.png"])
        .ends(1);
    assert!(slash.out.contains("holds a separator"), "{}", slash.out);
}
