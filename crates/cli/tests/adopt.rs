//! Command lines that are in use become jobs that give the same lines back.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use common::Project;

fn adopted(line: &[&str]) -> Project {
    let project = Project::empty();
    project.write("kiln.scene", "x");
    project.write("my scene.scene", "x");
    let words = [&["adopt", "--"], line].concat();
    let called = project.call(&words).ends(0);
    assert!(called.out.contains("word for word"), "{}", called.out);
    project
}

#[test]
fn lines_of_many_shapes_are_given_back_word_for_word() {
    for (line, keys) in [
        (
            &[
                "render",
                "--in",
                "kiln.scene",
                "--frames",
                "1-48",
                "--out",
                "r/kiln.png",
            ][..],
            &[
                "frames = \"1-48\"",
                "\"{first}-{last}\"",
                "r/kiln.{frame:04}.png",
            ][..],
        ),
        (
            &[
                "render",
                "-s",
                "1",
                "-e",
                "9",
                "-w",
                "640",
                "-h",
                "480",
                "kiln.scene",
                "-o",
                "r/k.####.exr",
            ],
            &[
                "size   = \"640x480\"",
                "\"{width}\"",
                "{target.folder}/k.####.exr",
            ],
        ),
        (
            &[
                "render",
                "--frame=7",
                "--out=r/k_0007.png",
                "--cam=front",
                "my scene.scene",
            ],
            &["frames = \"7\"", "r/k_{frame:04}.png", "\"--cam={camera}\""],
        ),
        (
            &[
                "render",
                "+Ikiln.scene",
                "+W32",
                "+H24",
                "+Or/k.%05d.png",
                "-s",
                "1",
                "-e",
                "2",
            ],
            &["\"+I{scene.file}\"", "r/k.{frame:05}.png"],
        ),
        (
            &[
                "render",
                "kiln.scene",
                "out {x}.png",
                "--note",
                "50% & 'more'",
            ],
            &["still  = 1", "out {{x}}.png"],
        ),
    ] {
        let job = adopted(line).read("truepath.toml");
        for key in keys {
            assert!(job.contains(key), "{line:?}: {key}\n{job}");
        }
    }
}

#[test]
fn a_script_of_several_lines_becomes_one_job() {
    let project = Project::empty();
    project.write("kiln.scene", "x");
    project.write(
        "night.sh",
        "#!/bin/sh\n# every night\n\
         render -i kiln.scene -s 1 -e 24 --camera dome -o r/dome/kiln_dome.####.png\n\
         render -i kiln.scene -s 25 -e 48 --camera dome -o r/dome/kiln_dome.####.png\n\
         render -i kiln.scene -s 1 -e 24 --camera north -o r/north/kiln_north.####.png\n\
         render -i kiln.scene -s 25 -e 48 --camera north -o r/north/kiln_north.####.png\n",
    );
    let called = project.call(&["adopt", "--script", "night.sh"]).ends(0);
    assert!(
        called.out.contains("4 lines became 2 lines"),
        "{}",
        called.out
    );
    let job = project.read("truepath.toml");
    assert!(
        job.contains("frames = \"1-48\"\ncameras = [\"dome\", \"north\"]"),
        "{job}"
    );
    // A second time nothing is overwritten.
    project.call(&["adopt", "--script", "night.sh"]).ends(3);
    assert_eq!(project.read("truepath.toml"), job);
}

#[test]
fn what_cannot_be_understood_is_reported() {
    let project = Project::empty();
    for (line, part) in [
        (
            &["render", "a", "b"][..],
            "nothing in the line looks like a picture",
        ),
        (&[], "there is no command line to read"),
    ] {
        let words = [&["adopt", "--"], line].concat();
        let called = project.call(&words).ends(2);
        assert!(called.err.contains(part), "{}", called.err);
    }
    project.write("a.sh", "render happy r/a.png\nrender sad r/b.png\n");
    let called = project.call(&["adopt", "--script", "a.sh"]).ends(2);
    assert!(
        called
            .err
            .contains("word 2 differs from line to line (happy, sad)"),
        "{}",
        called.err
    );
    // Each word is shown with its meaning, or as not understood.
    assert!(
        called.out.contains(" 2  happy    not understood"),
        "{}",
        called.out
    );
    assert!(
        called.out.contains(" 3  r/a.png  what is written"),
        "{}",
        called.out
    );
    project.write("b.sh", "render $HOME/a.png\n");
    let called = project.call(&["adopt", "--script", "b.sh"]).ends(2);
    assert!(
        called
            .err
            .contains("b.sh: line 1: the script does not set the variable `HOME`"),
        "{}",
        called.err
    );
}

/// Command lines as people write them, a script each, with a part of the job that they become.
const SCRIPTS: [(&str, &str); 35] = [
    (
        "render --first 1 --last 20 --by 2 --out r/k.png kiln.scene",
        "",
    ),
    (
        "render --scene kiln.scene --frames 1-48 --out r/kiln.png",
        "frames = \"1-48\"",
    ),
    (
        "render -s 1 -e 9 kiln.scene -o r/k.####.exr",
        "r/k.{frame:04}.exr",
    ),
    (
        "render kiln.scene -start 1 -end 9 -output r/k.png",
        "frames = \"1-9\"",
    ),
    (
        "render -frame 7 -camera front -output r/k.png kiln.scene",
        "camera = \"front\"",
    ),
    (
        "render --first 1 --last 19 --by 2 --out r/k.png kiln.scene",
        "{step}",
    ),
    (
        "render --name kiln --format png --dir r -f 7 kiln.scene",
        "r/kiln.{frame:04}.png",
    ),
    (
        "render --out-dir=r --output-name=kiln --ext=exr --frames=1-9 kiln.scene",
        "r/kiln.{frame:04}.exr",
    ),
    (
        "render --dir r/ --name k --type tiff --first 1 --last 4 kiln.scene",
        "r/k.{frame:04}",
    ),
    (
        "render --verbose --out r/k.png --frame 3 later.scene",
        "scene  = \"later.scene\"",
    ),
    (
        "render --range 1:48 -o r/k.png kiln.scene",
        "{first}:{last}",
    ),
    (
        "render --range 1..48 -o r/k.png kiln.scene",
        "{first}..{last}",
    ),
    ("render -f 0007 -o r/k_0007.png kiln.scene", "{frame:04}"),
    (
        "render --start-frame 001 --end-frame 010 -o r/k.%03d.png kiln.scene",
        "{first:03}",
    ),
    ("render -o r/k.%d.png -f 3 kiln.scene", "r/k.{frame}.png"),
    (
        "render -w 640 -h 480 -f 1 -o r/k.png kiln.scene",
        "size   = \"640x480\"",
    ),
    (
        "render --size 640x480 -f 1 -o r/k.png kiln.scene",
        "{width}x{height}",
    ),
    (
        "render -res 640 480 -f 1 -o r/k.png kiln.scene",
        "size   = \"640x480\"",
    ),
    (
        "render --threads 8 -f 1 -o r/k.png kiln.scene",
        "threads = 8",
    ),
    (
        "render --layer depth -f 1 -o r/k_depth.exr kiln.scene",
        "passes = [\"depth\"]",
    ),
    (
        "render +Ikiln.scene +Or/k.png +W32 +H24 -s 1 -e 2",
        "+I{scene.file}",
    ),
    (
        "/opt/brass/bin/render -f 1 -o r/k.png kiln.scene",
        "\"/opt/brass/bin/render\"",
    ),
    (
        "render -f 1 -o /tmp/out/k.png kiln.scene",
        "{place.output}/k.{frame:04}.png",
    ),
    (
        "render --quality high --gamma 2.2 -f 1 -o r/k.png kiln.scene",
        "\"2.2\"",
    ),
    ("render kiln.scene still.png", "still  = 1"),
    ("nice -n 19 render -f 1 -o r/k.png kiln.scene", "\"render\""),
    (
        "LIGHT=moon render -f 1 -o r/k.png kiln.scene",
        "env    = { LIGHT = \"moon\" }",
    ),
    (
        "render -f 1 -o 'r/my k.png' 'my scene.scene'",
        "my scene.scene",
    ),
    (
        "cd /tmp\nrender -f 1 -o r/k.png kiln.scene\nshutdown -h now",
        "frames = \"1\"",
    ),
    (
        "render -s 1 -e 10 --camera front -o r/front.####.png kiln.scene\nrender -s 11 -e 20 --camera top -o r/top.####.png kiln.scene",
        "[shot.\"front\"]",
    ),
    (
        "render -f 1 --camera a -o r/frame_a.####.png kiln.scene\nrender -f 1 --camera b -o r/frame_b.####.png kiln.scene",
        "r/frame_{camera}.{frame:04}.png",
    ),
    (
        "render -s 1 -e 4 --mood happy -o r/happy.####.png kiln.scene\nrender -s 1 -e 4 --mood sad -o r/sad.####.png kiln.scene",
        "settings = { \"mood\" = \"sad\" }",
    ),
    (
        "render -s 1 -e 4 -o r/dawn.####.png dawn.scene --camera a\nrender -s 3 -e 9 -o r/dusk.####.png dusk.scene --camera b",
        "[shot.",
    ),
    (
        "render -f 1 -o r/k_0001.png kiln.scene\nrender -f 2 -o r/k_0002.png kiln.scene\nrender -f 3 -o r/k_0003.png kiln.scene",
        "frames = \"1-3\"",
    ),
    (
        "render -s 1 -e 4 -w 64 -h 48 -o r/small.####.png kiln.scene\nrender -s 1 -e 4 -w 640 -h 480 -o r/large.####.png kiln.scene",
        "size   = \"64x48\"",
    ),
];

#[test]
fn lines_as_people_write_them_are_given_back() {
    for (script, part) in SCRIPTS {
        let project = Project::empty();
        for scene in ["kiln.scene", "my scene.scene", "dawn.scene", "dusk.scene"] {
            project.write(scene, "x");
        }
        project.write("night.sh", script);
        let called = project.call(&["adopt", "--script", "night.sh"]);
        if part.is_empty() {
            // The last frame is not one of the steps: no job is written, and the message says why.
            assert_eq!(called.code, Some(1), "{script}: {}", called.out);
            assert!(called.out.contains("Nothing is written"), "{}", called.out);
            assert!(!project.path("truepath.toml").exists());
            continue;
        }
        assert_eq!(
            called.code,
            Some(0),
            "{script}\n{}\n{}",
            called.out,
            called.err
        );
        assert!(
            called.out.contains("word for word"),
            "{script}\n{}",
            called.out
        );
        let job = project.read("truepath.toml");
        assert!(job.contains(part), "{script}: {part}\n{job}");
        if script.contains("shutdown") {
            assert!(
                called.out.contains("--then 'shutdown -h now'"),
                "{}",
                called.out
            );
        }
    }
}

#[test]
fn a_meaning_that_cannot_be_guessed_is_given_by_the_user() {
    let project = Project::empty();
    project.write("kiln.scene", "x");
    let line = ["render", "kiln.scene", "-z", "7", "--dest", "r/kiln"];
    let called = project
        .call(&[&["adopt", "--"], &line[..]].concat())
        .ends(2);
    assert!(called.err.contains("--meaning"), "{}", called.err);
    assert!(
        called.out.contains(" 6  r/kiln      not understood"),
        "{}",
        called.out
    );
    let hints = [
        "adopt",
        "--meaning=-z=frame",
        "--meaning=--dest=output-folder",
        "--",
    ];
    project.call(&[&hints[..], &line[..]].concat()).ends(0);
    let job = project.read("truepath.toml");
    assert!(
        job.contains("{frame}") && job.contains("{target.folder}"),
        "{job}"
    );
    let wrong = project
        .call(&["adopt", "--meaning=-z=fram", "--", "x"])
        .ends(2);
    assert!(wrong.err.contains("did you mean `frame`?"), "{}", wrong.err);
}

#[test]
fn a_camera_whose_name_stands_in_a_folder_by_chance_is_no_reason_to_stop() {
    let project = Project::empty();
    project.write("kiln.scene", "x");
    project.write(
        "night.sh",
        "render -s 1 -e 1 --camera r -o r/a_r.####.png kiln.scene\n\
         render -s 2 -e 2 --camera ra -o r/a_ra.####.png kiln.scene\n",
    );
    project.call(&["adopt", "--script", "night.sh"]).ends(0);
    let job = project.read("truepath.toml");
    assert!(job.contains("r/a_{camera}"), "{job}");
}

#[test]
fn loops_and_variables_of_scripts_are_worked_out() {
    let shell = "#!/bin/bash\nset -e\nOUT=renders\nexport LAMP=on\n\
                 for f in {1..3}; do\n  render --scene kiln.scene --frame $f --to \"$OUT/kiln.000$f.png\"\ndone\n";
    let batch = "@echo off\r\nREM the night\r\nset OUT=renders\r\n\
                 for /L %%f in (1,1,3) do render --scene kiln.scene ^\r\n --frame %%f --to %OUT%/kiln.000%%f.png\r\n";
    for (name, script) in [("night.sh", shell), ("night.bat", batch)] {
        let project = Project::empty();
        project.write("kiln.scene", "x");
        project.write(name, script);
        let called = project.call(&["adopt", "--script", name]).ends(0);
        assert!(
            called.out.contains("the same 3 lines back"),
            "{}",
            called.out
        );
        let job = project.read("truepath.toml");
        assert!(job.contains("frames = \"1-3\""), "{job}");
        assert!(job.contains("renders/kiln.{frame:04}.png"), "{job}");
        assert_eq!(job.contains("LAMP = \"on\""), name == "night.sh", "{job}");
    }
    let project = Project::empty();
    project.write("kiln.scene", "x");
    project.write(
        "night.sh",
        "render a.png\nif [ -e b ]; then render b.png; fi\n",
    );
    let called = project.call(&["adopt", "--script", "night.sh"]).ends(2);
    let words = "night.sh: line 2: `if` needs a shell to work out";
    assert!(called.err.contains(words), "{}", called.err);
    assert!(!project.path("truepath.toml").exists());
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig { cases: 60, failure_persistence: None, ..Default::default() })]
    #[test]
    fn a_job_that_is_written_gives_the_same_lines_back(
        first in 1_i64..50, length in 0_i64..50,
        camera in "[a-z]{1,5}", other in "[a-z]{1,5}",
        name in "[a-z]{1,6}", style in 0_usize..4, several: bool, same_frames: bool,
    ) {
        let last = first + length;
        let line = |camera: &str, first: i64, last: i64| match style {
            0 => format!("render -s {first} -e {last} --camera {camera} -o r/{name}_{camera}.####.png kiln.scene"),
            1 => format!("render --range {first}-{last} --cam={camera} --out=r/{camera}/{name}.png kiln.scene"),
            2 => format!("render kiln.scene --first {first} --last {last} --camera {camera} --dir r/{camera} --name {name} --type png"),
            _ => format!("render -frame {first} -camera {camera} -output r/{camera}_{name}.png kiln.scene"),
        };
        let mut script = line(&camera, first, last);
        if several {
            let (first, last) = if same_frames { (first, last) } else { (last + 1, last + 1 + length) };
            script = format!("{script}\n{}", line(&other, first, last));
        }
        let project = Project::empty();
        project.write("kiln.scene", "x");
        project.write("night.sh", &script);
        let called = project.call(&["adopt", "--script", "night.sh"]);
        if called.code == Some(0) {
            // What `commands` makes of the job are the lines, in whatever pieces.
            // Two parts of one clip become one line.
            let is_same = called.out.contains("word for word")
                || (camera == other && called.out.contains("cuts them otherwise"));
            proptest::prop_assert!(is_same, "{script}\n{}", called.out);
            let paths = project.call(&["paths", "--all"]).ends(0).out;
            let mut frames = length + 1;
            if style == 3 {
                frames = 1;
            }
            let is_other = several && (camera != other || !same_frames);
            let wanted = frames * if is_other { 2 } else { 1 };
            proptest::prop_assert_eq!(paths.lines().count() as i64, wanted, "{}\n{}", script, project.read("truepath.toml"));
            let unique: std::collections::BTreeSet<&str> = paths.lines().collect();
            proptest::prop_assert_eq!(unique.len() as i64, wanted, "{}\n{}", script, project.read("truepath.toml"));
        } else {
            proptest::prop_assert!(!project.path("truepath.toml").exists());
            proptest::prop_assert!(several && camera == other, "{script}\n{}\n{}", called.out, called.err);
        }
    }
}

#[test]
fn ranges_that_the_job_cuts_otherwise_are_said_line_by_line() {
    for (ranges, becomes) in [
        // Two shots, since the first says its frame otherwise.
        (&["15-15", "16-19"][..], "the same 2 lines back"),
        (&["1-10", "8-19"], "2 lines became 1 line"),
        (&["1-10", "11-20", "21-30"], "3 lines became 1 line"),
    ] {
        let project = Project::empty();
        project.write("kiln.scene", "x");
        let lines = ranges
            .iter()
            .map(|range| format!("cat --range {range} --out=r/k.png kiln.scene\n"));
        project.write("night.sh", &lines.collect::<String>());
        let called = project.call(&["adopt", "--script", "night.sh"]).ends(0);
        assert!(called.out.contains(becomes), "{}", called.out);
        // It is what `commands` prints.
        let printed = project.call(&["commands", "--as", "json"]);
        let processes = printed.out.matches("--range").count();
        let lines = if becomes.contains("became") { 1 } else { 2 };
        assert_eq!(processes, lines, "{}{}", printed.out, printed.err);
    }
}

/// What `adopt` says of a line in a folder with a scene, and its exit code.
fn said(arguments: &[&str]) -> (Option<i32>, String) {
    let project = Project::empty();
    project.write("kiln.pov", "a scene");
    let called = project.call(&[&["adopt", "--dry-run"], arguments].concat());
    (called.code, format!("{}{}", called.out, called.err))
}

#[test]
fn a_profile_is_named_where_it_explains_the_line() {
    let (_, shown) = said(&[
        "--",
        "python3",
        "script.py",
        "--start",
        "1",
        "--end",
        "5",
        "--out",
        "r/a.png",
    ]);
    assert!(!shown.contains("profile"), "{shown}");
    let (_, shown) = said(&["--", "ffmpeg", "-i", "r/a.%04d.png", "-r", "24", "film.mp4"]);
    assert!(!shown.contains("profile"), "{shown}");
    let line = [
        "--",
        "povray",
        "+Ikiln.pov",
        "+W320",
        "+H240",
        "+KFI1",
        "+KFF20",
        "+Or/a.png",
    ];
    let (_, shown) = said(&line);
    assert!(shown.contains("which explains every word"), "{shown}");
    let (_, shown) = said(&[&line[..], &["+A0.2"]].concat());
    assert!(shown.contains("which does not know +A0.2"), "{shown}");
}

#[test]
fn the_clip_of_a_line_is_not_the_part_that_it_renders() {
    let project = Project::empty();
    project.write("kiln.pov", "a scene");
    let line = [
        "adopt",
        "--",
        "povray",
        "+Ikiln.pov",
        "+KFI1",
        "+KFF20",
        "+SF5",
        "+EF8",
        "+Or/a.png",
    ];
    let called = project.call(&line).ends(0);
    assert!(
        called.out.contains("frames 5-8 of the clip 1-20"),
        "{}",
        called.out
    );
    let job = project.read("truepath.toml");
    for part in [
        "frames = \"1-20\"",
        "\"+KFI{clip.first}\"",
        "\"+KFF{clip.last}\"",
        "\"+SF{first}\"",
        "\"+EF{last}\"",
    ] {
        assert!(job.contains(part), "{job}");
    }
}

#[test]
fn a_meaning_that_fits_no_word_is_an_error() {
    let (code, shown) = said(&[
        "--meaning=-zz=frame",
        "--",
        "myrender",
        "-o",
        "out/a.png",
        "kiln.pov",
    ]);
    assert_eq!(code, Some(2), "{shown}");
    assert!(shown.contains("no word of the line is `-zz`"), "{shown}");
    let (code, shown) = said(&[
        "--meaning=-im=output-name",
        "--",
        "myrender",
        "-im",
        "beauty",
        "-rd",
        "out",
        "kiln.pov",
    ]);
    assert_eq!(code, Some(2), "{shown}");
    assert!(shown.contains("=output-folder"), "{shown}");
    let (code, shown) = said(&[
        "--meaning=-im=output-name",
        "--",
        "myrender",
        "-im",
        "out/beauty.png",
        "kiln.pov",
    ]);
    assert_eq!(code, Some(2), "{shown}");
    assert!(shown.contains("--meaning=3=output"), "{shown}");
}
