//! A real ray tracer: the frames are the ones that it makes itself, pixel for pixel.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::path::Path;
use std::process::Command;

use common::{Project, needs};

const SCENE: &str = r#"
#version 3.7;
global_settings { assumed_gamma 1.0 }
#include "metal.inc"
camera { location <0, 1, -4> look_at 0 }
light_source { <5, 5, -5> rgb 1 }
sphere { <sin(clock * 6.28), 0, 0>, 0.7 texture { Metal } }
"#;
const INCLUDE: &str = "#declare Metal = texture { pigment { rgb <1, 0.6, 0.2> } }\n";

fn project(picture: &str, path: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"scenes/kiln.pov\"\nframes = \"1-240\"\nsize = \"160x90\"\nengine = \"povray\"\n{picture}\npath = \"{path}\"\n"
    ));
    project.write("scenes/kiln.pov", SCENE);
    project.write("scenes/metal.inc", INCLUDE);
    project
}

/// The same frames by the ray tracer alone; gives the folder.
fn alone(project: &Project, arguments: &[&str]) -> std::path::PathBuf {
    let folder = project.path("alone");
    fs::create_dir(&folder).unwrap();
    let status = Command::new("povray")
        .args(["+I../scenes/kiln.pov", "+L../scenes", "+W160", "+H90"])
        .args(["+KFI1", "+KFF240", "+SF8", "+EF12", "-D", "-V"])
        .args(arguments)
        .current_dir(&folder)
        .output()
        .unwrap()
        .status;
    assert!(status.success());
    folder
}

fn png_pixels(path: &Path) -> (png::OutputInfo, Vec<u8>) {
    let file = std::io::BufReader::new(fs::File::open(path).unwrap());
    let mut reader = png::Decoder::new(file).read_info().unwrap();
    let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
    let info = reader.next_frame(&mut pixels).unwrap();
    (info, pixels)
}

fn exr_pixels(path: &Path) -> Vec<(String, Vec<f32>)> {
    let image = exr::prelude::read_first_flat_layer_from_file(path).unwrap();
    image
        .layer_data
        .channel_data
        .list
        .iter()
        .map(|channel| {
            let values = channel.sample_data.values_as_f32().collect();
            (channel.name.to_string(), values)
        })
        .collect()
}

#[test]
fn png_of_16_bits_with_alpha_pixel_for_pixel() {
    if !needs("povray") {
        return;
    }
    let project = project(
        "channels = \"rgba\"\nbits = 16",
        "out/{scene}_v007.{frame:05}.png",
    );
    project.call(&["run", "--frames", "8-12"]).ends(0);
    let names: Vec<String> = (8..=12)
        .map(|frame| format!("kiln_v007.{frame:05}.png"))
        .collect();
    assert_eq!(project.files("out"), names);
    let alone = alone(&project, &["+Oa.png", "+FN16", "+UA"]);
    for frame in 8..=12 {
        let (info, ours) = png_pixels(&project.path(&format!("out/kiln_v007.{frame:05}.png")));
        let (_, theirs) = png_pixels(&alone.join(format!("a{frame:03}.png")));
        assert_eq!(info.bit_depth, png::BitDepth::Sixteen);
        assert_eq!(info.color_type, png::ColorType::Rgba);
        assert_eq!((info.width, info.height), (160, 90));
        assert!(ours == theirs, "frame {frame} differs");
    }
    let (_, one) = png_pixels(&project.path("out/kiln_v007.00008.png"));
    let (_, other) = png_pixels(&project.path("out/kiln_v007.00012.png"));
    assert!(one != other, "the clock stands still");
}

#[test]
fn exr_pixel_for_pixel() {
    if !needs("povray") {
        return;
    }
    let project = project(
        "channels = \"rgba\"\nbits = \"half\"",
        "out/{scene}.{frame:04}.exr",
    );
    project.call(&["run", "--frames", "8-12"]).ends(0);
    assert_eq!(project.files("out").len(), 5);
    let alone = alone(&project, &["+Oa.exr", "+FE", "+UA"]);
    for frame in 8..=12 {
        let ours = exr_pixels(&project.path(&format!("out/kiln.{frame:04}.exr")));
        assert_eq!(ours.len(), 4);
        assert!(
            ours == exr_pixels(&alone.join(format!("a{frame:03}.exr"))),
            "frame {frame} differs"
        );
    }
}

#[test]
fn every_picture_that_its_profile_promises() {
    if !needs("povray") {
        return;
    }
    for (extension, channels, bits) in [
        ("png", "rgb", "8"),
        ("png", "rgba", "8"),
        ("png", "rgb", "16"),
        ("exr", "rgb", "\"half\""),
        ("jpg", "rgb", "8"),
    ] {
        let project = project(
            &format!("channels = \"{channels}\"\nbits = {bits}"),
            &format!("out/{{scene}}.{{frame:04}}.{extension}"),
        );
        project.call(&["run", "--frames", "5"]).ends(0);
        assert_eq!(project.files("out"), [format!("kiln.0005.{extension}")]);
    }
}

#[test]
fn a_clip_of_one_frame_has_a_clock_and_gaps_are_processes() {
    if !needs("povray") {
        return;
    }
    let project = project("", "out/{scene}.{frame:04}.png");
    project.call(&["run", "--set", "frames=7"]).ends(0);
    assert_eq!(project.files("out"), ["kiln.0007.png"]);
    let plan = project
        .call(&["commands", "--as", "json", "--frames", "1-3,9"])
        .ends(0)
        .json();
    let lines = plan["steps"].as_array().unwrap();
    assert_eq!(lines.len(), 2);
    assert!(
        lines[1]["arguments"]
            .to_string()
            .contains("\"+KFF240\",\"+SF9\",\"+EF9\"")
    );
}

#[test]
fn a_scene_with_a_mistake_is_reported_with_the_ray_tracers_own_words() {
    if !needs("povray") {
        return;
    }
    let project = project("", "out/{scene}.{frame:04}.png");
    project.write("scenes/kiln.pov", "sphere { nonsense }\n");
    let called = project.call(&["run", "--frames", "1-3"]).ends(1);
    assert!(called.out.contains("exit code 1"), "{}", called.out);
    assert!(
        called.out.contains("Fatal error in parser") || called.out.contains("Parse Error"),
        "{}",
        called.out
    );
    assert_eq!(project.files("out"), [""; 0]);
}

#[test]
fn what_a_scene_includes_counts_and_goes_into_bundles() {
    if !needs("povray") {
        return;
    }
    let project = project("", "out/{scene}.{frame:04}.png");
    let scene = SCENE.replace("#include", "#include \"colors.inc\"\n#include");
    project.write("scenes/kiln.pov", &scene);
    project.write(
        "scenes/metal.inc",
        &format!("#include \"parts/tone.inc\"\n{INCLUDE}"),
    );
    fs::create_dir(project.path("scenes/parts")).unwrap();
    project.write("scenes/parts/tone.inc", "#declare Tone = 1;\n");
    project.call(&["run", "--frames", "1-3"]).ends(0);
    for (file, changed) in [
        ("parts/tone.inc", "#declare Tone = 2;\n"),
        ("metal.inc", INCLUDE),
    ] {
        let file = format!("scenes/{file}");
        let before = project.read(&file);
        project.write(&file, changed);
        let status = project.call(&["status", "--stale", "--frames", "1-3"]);
        assert!(status.out.contains(&file[7..]), "{}", status.out);
        project.write(&file, &before);
        project.call(&["status", "--frames", "1-3"]).ends(0);
    }
    project.call(&["pack", "--to", "away"]).ends(0);
    let packed = project.files("away");
    for file in ["kiln.pov", "metal.inc", "parts/tone.inc"] {
        assert!(packed.iter().any(|path| path.ends_with(file)), "{packed:?}");
    }
    // The ray tracer has that one in a library of its own.
    assert!(!packed.iter().any(|path| path.ends_with("colors.inc")));
}

#[test]
fn odd_names_reach_it_by_plain_ones() {
    if !needs("povray") {
        return;
    }
    let project = Project::new(
        "scene = \"früh & spät/mein 'ofen' $1.pov\"\nframes = \"1-2\"\nsize = \"32x18\"\nengine = \"povray\"\npath = \"aus %d/{scene}.{frame:04}.png\"\n",
    );
    project.write("früh & spät/mein 'ofen' $1.pov", SCENE);
    project.write("früh & spät/metal.inc", INCLUDE);
    project.call(&["run"]).ends(0);
    assert_eq!(
        project.files("aus %d"),
        ["mein 'ofen' $1.0001.png", "mein 'ofen' $1.0002.png"]
    );
}

#[test]
fn eight_chunks_by_two_processes_one_of_them_killed_are_a_single_run_pixel_for_pixel() {
    if !needs("povray") {
        return;
    }
    let project = project(
        "bits = 8\nchunk = 4\nretry-pause = \"0.01s\"\nchannels = \"rgb\"",
        "r/{shot}.{frame:04}.png",
    );
    let job = project.read("truepath.toml");
    let frames = job
        .lines()
        .find(|line| line.starts_with("frames"))
        .unwrap()
        .to_owned();
    project.write("truepath.toml", &job.replace(&frames, "frames = \"1-30\""));
    let mut run = project
        .command(&["run", "--jobs", "2", "--verbose"])
        .stderr(std::process::Stdio::piped())
        .stdout(std::process::Stdio::null())
        .spawn()
        .unwrap();
    let lines = std::io::BufRead::lines(std::io::BufReader::new(run.stderr.take().unwrap()));
    let folder = project.path("").display().to_string();
    let mut killed = false;
    for line in lines {
        // One may be between two frames at any moment.
        if line.unwrap().contains("frame ") && !killed {
            killed = kill_a_ray_tracer(folder.trim_end_matches('/'));
        }
    }
    assert!(run.wait().unwrap().success());
    assert!(killed, "none was at work");
    let plain = alone(
        &project,
        &["+Oa.png", "+FN8", "-UA", "+KFI1", "+KFF30", "+SF1", "+EF30"],
    );
    for frame in 1..=30 {
        let (ours, theirs) = (
            project.path(&format!("r/kiln.{frame:04}.png")),
            plain.join(format!("a{frame:02}.png")),
        );
        assert!(
            png_pixels(&ours).1 == png_pixels(&theirs).1,
            "frame {frame}"
        );
    }
}

/// A picture that takes it a while: a hall of mirrors.
const SLOW: &str = r#"
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 12 }
camera { location <0, 2, -6> look_at 0 }
light_source { <10, 20, -10> rgb 1 area_light 3*x, 3*z, 5, 5 adaptive 0 }
plane { y, -1 pigment { checker rgb 0.9 rgb 0.2 } finish { reflection 0.4 } }
#for (i, -3, 3) #for (j, -3, 3)
sphere { <i, 0, j>, 0.45 pigment { rgb <0.8, 0.5, 0.2> } finish { reflection 0.7 } }
#end #end
"#;

#[test]
fn a_frame_that_was_stopped_goes_on_where_it_was_pixel_for_pixel() {
    goes_on_after(rustix::process::Signal::INT);
}

#[test]
fn a_frame_goes_on_where_it_was_when_the_run_was_killed() {
    goes_on_after(rustix::process::Signal::KILL);
}

/// Ends a run in the middle of its frame by a signal, long before a checkpoint is copied.
fn goes_on_after(signal: rustix::process::Signal) {
    if !needs("povray") {
        return;
    }
    let project = Project::new(
        "scene = \"scenes/kiln.pov\"\nframes = \"1\"\nsize = \"640x480\"\nengine = \"povray\"\n\
         channels = \"rgb\"\nbits = 8\npath = \"r/{shot}.{frame:04}.png\"\n",
    );
    project.write("scenes/kiln.pov", SLOW);
    let mut run = project.start();
    // Until it has written a good part of its pixels to its checkpoint.
    let folders = || {
        fs::read_dir(project.path("r"))
            .into_iter()
            .flatten()
            .flatten()
    };
    let far = |folder: fs::DirEntry| {
        let files = fs::read_dir(folder.path()).into_iter().flatten().flatten();
        files.into_iter().any(|file| {
            file.path()
                .extension()
                .is_some_and(|end| end == "pov-state")
                && file.metadata().is_ok_and(|facts| facts.len() > 1_000_000)
        })
    };
    while !folders().any(far) {
        std::thread::yield_now();
    }
    let id = rustix::process::Pid::from_raw(run.id().try_into().unwrap()).unwrap();
    rustix::process::kill_process(id, signal).unwrap();
    let ended = run.wait().unwrap();
    if signal == rustix::process::Signal::INT {
        assert_eq!(ended.code(), Some(130));
        assert_eq!(project.files(".truepath/checkpoints").len(), 1);
    }
    assert_eq!(project.files("r").len(), 0);
    let called = project.call(&["run"]).ends(0);
    let continued = "frame 1 is continued from its checkpoint";
    assert!(called.err.contains(continued), "{}", called.err);
    // Neither its state nor anything else is left.
    assert_eq!(project.files("r"), ["kiln.0001.png"]);
    let logs = fs::read_dir(project.path(".truepath/logs/0002")).unwrap();
    let log = logs
        .flatten()
        .map(|log| fs::read_to_string(log.path()).unwrap());
    let log: String = log.collect();
    assert!(log.contains("Continued trace......On"), "{log}");
    assert!(log.contains("(Partial Image Rendered)"), "{log}");
    assert_eq!(project.files(".truepath/checkpoints").len(), 0);
    let folder = project.path("alone");
    fs::create_dir(&folder).unwrap();
    let alone = Command::new("povray")
        .args([
            "+I../scenes/kiln.pov",
            "+Oa.png",
            "+W640",
            "+H480",
            "+FN8",
            "-UA",
        ])
        .args(["+KFI1", "+KFF1", "+SF1", "+EF1", "-D", "-V"])
        .current_dir(&folder)
        .output()
        .unwrap();
    assert!(alone.status.success());
    let ours = png_pixels(&project.path("r/kiln.0001.png")).1;
    let theirs = png_pixels(&folder.join("a.png")).1;
    assert_eq!(ours.len(), theirs.len());
    // Continued by hand, it rounds a value the other way now and then.
    let pairs = ours.iter().zip(&theirs);
    let apart: Vec<u8> = pairs.map(|(one, other)| one.abs_diff(*other)).collect();
    let other = apart.iter().filter(|apart| **apart > 0).count();
    assert!(
        other <= 3 && apart.iter().all(|apart| *apart <= 1),
        "{other} values differ"
    );
}

/// Kills one ray tracer that works below a folder.
fn kill_a_ray_tracer(folder: &str) -> bool {
    for entry in std::fs::read_dir("/proc").unwrap().flatten() {
        let works_there = std::fs::read_link(entry.path().join("cwd"))
            .is_ok_and(|path| path.to_string_lossy().starts_with(folder));
        let name = std::fs::read_to_string(entry.path().join("comm")).unwrap_or_default();
        if works_there
            && name.trim() == "povray"
            && let Ok(number) = entry.file_name().to_string_lossy().parse()
            && let Some(process) = rustix::process::Pid::from_raw(number)
        {
            return rustix::process::kill_process(process, rustix::process::Signal::KILL).is_ok();
        }
    }
    false
}

#[test]
fn it_reports_how_far_each_frame_is() {
    if !needs("povray") {
        return;
    }
    let project = project("chunk = 3\njobs = 1", "renders/kiln.{frame:03}.png");
    let call = ["run", "--frames", "8-10", "--events", "events.jsonl"];
    project.call(&call).ends(0);
    let events = project.read("events.jsonl");
    let events = events
        .lines()
        .map(|line| serde_json::from_str::<serde_json::Value>(line).unwrap());
    let (mut at, mut seen) = (None, std::collections::BTreeMap::new());
    for event in events {
        match event["event"].as_str() {
            Some("frame") => at = event["frame"].as_i64(),
            Some("progress") => {
                let percent = event["percent"].as_f64().unwrap();
                seen.entry(at.unwrap())
                    .or_insert_with(Vec::new)
                    .push(percent);
            }
            _ => {}
        }
    }
    assert_eq!(seen.keys().copied().collect::<Vec<i64>>(), [8, 9, 10]);
    for (frame, percents) in &seen {
        assert!(percents.len() >= 2, "{frame}: {percents:?}");
        let range = 0.0..=100.0;
        let within = percents.iter().all(|percent| range.contains(percent));
        assert!(within, "{frame}: {percents:?}");
    }
    // What it printed thousands of times is in its log once for each percent.
    let logs = project.files(".truepath/logs/0001");
    let log: String = logs
        .iter()
        .map(|log| project.read(&format!(".truepath/logs/0001/{log}")))
        .collect();
    let printed: Vec<f64> = log
        .lines()
        .filter_map(|line| line.split_once("pixels (")?.1.split('%').next())
        .map(|percent| percent.parse().unwrap())
        .collect();
    assert!((3..=300).contains(&printed.len()), "{log}");
    // Its threads print without an order; what is reported is what it printed.
    let reported: Vec<f64> = seen.values().flatten().map(|one| one.round()).collect();
    assert_eq!(reported, printed, "{log}");
}
