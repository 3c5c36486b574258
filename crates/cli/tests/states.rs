//! One set of states: `run`, `status`, `audit` and `overview` say the same of the same files.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, kiln, picture_of, scene};

/// What was done to frame 2 of three frames that a run has made.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Situation {
    Nothing,
    Removed,
    /// Its bytes are the same, its time is not.
    Touched,
    /// Cut in half.
    Cut,
    /// Cut in half, with the time that it had.
    CutInSecret,
    /// Another picture of the same kind.
    Swapped,
    /// Another picture of another size.
    SwappedBySize,
    /// The scene has changed since.
    OtherScene,
    /// The job wants another size since.
    OtherSize,
    /// Nothing is in the ledger, and three whole pictures are there.
    NotRecorded,
}

fn project(situation: Situation) -> Project {
    let project = kiln("1-3", "", "");
    project.call(&["run"]).ends(0);
    let path = project.path("renders/kiln.0002.png");
    let time = fs::metadata(&path).unwrap().modified().unwrap();
    let whole = fs::read(&path).unwrap();
    let again = |bytes: &[u8]| fs::write(&path, bytes).unwrap();
    match situation {
        Situation::Nothing => {}
        Situation::Removed => fs::remove_file(&path).unwrap(),
        Situation::Touched => again(&whole),
        Situation::Cut => again(&whole[..whole.len() / 2]),
        Situation::CutInSecret => {
            again(&whole[..whole.len() / 2]);
            let file = fs::File::options().write(true).open(&path).unwrap();
            file.set_modified(time).unwrap();
        }
        Situation::Swapped => again(&picture_of(48, 32, png::ColorType::Rgb, 9)),
        Situation::SwappedBySize => again(&picture_of(64, 64, png::ColorType::Rgb, 9)),
        Situation::OtherScene => {
            project.write(
                "kiln.toml",
                &scene("").replace("radius = 0.2", "radius = 0.3"),
            );
        }
        Situation::OtherSize => {
            let job = project.read("truepath.toml").replace("48x32", "24x16");
            project.write("truepath.toml", &job);
        }
        Situation::NotRecorded => fs::remove_dir_all(project.path(".truepath")).unwrap(),
    }
    project
}

/// How many files are valid, missing, broken, changed and stale, by an audit.
fn audited(project: &Project) -> [u64; 5] {
    let audit = project.audit();
    let one = &audit["deliverables"][0];
    let count = |text: &serde_json::Value| {
        let set: truepath_core::frames::FrameSet =
            text.as_str().unwrap().parse().unwrap_or_default();
        set.count()
    };
    let by_reason = |all: &serde_json::Value| {
        let all = all.as_array().unwrap();
        all.iter().map(|one| count(&one["frames"])).sum()
    };
    [
        one["valid"].as_u64().unwrap(),
        count(&one["missing"]),
        by_reason(&one["broken"]),
        by_reason(&one["changed"]),
        count(&one["stale"]),
    ]
}

/// The same by a status.
fn status(project: &Project) -> [u64; 5] {
    let status = project.call(&["status", "--format", "json"]).json();
    let one = &status["deliverables"][0];
    let count = |text: &serde_json::Value| {
        let set: truepath_core::frames::FrameSet =
            text.as_str().unwrap().parse().unwrap_or_default();
        set.count()
    };
    let broken = one["broken"].as_array().unwrap();
    let broken = broken.iter().map(|one| count(&one["frames"])).sum();
    let (done, changed, stale) = (
        count(&one["done"]),
        count(&one["changed"]),
        count(&one["stale"]),
    );
    let missing = count(&one["wanted"]) - done - broken - changed - stale;
    [done, missing, broken, changed, stale]
}

#[test]
fn every_command_says_the_same_of_the_same_files() {
    // valid, missing, broken, changed, stale; and what a run makes of it: rendered, and its exit code
    let table = [
        (Situation::Nothing, [3, 0, 0, 0, 0], 0, 0),
        (Situation::Removed, [2, 1, 0, 0, 0], 1, 0),
        (Situation::Touched, [3, 0, 0, 0, 0], 0, 0),
        (Situation::Cut, [2, 0, 1, 0, 0], 1, 0),
        (Situation::CutInSecret, [2, 0, 1, 0, 0], 1, 0),
        (Situation::Swapped, [2, 0, 0, 1, 0], 0, 1),
        (Situation::SwappedBySize, [2, 0, 1, 0, 0], 1, 0),
        (Situation::OtherScene, [0, 0, 0, 0, 3], 0, 1),
        (Situation::OtherSize, [0, 0, 0, 0, 3], 0, 1),
        (Situation::NotRecorded, [3, 0, 0, 0, 0], 0, 0),
    ];
    for (situation, wanted, rendered, code) in table {
        let project = project(situation);
        assert_eq!(audited(&project), wanted, "audit, {situation:?}");
        assert_eq!(status(&project), wanted, "status, {situation:?}");
        let complete = i32::from(wanted[0] != 3);
        project.call(&["audit"]).ends(complete);
        project.call(&["status"]).ends(complete);
        let overview = project.call(&["overview", "--format", "json"]).json();
        assert_eq!(
            overview["lines"][0]["done"], wanted[0],
            "{situation:?}: {overview}"
        );
        let called = project.call(&["run"]).ends(code);
        let again = common::wrote(&project).len();
        let before = if situation == Situation::NotRecorded {
            0
        } else {
            3
        };
        assert_eq!(again, before + rendered, "{situation:?}: {}", called.out);
        // And afterwards they agree too.
        assert_eq!(audited(&project), status(&project), "{situation:?}");
        assert_eq!(
            called.code == Some(0),
            audited(&project)[0] == 3,
            "{situation:?}"
        );
    }
}

#[test]
fn what_is_taken_as_it_is_must_be_the_right_kind_of_picture() {
    let other_size = project(Situation::OtherSize);
    let called = other_size.call(&["run", "--keep-stale"]).ends(1);
    assert!(
        called.out.contains("its size is 48x32, not 24x16"),
        "{}",
        called.out
    );
    assert_eq!(audited(&other_size), [0, 0, 0, 0, 3]);
    assert_eq!(status(&other_size), [0, 0, 0, 0, 3]);
    for situation in [Situation::OtherScene, Situation::Swapped] {
        let project = project(situation);
        project.call(&["run", "--keep-stale"]).ends(0);
        assert_eq!(audited(&project), [3, 0, 0, 0, 0], "{situation:?}");
        assert_eq!(status(&project), [3, 0, 0, 0, 0], "{situation:?}");
    }
    // Rendered again, what somebody put there is kept.
    let swapped = project(Situation::Swapped);
    swapped.call(&["run", "--rerender-stale"]).ends(0);
    assert_eq!(swapped.files("renders/set-aside").len(), 1);
    assert_eq!(audited(&swapped), [3, 0, 0, 0, 0]);
}

#[test]
fn a_movie_is_never_done_while_its_frames_are_not() {
    if !common::needs("ffmpeg") {
        return;
    }
    let sequence = "renders/kiln.0002.png";
    let movie = "renders/kiln.mkv";
    let job = "[project]\nscene = \"kiln.toml\"\nframes = \"1-3\"\nengine = \"understudy\"\nsize = \"48x32\"\nfps = 24\n[shot.kiln]\n\
         [output.frames]\npath = \"renders/{shot}.{frame:04}.png\"\n\
         [output.review]\npath = \"renders/{shot}.mkv\"\nmovie = { from = \"frames\", container = \"mkv\", codec = \"ffv1\", pixels = \"rgb 8\" }\n";
    // What is done to the files, and whether the movie counts as done by then.
    type Change<'c> = &'c dyn Fn(&Project);
    let table: [(&str, Change<'_>, bool); 6] = [
        ("nothing", &|_| {}, true),
        (
            "a frame is gone",
            &|project| fs::remove_file(project.path(sequence)).unwrap(),
            false,
        ),
        (
            "a frame is cut short",
            &|project| {
                let whole = fs::read(project.path(sequence)).unwrap();
                fs::write(project.path(sequence), &whole[..whole.len() / 2]).unwrap();
            },
            false,
        ),
        (
            "a frame is another picture",
            &|project| {
                let other = picture_of(48, 32, png::ColorType::Rgb, 9);
                fs::write(project.path(sequence), other).unwrap();
            },
            false,
        ),
        (
            "a frame has another time",
            &|project| {
                let whole = fs::read(project.path(sequence)).unwrap();
                fs::write(project.path(sequence), whole).unwrap();
            },
            true,
        ),
        (
            "the movie is gone",
            &|project| fs::remove_file(project.path(movie)).unwrap(),
            false,
        ),
    ];
    for (what, change, is_done) in table {
        let project = Project::new(job);
        project.write("kiln.toml", &scene(""));
        project.call(&["run"]).ends(0);
        change(&project);
        let status = project.call(&["status", "--format", "json"]).json();
        let one = &status["deliverables"][1];
        assert_eq!(
            one["done"] == one["wanted"],
            is_done,
            "status, {what}: {one}"
        );
        let overview = project.call(&["overview", "--format", "json"]).json();
        assert_eq!(
            overview["lines"][1]["done"] == 1,
            is_done,
            "{what}: {overview}"
        );
        let audit = project.audit();
        let audited = &audit["deliverables"][1];
        assert_eq!(audited["valid"] == 1, is_done, "audit, {what}: {audited}");
    }
}

#[test]
fn a_job_is_the_same_by_whatever_path_it_is_named() {
    let project = kiln("1-3", "", "");
    fs::create_dir(project.path("beside")).unwrap();
    project.call(&["run"]).ends(0);
    // Of other settings by now.
    let job = project.read("truepath.toml");
    project.write(
        "truepath.toml",
        &format!("{job}settings = {{ exposure = 1 }}\n"),
    );
    std::os::unix::fs::symlink("..", project.path("beside/link")).unwrap();
    for path in [
        "truepath.toml",
        "./truepath.toml",
        "beside/../truepath.toml",
        "beside/link/truepath.toml",
        "beside/link/beside/../truepath.toml",
    ] {
        let status = project.call(&["status", path]);
        assert!(status.out.contains("3 stale"), "{path}: {}", status.out);
        let audit = project.call(&["audit", path]).ends(1);
        assert!(audit.out.contains("stale"), "{path}: {}", audit.out);
    }
    // By a path with `..`, nothing is rendered that is there.
    project.write("truepath.toml", &job);
    let run = project.call(&["run", "beside/../truepath.toml"]).ends(0);
    assert!(run.out.contains("kept"), "{}", run.out);
    assert!(
        !run.out.contains("adopted") && !run.out.contains("rendered"),
        "{}",
        run.out
    );
}
