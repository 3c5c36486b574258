//! Parts of a job go to machines that share nothing, and their frames come home.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use common::bundles::{Home, job, rendered_at_home};
use common::{called, program, scene};

#[test]
fn four_machines_bring_the_same_frames_home_as_one() {
    let home = Home::new("");
    let packed = home.pack(&["--parts", "4"]).ends(0);
    assert!(
        packed.err.contains("2 outputs are made at home"),
        "{}",
        packed.err
    );
    let names: Vec<String> = (1..=4)
        .map(|part| format!("orrery-v003-part{part}of4"))
        .collect();
    let mut bundles = Vec::new();
    for (name, machine) in names.iter().zip(["north", "south", "east", "west"]) {
        bundles.push(home.render(name, machine));
    }
    // One is lost.
    fs::remove_dir_all(&bundles[2]).unwrap();
    let there: Vec<&Path> = bundles.iter().map(PathBuf::as_path).collect();
    let gathered = home.gather(&there).ends(1);
    assert!(gathered.out.contains("is no bundle"), "{}", gathered.out);
    let some = home.frames().len();
    assert!((1..18).contains(&some), "{some}");
    // Its frames are packed once more, and nothing else.
    let again = home.pack(&["--missing", "--output", "frames"]).ends(0);
    assert!(again.out.contains("orrery-v003-part1of1"), "{}", again.out);
    let last = home.render("orrery-v003-part1of1", "east");
    // By a path with links and `..` in it, as people have them.
    std::os::unix::fs::symlink(last.parent().unwrap(), home.project.path("home/stick")).unwrap();
    let by_link = Path::new("../stick/orrery-v003-part1of1");
    let gathered = home.gather(&[by_link]).ends(0);
    assert!(!gathered.out.contains("adopted"), "{}", gathered.out);
    assert_eq!(home.frames(), rendered_at_home());
    // Once more, it changes nothing.
    let before = home.frames();
    let same = home.gather(&[&bundles[0], &last]).ends(0);
    assert!(same.out.contains("0 files brought home"), "{}", same.out);
    assert_eq!(home.frames(), before);
    // The job knows them, and who made them; only the movies are left.
    let run = home.call(&["run"]).ends(0);
    assert!(run.out.contains("  rendered        2 "), "{}", run.out);
    home.call(&["audit"]).ends(0);
    let why = home
        .call(&["why", "../out/dawn/dawn_v003.0001.png"])
        .ends(0);
    assert!(why.out.contains("on north by understudy"), "{}", why.out);
    // Nothing of ours is left beside them.
    let left = fs::read_dir(home.project.path("home/out/dawn")).unwrap();
    assert_eq!(left.count(), 12);
}

#[test]
fn the_same_content_gives_the_same_bytes() {
    let (one, other) = (Home::new(""), Home::new(""));
    for home in [&one, &other] {
        home.pack(&["--weights", "1,2"]).ends(0);
    }
    let files = |home: &Home| {
        let files = home.project.files("away").into_iter();
        files
            .map(|name| {
                let bytes = fs::read(home.project.path(&format!("away/{name}"))).unwrap();
                (name, bytes)
            })
            .collect::<BTreeMap<_, _>>()
    };
    let packed = files(&one);
    assert_eq!(packed, files(&other));
    for name in [
        "truepath.toml",
        "studio.toml",
        "own/dusk.toml",
        "places/scenes/dawn.toml",
        "bundle.json",
        "README",
        "start.sh",
        "start.cmd",
        "render.sh",
        "render.cmd",
    ] {
        assert!(
            packed.contains_key(&format!("orrery-v003-part2of2/{name}")),
            "{name}"
        );
    }
    let text = String::from_utf8(packed["orrery-v003-part1of2/truepath.toml"].clone()).unwrap();
    assert!(
        text.starts_with("# the show\n") && text.contains("[part]"),
        "{text}"
    );
    assert!(
        !text.contains("..") && text.contains("frames = \"1-6\"") || text.contains("= \"1-"),
        "{text}"
    );
    // No path of this machine is in any of them.
    let here = one.project.path("").display().to_string();
    for (name, bytes) in &packed {
        assert!(!String::from_utf8_lossy(bytes).contains(&here), "{name}");
    }
    let taken = one.pack(&["--weights", "1,2"]).ends(2);
    assert!(taken.err.contains("is there already"), "{}", taken.err);
}

#[test]
fn a_bundle_is_rendered_by_its_script_alone() {
    let home = Home::new("");
    home.pack(&["--parts", "2"]).ends(0);
    let bundle = home.project.path("deep er/it's here");
    fs::create_dir_all(bundle.parent().unwrap()).unwrap();
    fs::rename(home.bundle("orrery-v003-part1of2"), &bundle).unwrap();
    // The simulated renderer is this program.
    let bin = home.project.path("bin");
    fs::create_dir(&bin).unwrap();
    std::os::unix::fs::symlink(program(), bin.join("truepath")).unwrap();
    let mut script = Command::new("sh");
    let path = format!("{}:/usr/bin:/bin", bin.display());
    script
        .arg(bundle.join("render.sh"))
        .env("PATH", path)
        .current_dir("/");
    called(script).ends(0);
    let gathered = home.gather(&[&bundle]).ends(0);
    assert!(
        gathered.out.contains("no run has recorded what made them"),
        "{}",
        gathered.out
    );
    let all = rendered_at_home();
    let frames = home.frames();
    assert_eq!(frames.len(), 9);
    assert!(frames.iter().all(|(name, bytes)| all[name] == *bytes));
    home.call(&["audit"]).ends(1);
}

#[test]
fn what_came_back_otherwise_is_not_mixed_in() {
    let home = Home::new("");
    home.pack(&["--parts", "1"]).ends(0);
    let bundle = home.render("orrery-v003-part1of1", "north");
    let frame = |name: &str| bundle.join("places/renders").join(name);
    // Changed bytes, a cut file, a link, and one that is gone.
    let path = frame("dawn/dawn_v003.0001.png");
    let mut bytes = fs::read(&path).unwrap();
    bytes.extend(b"more");
    fs::write(&path, bytes).unwrap();
    let path = frame("dawn/dawn_v003.0002.png");
    let bytes = fs::read(&path).unwrap();
    fs::write(&path, &bytes[..bytes.len() / 2]).unwrap();
    let path = frame("dawn/dawn_v003.0003.png");
    fs::remove_file(&path).unwrap();
    std::os::unix::fs::symlink("/etc/hostname", &path).unwrap();
    fs::remove_file(frame("dawn/dawn_v003.0004.png")).unwrap();
    // Somebody's own file has the name of one, at home.
    fs::create_dir_all(home.project.path("home/out/dawn")).unwrap();
    home.project
        .write("home/out/dawn/dawn_v003.0005.png", "mine");
    let gathered = home.gather(&[&bundle]).ends(1);
    for words in [
        "its bytes are not those that were published on the other machine",
        "it is cut short or damaged",
        "it is a link or a folder",
        "missing  dawn · frames: frame 4",
        "another file has its name, and is not replaced",
    ] {
        assert!(gathered.out.contains(words), "{words}: {}", gathered.out);
    }
    assert_eq!(
        home.project.read("home/out/dawn/dawn_v003.0005.png"),
        "mine"
    );
    assert_eq!(home.frames().len(), 14);
    // The job at home has changed since: frames of before are stale, and not taken.
    let home = Home::new("");
    home.pack(&["--parts", "1"]).ends(0);
    let bundle = home.render("orrery-v003-part1of1", "north");
    home.project
        .write("home/show/truepath.toml", &job("settings.exposure = 1"));
    let gathered = home.gather(&[&bundle]).ends(1);
    assert!(
        gathered.out.contains("made with other settings"),
        "{}",
        gathered.out
    );
    assert!(home.frames().is_empty());
    // Another version does not take the frames of this one for its own.
    let later = job("").replace("version = 3", "version = 4");
    home.project.write("home/show/truepath.toml", &later);
    let gathered = home.gather(&[&bundle]).ends(1);
    let words = "the job calls it dawn_v004.0001.png now, and the bundle dawn_v003.0001.png";
    assert!(gathered.out.contains(words), "{}", gathered.out);
    assert!(home.frames().is_empty());
    // A scene that was edited on the way makes other pictures, whatever its name.
    let home = Home::new("");
    home.pack(&["--parts", "1"]).ends(0);
    let dusk = home.bundle("orrery-v003-part1of1").join("own/dusk.toml");
    let text = fs::read_to_string(&dusk).unwrap();
    fs::write(&dusk, text.replace("radius = 0.2", "radius = 0.3")).unwrap();
    let bundle = home.render("orrery-v003-part1of1", "north");
    let gathered = home.gather(&[&bundle]).ends(1);
    assert!(
        gathered.out.contains("own/dusk.toml: not as it was packed"),
        "{}",
        gathered.out
    );
    assert!(gathered.out.contains("stale    dusk"), "{}", gathered.out);
    assert_eq!(home.frames().len(), 12);
}

#[test]
fn bundles_that_are_none_are_refused_by_name_and_the_others_are_taken() {
    let home = Home::new("");
    home.pack(&["--parts", "3"]).ends(0);
    let good = home.render("orrery-v003-part1of3", "north");
    let (old, evil) = (
        home.bundle("orrery-v003-part2of3"),
        home.bundle("orrery-v003-part3of3"),
    );
    let list = |bundle: &Path| bundle.join("bundle.json");
    let text = fs::read_to_string(list(&old)).unwrap();
    fs::write(list(&old), text.replace("\"version\": 1", "\"version\": 7")).unwrap();
    let text = fs::read_to_string(list(&evil)).unwrap();
    fs::write(
        list(&evil),
        text.replace("own/dusk.toml", "../../dusk.toml"),
    )
    .unwrap();
    let none = home.project.path("home");
    let gathered = home.gather(&[&old, &evil, &none, &good, &good]).ends(1);
    for words in [
        "version 7",
        "leads out of the bundle",
        "is no bundle",
        "6 files brought home",
    ] {
        assert!(gathered.out.contains(words), "{words}: {}", gathered.out);
    }
    assert_eq!(home.frames().len(), 6);
    // What lies where no other machine has it is listed, and nothing is written.
    let text = job("").replace("own/dusk.toml", "../elsewhere/dusk.toml");
    home.project.write("home/show/truepath.toml", &text);
    fs::create_dir(home.project.path("home/elsewhere")).unwrap();
    home.project.write("home/elsewhere/dusk.toml", &scene(""));
    let refused = home.pack(&["--parts", "2"]).ends(2);
    assert!(
        refused.err.contains("elsewhere/dusk.toml ("),
        "{}",
        refused.err
    );
    assert!(!home.bundle("orrery-v003-part1of2").exists());
    // What is larger than the disk is found before anything is written: a file with a hole takes no room here.
    home.project.write("home/show/truepath.toml", &job(""));
    home.project.write(
        "home/show/own/dusk.toml.facts.json",
        r#"{ "files": ["huge.cache"] }"#,
    );
    let huge = fs::File::create(home.project.path("home/show/own/huge.cache")).unwrap();
    huge.set_len(2_000_000_000_000).unwrap();
    let refused = home
        .pack(&["--parts", "2", "--shot", "dusk", "--output", "frames"])
        .ends(2);
    assert!(
        refused.err.contains("2.0 TB") && refused.err.contains("are free"),
        "{}",
        refused.err
    );
    assert!(!home.bundle("orrery-v003-part1of2").exists());
    fs::remove_file(home.project.path("home/show/own/huge.cache")).unwrap();
    fs::remove_file(home.project.path("home/show/own/dusk.toml.facts.json")).unwrap();
    for (arguments, words) in [
        (&["--set", "size=8x8"][..], "is not packed"),
        (&["--weights", "1,x"], "whole numbers"),
        (&["--weights", "1,2", "--parts", "3"], "names 2 machines"),
    ] {
        let refused = home.pack(arguments).ends(2);
        assert!(
            refused.err.contains(words),
            "{arguments:?}: {}",
            refused.err
        );
    }
}

#[test]
fn a_gather_that_is_killed_at_any_step_is_finished_by_the_next() {
    let all = rendered_at_home();
    for point in [
        "gather-copied",
        "gather-renamed",
        "gather-recorded",
        "ended",
    ] {
        let home = Home::new("");
        home.pack(&["--parts", "1"]).ends(0);
        let bundle = home.render("orrery-v003-part1of1", "north");
        for step in [1, 2, 3] {
            let mut command = home.project.command(&["gather", bundle.to_str().unwrap()]);
            command
                .current_dir(home.project.path("home/show"))
                .env("TRUEPATH_CRASH_AT", point);
            let code = called(command).code;
            assert!(code.is_none() || step > 1, "{point} was not reached");
            // Whatever has a true name is whole.
            let frames = home.frames();
            assert!(frames.iter().all(|(name, bytes)| all[name] == *bytes));
        }
        home.gather(&[&bundle]).ends(0);
        assert_eq!(home.frames(), all, "{point}");
        home.call(&["audit", "--output", "frames"]).ends(0);
        let left = fs::read_dir(home.project.path("home/out/dawn")).unwrap();
        assert_eq!(left.count(), 12, "{point}");
        // The next run finds nothing to do but the movies, and no trace of what was killed.
        home.call(&["run"]).ends(0);
        assert_eq!(home.frames(), all, "{point}");
    }
}

#[test]
fn a_bundle_is_rendered_on_windows_by_its_script_alone() {
    if !common::needs("wine") {
        return;
    }
    // A renderer that Windows has: it copies the scene.
    let home = Home::new("");
    home.project.write(
        "home/show/engines/copier.toml",
        "engine = { name = \"copier\", program = \"cmd\", frames = \"one\" }\n\
         arguments = [\"/c\", \"copy\", \"{scene.file}\", \"p_{frame}.png\"]\noutput-name = \"p_{frame:?}.png\"\n",
    );
    home.project
        .write("home/show/studio.toml", "[project]\nengine = \"copier\"\n");
    for scene in ["home/scenes/dawn.toml", "home/show/own/dusk.toml"] {
        fs::write(
            home.project.path(scene),
            common::picture_of(48, 32, png::ColorType::Rgb, 7),
        )
        .unwrap();
    }
    home.pack(&["--parts", "2", "--output", "frames"]).ends(0);
    // The command processor as a renderer takes no blanks in its words.
    let bundle = home.project.path("deep/er/there");
    fs::create_dir_all(bundle.parent().unwrap()).unwrap();
    fs::rename(home.bundle("orrery-v003-part1of2"), &bundle).unwrap();
    let printed = common::windows::run_batch(&bundle, "render.cmd");
    assert!(printed.contains("0 failed, 0 files missing"), "{printed}");
    let gathered = home.gather(&[&bundle]).ends(0);
    assert!(
        gathered.out.contains("9 files, 0 there already"),
        "{}",
        gathered.out
    );
    assert_eq!(home.frames().len(), 9);
}

#[test]
fn a_job_that_no_batch_file_can_hold_is_packed_all_the_same() {
    let home = Home::new("[token]\nshow = \"d\u{fc}ne\"\n");
    let job = home.project.read("home/show/truepath.toml");
    home.project.write(
        "home/show/truepath.toml",
        &job.replace("/{shot}_v{version", "/{show}_{shot}_v{version"),
    );
    let packed = home.pack(&["--parts", "2", "--output", "frames"]).ends(0);
    assert!(
        packed
            .err
            .contains("the bundles have no render.cmd for Windows: "),
        "{}",
        packed.err
    );
    assert!(home.bundle("orrery-v003-part1of2/render.sh").is_file());
    assert!(!home.bundle("orrery-v003-part1of2/render.cmd").exists());
}

#[test]
fn bundles_travel_as_archives() {
    let (one, other) = (Home::new(""), Home::new(""));
    let name = |part: u32| format!("orrery-v003-part{part}of2.tar.zst");
    for home in [&one, &other] {
        let packed = home.pack(&["--parts", "2", "--archive"]).ends(0);
        assert!(packed.out.contains(&name(2)), "{}", packed.out);
    }
    let bytes = |home: &Home, part: u32| fs::read(home.bundle(&name(part))).unwrap();
    for part in [1, 2] {
        assert_eq!(bytes(&one, part), bytes(&other, part));
    }
    // Nothing but the archives is there, and none is replaced.
    assert_eq!(one.project.files("away").len(), 2);
    let taken = one.pack(&["--parts", "2", "--archive"]).ends(2);
    assert!(taken.err.contains("is there already"), "{}", taken.err);
    // As it was packed it has no frames yet.
    let home = &one;
    let gathered = home.gather(&[&home.bundle(&name(1))]).ends(1);
    assert!(gathered.out.contains("missing"), "{}", gathered.out);
    if !common::needs("zstd") {
        return;
    }
    // Unpacked and packed again by other programs, as tar and as Zstandard.
    for (part, end) in [(1, "tar"), (2, "tar.zst")] {
        let away = home.project.path("away").display().to_string();
        let folder = format!("orrery-v003-part{part}of2");
        let shell = |line: &str| {
            let mut command = Command::new("sh");
            command.args(["-c", line]).current_dir(&away);
            called(command).ends(0);
        };
        shell(&format!("zstd -dqc {} | tar -xf -", name(part)));
        let bundle = home.render(&folder, &format!("machine{part}"));
        let from = bundle.parent().unwrap().display().to_string();
        match end {
            "tar" => shell(&format!("tar -cf back{part}.tar -C {from} {folder}")),
            _ => shell(&format!(
                "tar -cf - -C {from} {folder} | zstd -qc > back{part}.tar.zst"
            )),
        }
        let back = home.bundle(&format!("back{part}.{end}"));
        // Cut short on the way: what is whole in it may come home, and nothing that is half.
        let whole = fs::read(&back).unwrap();
        let cut = home.bundle(&format!("cut{part}.{end}"));
        fs::write(&cut, &whole[..whole.len() * 2 / 3]).unwrap();
        let gathered = home.gather(&[&cut]).ends(1);
        assert!(gathered.out.contains("refused"), "{}", gathered.out);
        let before = home.frames();
        let gathered = home.gather(&[&back]).ends(0);
        assert!(
            gathered.out.contains("9 files, 0 there already"),
            "{}",
            gathered.out
        );
        assert_eq!(home.frames().len(), before.len() + 9);
        home.gather(&[&back]).ends(0);
    }
    assert_eq!(home.frames(), rendered_at_home());
    // What was unpacked has gone.
    assert!(!home.project.path("home/.truepath/unpacked").exists());
}

/// The names in the folder of the bundles, hidden ones too.
fn names_away(home: &Home) -> Vec<String> {
    let entries = fs::read_dir(home.project.path("away")).unwrap().flatten();
    let mut names: Vec<String> = entries
        .map(|entry| entry.file_name().into_string().unwrap())
        .collect();
    names.sort();
    names
}

fn remove(home: &Home, name: &str) {
    let path = home.project.path(&format!("away/{name}"));
    fs::remove_dir_all(&path)
        .or_else(|_| fs::remove_file(&path))
        .unwrap();
}

#[test]
fn packing_that_was_killed_is_repeated_and_leaves_nothing() {
    for (options, end) in [
        (&["--parts", "3"][..], ""),
        (&["--parts", "3", "--archive"], ".tar.zst"),
    ] {
        let home = Home::new("");
        let users = ".truepath-pack-of-a-user";
        fs::create_dir(home.project.path(&format!("away/{users}"))).unwrap();
        home.project.write(&format!("away/{users}/lock"), "mine");
        let bundles: Vec<String> = (1..=3)
            .map(|part| format!("orrery-v003-part{part}of3{end}"))
            .collect();
        let expected: Vec<String> = [vec![users.to_owned()], bundles.clone()].concat();
        let to = home.project.path("away").display().to_string();
        let words = [&["pack", "--to", &to, "--with", "../scenes"], options].concat();
        for milliseconds in (0..15).map(|step| step * 5) {
            let mut pack = home.project.command(&words);
            pack.current_dir(home.project.path("home/show"))
                .stdout(Stdio::null())
                .stderr(Stdio::null());
            let mut pack = pack.spawn().unwrap();
            std::thread::park_timeout(std::time::Duration::from_millis(milliseconds));
            pack.kill().unwrap();
            pack.wait().unwrap();
        }
        if names_away(&home) != expected {
            home.pack(options).ends(0);
        }
        // As a call leaves them that was killed between the names of two bundles.
        remove(&home, &bundles[1]);
        remove(&home, &bundles[2]);
        home.pack(options).ends(0);
        assert_eq!(names_away(&home), expected);
        let lock = home.project.read(&format!("away/{users}/lock"));
        assert_eq!(lock, "mine");
        // One with another content is not replaced.
        remove(&home, &bundles[2]);
        let list = if end.is_empty() { "/bundle.json" } else { "" };
        let list = format!("away/{}{list}", bundles[1]);
        home.project.write(&list, "another");
        let taken = home.pack(options).ends(2);
        assert!(taken.err.contains("is there already"), "{}", taken.err);
        assert_eq!(home.project.read(&list), "another");
        assert_eq!(names_away(&home), expected[..3]);
    }
}
