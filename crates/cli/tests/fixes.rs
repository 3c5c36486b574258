//! `check --fix`: what it changes, and what it leaves.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::Project;
use truepath_core::rules::rules;
use truepath_runner::disk::RealDisk;

const JOB: &str = r#"# Our show. Nobody touches this remark.
scene  = "kiln.toml"   # the kiln
engine =     "understudy"
frames = "1-12000"
format = "png"

# Two mistakes in one path.
path   = 'renders/{shto}.{frame:04}'   # and a remark behind it
"#;

fn job(project: &Project) -> String {
    fs::read_to_string(project.path("truepath.toml")).unwrap()
}

/// Fixes until there is nothing left to fix; gives how often.
fn fix(project: &Project) -> usize {
    for round in 0..10 {
        let before = job(project);
        let fixed = project.call(&["check", "--fix"]);
        let is_left = project.call(&["check"]).code == Some(1);
        assert_eq!(fixed.code, Some(i32::from(is_left)), "{}", fixed.out);
        if job(project) == before {
            return round;
        }
    }
    10
}

#[test]
fn remarks_and_layout_stay() {
    let project = Project::new(JOB);
    project.write("kiln.toml", "");
    let dry = project.call(&["check", "--fix", "--dry-run"]).ends(0);
    assert!(dry.out.contains("truepath.toml:8"), "{}", dry.out);
    assert!(
        dry.out.contains("- {shto}") && dry.out.contains("+ {shot}"),
        "{}",
        dry.out
    );
    assert!(dry.out.contains("1 place would be fixed"), "{}", dry.out);
    assert_eq!(job(&project), JOB);
    assert!(fix(&project) < 5);
    let fixed = JOB.replace("{shto}.{frame:04}", "{shot}.{frame:05}.{ext}");
    let found = job(&project);
    // The format is nobody's guess: that is left to people.
    assert!(
        found == fixed || found == JOB.replace("{shto}", "{shot}"),
        "{found}"
    );
}

#[test]
fn every_fix_leaves_a_clean_file_and_nothing_to_fix() {
    let mut fixed = Vec::new();
    for rule in rules() {
        let project = Project::new(rule.breaks);
        for scene in [
            "kiln.toml",
            "kiln_v003.toml",
            "kiln.pov",
            "dawn.toml",
            "dawn.pov",
        ] {
            project.write(scene, "");
        }
        if fix(&project) == 0 {
            continue;
        }
        fixed.push(rule.code);
        let again = job(&project);
        project.call(&["check", "--fix"]).ends(0);
        assert_eq!(job(&project), again, "{}", rule.code);
        let checked = project.call(&["check"]).ends(0);
        assert!(!checked.out.contains(rule.code), "{}", checked.out);
    }
    assert!(fixed.len() >= 7, "{fixed:?}");
}

#[test]
fn a_file_that_was_changed_meanwhile_is_left() {
    let project = Project::new(JOB);
    let error = truepath_runner::rewrite(&RealDisk, &project.path("truepath.toml"), "other", "new");
    assert!(error.unwrap_err().to_string().contains("changed meanwhile"));
    assert_eq!(job(&project), JOB);
    assert_eq!(fs::read_dir(project.path("")).unwrap().count(), 1);
}

#[test]
fn weights_and_exemptions() {
    let base = JOB.replace("{shto}.{frame:04}", "{shot} x.{frame:05}.png");
    let project = Project::new(&base);
    project.write("kiln.toml", "");
    let shown = |extra: &str| {
        project.write("truepath.toml", &format!("{base}{extra}"));
        let called = project.call(&["check"]);
        (called.code, called.out + &called.err)
    };
    assert!(shown("").1.contains("NOTE TP120"));
    let (code, out) = shown("[check]\nTP120 = \"error\"\n");
    assert!(code == Some(1) && out.contains("ERROR TP120"), "{out}");
    assert!(
        shown("[check]\nTP120 = \"off\"\n")
            .1
            .contains("no findings")
    );
    let exempt = |at: &str| {
        shown(&format!(
            "[check]\nexempt = [{{ rule = \"TP120\", at = \"{at}\", reason = \"the archive wants it\" }}]\n"
        ))
    };
    assert!(exempt("path").1.contains("no findings"));
    assert!(exempt("scene").1.contains("NOTE TP120"));
    let (code, out) = exempt("pth");
    assert!(
        code == Some(2) && out.contains("the job has no `pth`"),
        "{out}"
    );
    for (table, part) in [
        ("TP999 = \"off\"", "there is no rule `TP999`"),
        ("plain-names = \"off\"", "its code is TP120"),
        ("TP120 = \"of\"", "did you mean `off`"),
        (
            "exempt = [{ rule = \"TP120\", at = \"path\" }]",
            "this exemption lacks `reason`",
        ),
    ] {
        let (code, out) = shown(&format!("[check]\n{table}\n"));
        assert!(code == Some(2) && out.contains(part), "{out}");
    }
}

#[test]
fn rules_explain_themselves() {
    let project = Project::empty();
    let all = project.call(&["rules"]).ends(0).out;
    assert_eq!(all.lines().count(), rules().count());
    for asked in ["TP103", "tp103", "left-out-token"] {
        let one = project.call(&["rules", asked]).ends(0).out;
        assert!(
            one.contains("This breaks it:") && one.contains("This keeps it:"),
            "{one}"
        );
    }
    let unknown = project.call(&["rules", "left-out-tokn"]).ends(2);
    assert!(unknown.err.contains("left-out-token"), "{}", unknown.err);
}

#[test]
fn a_fix_of_a_text_with_escapes_or_several_lines_is_said_and_not_written() {
    for path in [
        r#""renders/{shto}\u002E{frame:04}.png""#,
        "\"\"\"\\\nrenders/{shto}.{frame:04}.png\"\"\"",
    ] {
        let text = JOB.replace("'renders/{shto}.{frame:04}'", path);
        let project = Project::new(&text);
        project.write("kiln.toml", "");
        let fixed = project.call(&["check", "--fix"]);
        assert_ne!(fixed.code, Some(0), "{}", fixed.out);
        let all = fixed.out + &fixed.err;
        let said =
            "not fixed truepath.toml:8: the text has several lines, quotes or escapes; write";
        assert!(all.contains(said), "{all}");
        assert_eq!(job(&project), text);
    }
}
