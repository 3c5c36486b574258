//! Files that people put beside those of the runs: no command removes, replaces or moves them.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::Write;
use std::os::unix::fs::symlink;
use std::process::{Child, Stdio};
use std::thread;

use common::{Project, kiln, picture, scene};

/// Five frames of a shell script; `$2` is the file that it writes, `$1` its frame.
fn scripted(lines: &str) -> Project {
    let project = Project::new(
        "frames = \"1-5\"\nretries = 0\npath = \"out/kiln.{frame:04}.png\"\n\
         run = [\"sh\", \"{place.job}/engine.sh\", \"{frame}\", \"{target}\"]\n",
    );
    let script = format!("cd \"$(dirname \"$0\")\"\n{lines}\n");
    project.write("engine.sh", &script);
    fs::write(project.path("picture.png"), picture(1)).unwrap();
    project
}

#[test]
fn a_folder_of_the_user_that_is_called_set_aside() {
    let project = scripted("cp picture.png \"$2\"");
    project.write("out/set-aside/film.mov", "the only copy");
    project.write("out/kiln.0003.png", "no picture");
    project.call(&["run"]).ends(0);
    assert_eq!(
        project.files("out/set-aside"),
        ["film.mov", "kiln.0003.png"]
    );
    let shown = project.call(&["clean", "--set-aside"]).ends(0);
    assert!(shown.out.contains("removed with --apply"), "{}", shown.out);
    project.call(&["clean", "--set-aside", "--apply"]).ends(0);
    assert_eq!(project.files("out/set-aside"), ["film.mov"]);
    assert_eq!(project.read("out/set-aside/film.mov"), "the only copy");
}

#[test]
fn a_file_that_was_set_aside_and_edited_there_stays() {
    let project = scripted("cp picture.png \"$2\"");
    project.write("out/kiln.0003.png", "no picture");
    project.call(&["run"]).ends(0);
    project.write("out/set-aside/kiln.0003.png", "edited by hand");
    project.call(&["clean", "--set-aside", "--apply"]).ends(0);
    assert_eq!(
        project.read("out/set-aside/kiln.0003.png"),
        "edited by hand"
    );
}

#[test]
fn what_keeps_another_name_of_a_frame_cannot_change_it() {
    let project = scripted("cp picture.png \"$2\"; ln \"$2\" kept.$1.png");
    project.call(&["run"]).ends(0);
    for frame in 1..=5 {
        let kept = project.path(&format!("kept.{frame}.png"));
        let mut kept = fs::File::options().append(true).open(kept).unwrap();
        kept.write_all(b"more").unwrap();
    }
    project.call(&["audit"]).ends(0);
    let whole = picture(1);
    for frame in 1..=5 {
        let path = project.path(&format!("out/kiln.{frame:04}.png"));
        assert_eq!(fs::read(path).unwrap(), whole);
    }
}

#[test]
fn a_frame_that_is_written_again_by_a_later_process_is_reported() {
    let project =
        scripted("if [ $1 = 4 ]; then echo more >>out/kiln.0001.png; fi\ncp picture.png \"$2\"");
    let run = project.call(&["run", "--jobs", "1"]).ends(1);
    assert!(
        run.out.contains("it was written to after it was published"),
        "{}",
        run.out
    );
    let audit = project.audit();
    let changed = &audit["deliverables"][0]["changed"];
    assert_eq!(changed[0]["frames"], "1", "{audit:#}");
}

#[test]
fn a_file_where_the_set_aside_folder_would_be_costs_its_frames_only() {
    let project = scripted("cp picture.png \"$2\"");
    project.write("out/set-aside", "a file of the user");
    project.write("out/kiln.0003.png", "no picture");
    let run = project.call(&["run"]).ends(1);
    assert!(run.out.contains("cannot be set aside"), "{}", run.out);
    assert_eq!(project.read("out/set-aside"), "a file of the user");
    assert_eq!(project.read("out/kiln.0003.png"), "no picture");
    assert_eq!(project.files("out").len(), 6, "{:?}", project.files("out"));
}

#[test]
fn a_frame_that_was_edited_in_place_is_set_aside_and_not_replaced() {
    for rerender in ["option", "key"] {
        let project = kiln("1-3", "", "");
        project.call(&["run"]).ends(0);
        let path = project.path("renders/kiln.0002.png");
        // The same length and the same time, and one other byte behind the picture's data.
        let mut edited = fs::read(&path).unwrap();
        let last = edited.len() - 1;
        edited[last] ^= 1;
        let time = fs::metadata(&path).unwrap().modified().unwrap();
        fs::write(&path, &edited).unwrap();
        let file = fs::File::options().write(true).open(&path).unwrap();
        file.set_modified(time).unwrap();
        project.write("kiln.toml", &scene("# others\n[mishap]\n"));
        match rerender {
            "option" => project.call(&["run", "--rerender-stale"]).ends(0),
            _ => {
                let job = project.read("truepath.toml");
                project.write("truepath.toml", &format!("{job}existing = \"replace\"\n"));
                project.call(&["run"]).ends(0)
            }
        };
        let kept = fs::read(project.path("renders/set-aside/kiln.0002.png")).unwrap();
        assert!(kept == edited, "{rerender}");
        assert_eq!(project.files("renders/set-aside"), ["kiln.0002.png"]);
    }
}

#[test]
fn two_outputs_in_one_folder_by_a_link_are_refused() {
    let project = Project::new(
        "[project]\nengine = \"understudy\"\nsize = \"24x16\"\nformat = \"png\"\n\
         [shot.day]\nscene = \"kiln.toml\"\nframes = \"1-2\"\n\
         [shot.night]\nscene = \"queue.toml\"\nframes = \"1-2\"\n\
         [output.frames]\npath = \"out/{shot}/kiln.{frame:04}.png\"\n",
    );
    project.write("kiln.toml", &scene(""));
    project.write("queue.toml", &scene("# at night\n"));
    fs::create_dir_all(project.path("out/day")).unwrap();
    symlink("day", project.path("out/night")).unwrap();
    let check = project.call(&["check"]).ends(1);
    assert!(check.out.contains("TP102"), "{}", check.out);
    assert!(check.out.contains("a link leads"), "{}", check.out);
    project.call(&["run"]).ends(1);
    let made = project.files("out");
    assert!(made.iter().all(|name| !name.contains("kiln")), "{made:?}");
}

/// Files of renames that were cut short after twenty of forty steps.
fn cut_short(project: &Project) {
    let name = |frame: u32| project.path(&format!("s.{frame:04}.png"));
    for frame in 1..=40 {
        fs::write(name(frame), format!("picture {frame}")).unwrap();
    }
    project.call(&shift(true)).ends(0);
    let lists = project.path(".user-state/truepath/renames");
    let list = fs::read_dir(lists).unwrap().next().unwrap().unwrap().path();
    let journal = |state| list.join(format!("0001.{state}"));
    fs::rename(journal("done"), journal("going")).unwrap();
    for frame in 1..=20 {
        fs::rename(name(frame + 1), name(frame)).unwrap();
    }
}

fn shift(apply: bool) -> Vec<&'static str> {
    let name = "s.{frame:04}.png";
    let mut line = vec!["rename", name, name, "--shift", "1"];
    line.extend(apply.then_some("--apply"));
    line
}

#[test]
fn renames_that_were_cut_short_are_finished_once_and_only_with_apply() {
    let project = Project::empty();
    cut_short(&project);
    let before = project.files(".");
    let shown = project.call(&shift(false)).ends(1);
    assert!(
        shown.err.contains("an earlier call was cut short"),
        "{}",
        shown.err
    );
    assert_eq!(project.files("."), before);
    project.call(&shift(true)).ends(0);
    for frame in 1..=40 {
        let text = project.read(&format!("s.{:04}.png", frame + 1));
        assert_eq!(text, format!("picture {frame}"));
    }
    assert!(!project.path("s.0001.png").exists());
    // They are taken back but for one that is gone, which is named.
    fs::remove_file(project.path("s.0007.png")).unwrap();
    let undone = project.call(&["rename", "--undo"]).ends(0);
    assert!(
        undone.err.contains("s.0007.png is not there any more"),
        "{}",
        undone.err
    );
    assert!(!project.path("s.0006.png").exists());
    assert_eq!(project.read("s.0005.png"), "picture 5");
    assert_eq!(project.read("s.0040.png"), "picture 40");
    // And they are taken back from the middle as well.
    let project = Project::empty();
    cut_short(&project);
    project.call(&["rename", "--undo"]).ends(0);
    for frame in 1..=40 {
        let text = project.read(&format!("s.{frame:04}.png"));
        assert_eq!(text, format!("picture {frame}"));
    }
}

#[test]
fn a_fix_leaves_the_file_that_other_jobs_build_on() {
    let project = Project::new("base = [\"show.toml\"]\n[shot.kiln]\nframes = \"1-2\"\n");
    let base = "[project]\nengine = \"understudy\"\nscene = \"kiln.toml\"\nsize = \"24x16\"\nformat = \"png\"\n\
                [output.frames]\npath = \"r/{shto}.{frame:04}.png\"\n";
    project.write("show.toml", base);
    project.write("kiln.toml", &scene(""));
    let called = project.call(&["check", "--fix"]).ends(1);
    assert!(called.err.contains("--fix-base"), "{}", called.err);
    assert_eq!(project.read("show.toml"), base);
    project.call(&["check", "--fix", "--fix-base"]).ends(0);
    assert_eq!(project.read("show.toml"), base.replace("{shto}", "{shot}"));
    project.call(&["run"]).ends(0);
}

#[test]
fn entries_that_are_added_to_a_queue_at_once_are_all_in_it() {
    let project = Project::empty();
    let names: Vec<String> = (1..=20)
        .map(|number| format!("job{number:02}.toml"))
        .collect();
    for name in &names {
        project.write(name, &common::job("1-2", ""));
    }
    project.write("kiln.toml", &scene(""));
    let adding: Vec<Child> = names
        .iter()
        .map(|name| {
            let mut line = project.command(&["queue", "add", name]);
            line.stdout(Stdio::null()).stderr(Stdio::piped());
            line.spawn().unwrap()
        })
        .collect();
    for one in adding {
        let ended = one.wait_with_output().unwrap();
        let printed = String::from_utf8_lossy(&ended.stderr);
        assert_eq!(ended.status.code(), Some(0), "{printed}");
    }
    let file = project.read("queue.toml");
    for name in &names {
        assert!(file.contains(name.as_str()), "{name} in {file}");
    }
    // Entries that are switched off at once are all off.
    thread::scope(|all| {
        for number in 1..=20 {
            let project = &project;
            all.spawn(move || project.call(&["queue", "off", &number.to_string()]).ends(0));
        }
    });
    let file = project.read("queue.toml");
    assert_eq!(file.matches("on = false").count(), 20, "{file}");
}
