//! Comparisons: their numbers are those of the pixels, and nothing that differs or is missing goes unsaid.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::Path;
use std::process::Command;

use common::{Project, kiln, linear, needs, picture, picture_of};
use truepath_core::picture::{Bits, Channels, Size};
use truepath_media::{Canvas, write_exr};

#[test]
fn two_versions_are_compared_frame_by_frame_the_worst_first() {
    let project = Project::empty();
    for version in ["v002", "v003"] {
        fs::create_dir(project.path(version)).unwrap();
        for frame in 1..=5 {
            let shade = if version == "v003" && frame == 4 {
                9
            } else {
                frame
            };
            fs::write(
                project.path(&format!("{version}/dawn_{version}.{frame:04}.png")),
                picture(shade),
            )
            .unwrap();
        }
    }
    let called = project.call(&["compare", "v002", "v003"]).ends(1);
    let first = called.out.lines().nth(1).unwrap();
    assert!(first.contains("     4  "), "{}", called.out);
    assert!(
        called
            .out
            .contains("5 frames compared, 4 within a tolerance of 0"),
        "{}",
        called.out
    );
    project.call(&["compare", "v002", "v002"]).ends(0);
    project
        .call(&["compare", "v002", "v003", "--tolerance", "1"])
        .ends(0);
    // What only one side has, another size and what is broken are said.
    fs::remove_file(project.path("v003/dawn_v003.0002.png")).unwrap();
    fs::write(
        project.path("v003/dawn_v003.0003.png"),
        picture_of(9, 8, png::ColorType::Rgb, 3),
    )
    .unwrap();
    fs::write(
        project.path("v003/dawn_v003.0005.png"),
        b"\x89PNG\r\n\x1a\nhalf",
    )
    .unwrap();
    let called = project
        .call(&["compare", "v002", "v003", "--to", "worst.png"])
        .ends(1);
    for part in [
        "only the first has",
        "only the first has frame 2 of",
        "the first has 8x8 pixels and the second 9x8",
        "the second: it is cut short",
    ] {
        assert!(called.out.contains(part), "{part}: {}", called.out);
    }
    assert!(project.path("worst.png").is_file());
    let json = project
        .call(&["compare", "v002", "v003", "--format", "json"])
        .ends(1)
        .json();
    assert_eq!(json["alike"], false);
    let shares: Vec<Option<f64>> = json["frames"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["share"].as_f64())
        .collect();
    assert_eq!(shares.len(), 4);
    assert!(
        shares[..2].iter().all(Option::is_none) && shares[2] > shares[3],
        "{shares:?}"
    );
}

#[test]
fn a_difference_is_what_the_pixels_say() {
    let project = Project::empty();
    linear(&project.path("a.exr"), 0.25, 0.25);
    linear(&project.path("b.exr"), 0.25, 0.75);
    let json = project
        .call(&["compare", "a.exr", "b.exr", "--format", "json"])
        .ends(1)
        .json();
    let frame = &json["frames"][0];
    // A sixteenth of the pixels differs by a half in all three colors.
    assert_eq!(
        (frame["largest"].as_f64(), frame["share"].as_f64()),
        (Some(0.5), Some(1.0 / 16.0))
    );
    assert!((frame["mean"].as_f64().unwrap() - 0.5 / 16.0).abs() < 1e-6);
    assert!(frame["ssim"].as_f64().unwrap() < 0.99);
    // In display values the same is another number.
    let json = project
        .call(&[
            "compare", "a.exr", "b.exr", "--values", "display", "--format", "json",
        ])
        .ends(1)
        .json();
    let largest = json["frames"][0]["largest"].as_f64().unwrap();
    assert!(
        (largest - (225.0 - 137.0) / 255.0).abs() < 0.005,
        "{largest}"
    );
    // Further layers are compared by --per-pass only, and the output says so.
    let size = Size {
        width: 16,
        height: 16,
    };
    let plane = |name: &str| (name.to_owned(), Canvas::new(size, Channels::Rgb));
    let file = fs::File::create(project.path("layers.exr")).unwrap();
    write_exr(
        &[plane(""), plane("depth")],
        std::io::BufWriter::new(file),
        Bits::Half,
        "zip",
        1.0,
    )
    .unwrap();
    let called = project
        .call(&["compare", "layers.exr", "layers.exr"])
        .ends(0);
    assert!(
        called.out.contains("not compared in 1 frame: "),
        "{}",
        called.out
    );
    // Pixels that are a number on one side alone differ whatever is allowed.
    linear(&project.path("c.exr"), 0.25, f32::NAN);
    let called = project
        .call(&["compare", "a.exr", "c.exr", "--tolerance", "9"])
        .ends(1);
    assert!(
        called
            .out
            .contains("256 pixels have a number on one side alone"),
        "{}",
        called.out
    );
}

/// An EXR with a layer of each value.
fn layered(path: &Path, layers: &[(&str, f32)]) {
    let size = Size {
        width: 16,
        height: 16,
    };
    let planes: Vec<(String, Canvas)> = layers
        .iter()
        .map(|(name, value)| {
            let mut canvas = Canvas::new(size, Channels::Rgb);
            canvas.values.fill(*value);
            ((*name).to_owned(), canvas)
        })
        .collect();
    let file = std::io::BufWriter::new(fs::File::create(path).unwrap());
    write_exr(&planes, file, Bits::Half, "zip", 1.0).unwrap();
}

#[test]
fn each_pass_is_compared_by_itself() {
    let project = Project::empty();
    for side in ["old", "new"] {
        fs::create_dir(project.path(side)).unwrap();
        for frame in 1..=3 {
            // The depth of one frame differs, and another layer has gone.
            let depth = if side == "new" && frame == 2 {
                0.75
            } else {
                0.5
            };
            let mut layers = vec![("", 0.25), ("depth", depth)];
            if side == "old" {
                layers.push(("shadow", 1.0));
            }
            let name = format!("{side}/dawn.{frame:04}.exr");
            layered(&project.path(&name), &layers);
        }
    }
    // The main layer alone says nothing of it.
    let called = project.call(&["compare", "old", "new"]).ends(0);
    assert!(called.out.contains("not compared"), "{}", called.out);
    let called = project
        .call(&["compare", "old", "new", "--per-pass"])
        .ends(1);
    let lines: Vec<Vec<&str>> = called
        .out
        .lines()
        .map(|line| line.split_whitespace().collect())
        .collect();
    let line = |pass: &str| lines.iter().find(|words| words.contains(&pass)).unwrap();
    let (depth, shadow) = (line("depth"), line("shadow"));
    assert_eq!(
        depth[depth.len() - 7..][..3],
        ["3", "2", "0.25000"],
        "{depth:?}"
    );
    assert!(
        called.out.contains("only the first has this layer"),
        "{shadow:?}"
    );
    assert!(
        called.out.contains("9 passes of frames compared, 5 within"),
        "{}",
        called.out
    );
    let json = project
        .call(&["compare", "old", "new", "--per-pass", "--format", "json"])
        .ends(1)
        .json();
    let wrong: Vec<(Option<&str>, Option<f64>)> = json["frames"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| (one["layer"].as_str(), one["share"].as_f64()))
        .filter(|(_, share)| *share != Some(0.0))
        .collect();
    assert_eq!(wrong.len(), 4);
    assert_eq!(wrong[3], (Some("depth"), Some(1.0)));
    project
        .call(&["compare", "new", "new", "--per-pass", "--to", "same.png"])
        .ends(0);
    // Pictures of other formats have one layer.
    fs::write(project.path("one.png"), picture(1)).unwrap();
    project
        .call(&["compare", "one.png", "one.png", "--per-pass"])
        .ends(0);
}

#[test]
fn a_renderer_that_repeats_itself_is_known_and_so_is_one_that_does_not() {
    let project = kiln("1-9", "", "");
    project.call(&["run", "--quiet"]).ends(0);
    let called = project.call(&["compare", "--against-itself"]).ends(0);
    assert!(
        called.out.contains("3 frames compared, 3 within"),
        "{}",
        called.out
    );
    assert!(project.path("repeat-1").exists() || project.path("renders/repeat-1").exists());
    // Nothing of the first rendering has gone, and a second call has a folder of its own.
    project.call(&["audit"]).ends(0);
    for (frames, folder) in [("2,3", "repeat-1"), ("3,4", "repeat-2")] {
        let json = project
            .call(&[
                "compare",
                "--against-itself",
                "--frames",
                frames,
                "--format",
                "json",
            ])
            .ends(0)
            .json();
        let seconds = json["frames"].as_array().unwrap().iter();
        let seconds: Vec<&str> = seconds.map(|one| one["second"].as_str().unwrap()).collect();
        assert_eq!(seconds.len(), 2);
        assert!(
            seconds.iter().all(|path| path.contains(folder)),
            "{seconds:?}"
        );
    }

    // What was made with other settings says nothing about the renderer.
    let job = project.read("truepath.toml");
    project.write(
        "truepath.toml",
        &job.replace("retries = 0", "retries = 0\nsettings = { exposure = 1 }"),
    );
    let refused = project.call(&["compare", "--against-itself"]).ends(2);
    assert!(refused.err.contains("frame 1 is stale"), "{}", refused.err);
    assert!(!project.path("repeat-3").exists());

    // A renderer whose pictures change with something that no job knows of.
    let project = Project::new(
        "scene = \"kiln.scene\"\nframes = \"1-2\"\npath = \"r/kiln.{frame:04}.png\"\n\
         retries = 0\nrun = [\"sh\", \"{place.job}/engine.sh\", \"{frame}\", \"{target}\", \"{place.job}\"]\n",
    );
    project.write("kiln.scene", "");
    project.write("engine.sh", "cp \"$3/now$1.png\" \"$2\"\n");
    let now = |number: u8, shade: u8| {
        let name = format!("now{number}.png");
        fs::write(project.path(&name), picture(shade)).unwrap();
    };
    now(1, 1);
    now(2, 1);
    // What is not there cannot be compared.
    let called = project.call(&["compare", "--against-itself"]).ends(2);
    assert!(
        called.err.contains("nothing of it is rendered yet"),
        "{}",
        called.err
    );
    project.call(&["run", "--quiet"]).ends(0);
    now(2, 9);
    let called = project.call(&["compare", "--against-itself"]).ends(1);
    assert!(
        called.out.contains("2 frames compared, 1 within"),
        "{}",
        called.out
    );
    // Nothing is compared where the second rendering fails.
    fs::remove_file(project.path("now1.png")).unwrap();
    let called = project.call(&["compare", "--against-itself"]).ends(2);
    assert!(
        called.err.contains("so nothing was compared"),
        "{}",
        called.err
    );
}

/// The figures of two pictures by a tool that nobody here wrote: root mean square, mean and largest difference.
fn by_idiff(project: &Project, files: [&str; 2]) -> [f64; 3] {
    let mut idiff = Command::new("idiff");
    idiff.args(["-fail", "0", "-warn", "0"]).args(files);
    let out = idiff.current_dir(project.path("")).output().unwrap();
    let out = String::from_utf8(out.stdout).unwrap();
    ["RMS error", "Mean error", "Max error"].map(|name| {
        let line = out.lines().find(|line| line.contains(name)).unwrap();
        let value = line.split('=').nth(1).unwrap().trim();
        value.split_whitespace().next().unwrap().parse().unwrap()
    })
}

#[test]
fn figures_are_those_of_other_programs() {
    if !needs("idiff") || !needs("oiiotool") {
        return;
    }
    let project = Project::empty();
    let oiio = |arguments: &str| {
        let mut tool = Command::new("oiiotool");
        tool.args(arguments.split_whitespace());
        assert!(
            tool.current_dir(project.path(""))
                .status()
                .unwrap()
                .success()
        );
    };
    for (name, channels, depth, values) in [
        ("gray.png", 1, "uint8", "display"),
        ("gray16.png", 1, "uint16", "display"),
        ("rgb.png", 3, "uint8", "display"),
        ("rgb16.png", 3, "uint16", "display"),
        ("rgb.tif", 3, "uint16", "display"),
        ("half.exr", 3, "half", "linear"),
        ("float.exr", 3, "float", "linear"),
    ] {
        let second = format!("other-{name}");
        let gradient = format!(
            "--pattern fill:top=0.1,0.2,0.3:bottom=0.9,0.7,0.5 96x64 3 --ch {}",
            if channels == 1 { "0" } else { "0,1,2" }
        );
        oiio(&format!("{gradient} -d {depth} -o {name}"));
        let noise = "--noise:type=gaussian:mean=0:stddev=0.02:seed=7";
        oiio(&format!("{gradient} {noise} -d {depth} -o {second}"));
        let called = project.call(&[
            "compare", name, &second, "--values", values, "--format", "json",
        ]);
        let seen = &called.ends(1).json()["frames"][0];
        let figure = |key: &str| seen[key].as_f64().unwrap();
        let [rms, mean, largest] = by_idiff(&project, [name, &second]);
        let psnr = -20.0 * rms.log10();
        for (key, theirs) in [("mean", mean), ("largest", largest), ("psnr", psnr)] {
            let away = (figure(key) - theirs).abs() / theirs;
            assert!(away < 2e-4, "{name} {key}: {} and {theirs}", figure(key));
        }
        assert_eq!(figure("alpha_largest"), 0.0);
    }
}
