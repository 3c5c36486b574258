//! What `check` knows of scenes and machines, and how findings are printed for programs.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::os::unix::fs::PermissionsExt;

use common::{Project, kiln};
use serde_json::Value;

fn codes(project: &Project, arguments: &[&str]) -> Vec<String> {
    let all = [&["check", "--format", "json"], arguments].concat();
    let shown = project.call(&all).json();
    let findings = shown["findings"].as_array().unwrap();
    findings
        .iter()
        .map(|one| one["code"].as_str().unwrap().to_owned())
        .collect()
}

#[test]
fn engines_are_asked_with_leave_only_and_answers_are_kept() {
    let project = kiln("1-90", "camera = \"fron\"\n", "");
    assert_eq!(codes(&project, &[]), [""; 0]);
    assert!(!project.path(".truepath/scenes").exists());
    assert_eq!(codes(&project, &["--ask-engine"]), ["TP512", "TP206"]);
    // Known from now on, as long as the scene is the same.
    assert_eq!(codes(&project, &[]), ["TP512", "TP206"]);
    let shown = project.call(&["check"]).ends(1).out;
    assert!(shown.contains("did you mean `front`?"), "{shown}");
    let scene = fs::read_to_string(project.path("kiln.toml")).unwrap();
    project.write("kiln.toml", &scene.replace("front", "fron"));
    assert_eq!(codes(&project, &[]), [""; 0]);
    assert_eq!(codes(&project, &["--ask-engine"]), ["TP206"]);
}

#[test]
fn a_run_asks_before_it_renders() {
    let project = kiln("1-4", "camera = \"fron\"\n", "");
    let run = project.call(&["run"]).ends(1);
    assert!(run.err.contains("TP512"), "{}", run.err);
    assert!(!project.path("renders").exists());
}

#[test]
fn a_facts_file_answers_in_place_of_the_engine() {
    let project = kiln("1-4", "passes = [\"beuty\"]\n", "");
    project.write("kiln.toml.facts.json", r#"{ "passes": ["beauty"] }"#);
    assert_eq!(codes(&project, &[]), ["TP513"]);
    project.write("kiln.toml.facts.json", r#"{ "passes": "beauty" }"#);
    // Nonsense answers nothing, and that is reported.
    assert_eq!(codes(&project, &[]), ["TP522"]);
    let new = project.call(&["new", "--for-scene", "kiln.toml", "--to", "n.toml"]);
    assert!(new.ends(2).err.contains("kiln.toml.facts.json"));
}

#[test]
fn versions_are_compared_with_the_profile() {
    let project = Project::new(&common::job("1-4", "").replace("understudy", "lamp"));
    project.write("kiln.toml", "");
    project.write("bin/lamp", "#!/bin/sh\necho lamp 3.9\n");
    let mode = fs::Permissions::from_mode(0o755);
    fs::set_permissions(project.path("bin/lamp"), mode).unwrap();
    let program = project.path("bin/lamp").display().to_string();
    let profile = |least: &str| {
        project.write(
            "engines/lamp.toml",
            &format!(
                "split = \"free\"\nengine = {{ name = \"lamp\", program = \"{program}\", frames = \"list\" }}\n\
                 version = {{ ask = [\"-v\"], find = 'lamp (?P<version>\\S+)', at-least = \"{least}\" }}\narguments = [\"{{frames}}\"]\n"
            ),
        );
    };
    profile("3.10");
    assert_eq!(codes(&project, &[]), [""; 0]);
    assert_eq!(codes(&project, &["--ask-engine"]), ["TP510"]);
    profile("3.9");
    assert_eq!(codes(&project, &["--ask-engine"]), [""; 0]);
}

#[test]
fn an_engine_that_gives_no_answer_is_not_waited_for() {
    let project = Project::new(&common::job("1-4", "").replace("understudy", "lamp"));
    project.write("kiln.toml", "");
    project.write(
        "engines/lamp.toml",
        "split = \"free\"\nengine = { name = \"lamp\", program = \"sh\", frames = \"list\" }\n\
         version = { ask = [\"-c\", \"sleep 600 & sleep 600\"], find = '(?P<version>\\d+)' }\n\
         describe = [\"-c\", \"sleep 600 & sleep 600\"]\narguments = [\"-c\", \"exit 1\", \"{frames}\"]\n",
    );
    let called = |arguments: &[&str]| project.call_with(arguments, ("TRUEPATH_HASTE", "1000"));
    let shown = called(&["check", "--ask-engine"]).out;
    assert!(shown.contains("it gives no answer for 60 s"), "{shown}");
    let shown = called(&["run"]).ends(1);
    assert!(
        shown.err.contains("it gives no answer for 60 s"),
        "{}",
        shown.err
    );
}

#[test]
fn sarif_has_what_its_schema_requires() {
    let project = Project::new(
        "scene = \"my kiln.toml\"\nframes = \"1-48\"\nengine = \"understudy\"\npath = \"r/é/{shot}.png\"\n",
    );
    let sarif = project.call(&["check", "--format", "sarif"]).ends(1).json();
    assert_eq!(sarif["version"], "2.1.0");
    let run = &sarif["runs"][0];
    let driver = &run["tool"]["driver"];
    assert!(driver["name"].is_string());
    let rules: Vec<&Value> = driver["rules"].as_array().unwrap().iter().collect();
    let results = run["results"].as_array().unwrap();
    assert!(results.len() >= 2);
    for result in results {
        assert!(result["message"]["text"].as_str().unwrap().ends_with('.'));
        assert!(["error", "warning", "note"].contains(&result["level"].as_str().unwrap()));
        assert!(rules.iter().any(|rule| rule["id"] == result["ruleId"]));
        let place = &result["locations"][0]["physicalLocation"];
        assert_eq!(place["artifactLocation"]["uri"], "truepath.toml");
        for key in ["startLine", "startColumn", "endLine", "endColumn"] {
            assert!(place["region"][key].as_u64().unwrap() > 0);
        }
    }
    // Columns are characters, also behind one of two bytes.
    let missing = results.iter().find(|one| one["ruleId"] == "TP101").unwrap();
    let region = &missing["locations"][0]["physicalLocation"]["region"];
    assert_eq!(
        region["endColumn"].as_u64().unwrap() - region["startColumn"].as_u64().unwrap(),
        14
    );
    // A file that cannot be read is reported in the same form.
    project.write("truepath.toml", "scene = 3\nfrmes = \"1\"\n");
    let sarif = project.call(&["check", "--format", "sarif"]).ends(2).json();
    assert_eq!(sarif["runs"][0]["results"].as_array().unwrap().len(), 2);
}

#[test]
fn the_disk_is_compared_with_the_estimate() {
    // More than any disk has.
    let project = kiln("1-900000000", "", "");
    project.write(
        "truepath.toml",
        &common::job("1-900000000", "")
            .replace("48x32", "uhd")
            .replace(":04", ":09"),
    );
    assert_eq!(codes(&project, &[]), ["TP209", "TP611"]);
    assert_eq!(codes(&project, &["--set", "frames=1-4"]), [""; 0]);
}

#[test]
fn what_is_there_already_is_reported_before_a_run() {
    let project = kiln("1-4", "", "");
    project.call(&["run"]).ends(0);
    assert_eq!(codes(&project, &[]), [""; 0]);
    // A scene that was saved afterwards: its frames are of another state.
    let scene = fs::File::options()
        .append(true)
        .open(project.path("kiln.toml"))
        .unwrap();
    std::io::Write::write_all(&mut &scene, b"# later\n").unwrap();
    scene
        .set_modified(std::time::SystemTime::now() + std::time::Duration::from_secs(60))
        .unwrap();
    assert_eq!(codes(&project, &[]), ["TP610", "TP517"]);
    let shown = project.call(&["check"]).ends(0).out;
    assert!(
        shown.contains("4 files of other settings kept, and reported as stale"),
        "{shown}"
    );
    // Others of the same kind in the folder.
    project.write("renders/dusk.0001.png", "");
    let shown = project.call(&["check"]).ends(0).out;
    assert!(shown.contains("such as dusk.0001.png"), "{shown}");
    // Files that are nobody's stand where frames are wanted.
    project.write("renders/kiln.0005.png", "");
    let shown = project.call(&["check", "--set", "frames=1-5"]).ends(0).out;
    // On one line, wherever it was wrapped.
    let shown = shown.replace("\n          ", " ");
    assert!(
        shown.contains("1 file that no run made kept, if they are whole"),
        "{shown}"
    );
}
