//! Values read back out of names: by a template alone, and by the job's own outputs.
#![allow(clippy::unwrap_used)]

mod common;

use common::{Project, kiln, scene};

#[test]
fn a_template_alone_shows_every_way() {
    let project = Project::empty();
    let one = project
        .call(&[
            "match",
            "{shot}_v{version:03}.{frame:04}.exr",
            "x/dawn_v003.0012.exr",
        ])
        .ends(0);
    assert_eq!(
        one.out,
        "x/dawn_v003.0012.exr  shot dawn, version 3, frame 12\n"
    );
    let two = project
        .call(&["match", "{shot}_{pass}.exr", "a_b_c.exr"])
        .ends(1);
    assert!(
        two.out
            .contains("can be read in 2 ways\n  shot a_b, pass c\n  shot a, pass b_c"),
        "{}",
        two.out
    );
    let none = project
        .call(&["match", "{shot}.{frame:04}.exr", "dawn.exr"])
        .ends(1);
    assert!(
        none.out
            .contains("  dawn.exr\n       ^ expected here: {frame}, a number of at least 4 digits"),
        "{}",
        none.out
    );
    let wrong = project.call(&["match", "{shot", "x"]).ends(2);
    assert!(
        wrong.err.contains("this token is not closed"),
        "{}",
        wrong.err
    );
}

#[test]
fn the_jobs_own_names_decide() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\nsize = \"48x32\"\npasses = [\"beauty\", \"sun_mask\"]\n\
         [shot.dawn_02]\nscene = \"kiln.toml\"\nframes = \"1-9\"\n\
         [output.frames]\npath = \"r/{shot}_{pass}.{frame:04}.png\"\n",
    );
    project.write("kiln.toml", &scene(""));
    let read = project
        .call(&[
            "match",
            "r/dawn_02_sun_mask.0004.png",
            "r/dawn_02_beauty.0004.png",
        ])
        .ends(0);
    assert!(
        read.out.contains("shot dawn_02, pass sun_mask, frame 4"),
        "{}",
        read.out
    );
    let slip = project
        .call(&["match", "r/dawn_02_sunmask.0004.png"])
        .ends(1);
    assert!(
        slip.out
            .contains("expected here: {pass}, one of beauty, sun_mask"),
        "{}",
        slip.out
    );
}

#[test]
fn every_path_of_a_job_is_read_back() {
    let project = kiln(
        "-3-12",
        "passes = [\"beauty\", \"depth\"]\ncameras = [\"front\", \"side\"]",
        "",
    );
    let job = std::fs::read_to_string(project.path("truepath.toml")).unwrap();
    project.write(
        "truepath.toml",
        &job.replace("{shot}.", "{camera}/{shot}_{pass}."),
    );
    for preset in [&[][..], &["--preset", "trial"]] {
        let mut line = vec!["paths", "--all"];
        line.extend(preset);
        let paths = project.call(&line).ends(0).out;
        let mut line = vec!["match", "--format", "json"];
        line.extend(preset);
        line.extend(paths.lines());
        let read = project.call(&line).ends(0).json();
        let names = read["names"].as_array().unwrap();
        assert_eq!(names.len(), paths.lines().count());
        for (name, path) in names.iter().zip(paths.lines()) {
            let values = &name["readings"][0];
            let frame: i64 = values["frame"].as_str().unwrap().parse().unwrap();
            let digits = format!("{:04}", frame.abs());
            assert!(path.contains(&digits), "{path} {values}");
            assert!(
                path.contains(values["camera"].as_str().unwrap()),
                "{path} {values}"
            );
        }
    }
}
