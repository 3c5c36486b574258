//! Engines that do what no engine should: a failed frame affects no other, and no run hangs.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;
use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use common::{Project, picture};

/// A project of five frames whose engine runs these lines at frame 3, with `$to` as its staging folder.
fn project(lines: &str, more: &str) -> Project {
    let project = Project::new(&format!(
        "frames = \"1-5\"\nretries = 0\nretry-pause = \"0.01s\"\npath = \"out/kiln.{{frame:04}}.png\"\n\
         run = [\"sh\", \"{{place.job}}/engine.sh\", \"{{frame}}\", \"{{target}}\"]\n{more}"
    ));
    project.write(
        "engine.sh",
        &format!(
            "cd \"$(dirname \"$0\")\"\nto=$(dirname \"$2\")\nif [ $1 = 3 ] && [ ! -e well ]; then\n{lines}\nfi\ncp picture.png \"$2\"\n"
        ),
    );
    fs::write(project.path("picture.png"), picture(1)).unwrap();
    project
}

/// The four frames that have no mishap, and whatever else is there without a leading dot.
fn there(project: &Project) -> Vec<String> {
    let mut files = project.files("out");
    files.retain(|name| !name.starts_with("set-aside/"));
    files
}

/// A run whose engine has begun frame 3, which it says by the file `begun`.
fn begun(project: &Project) -> Child {
    let run = project.start();
    while !project.path("begun").exists() {
        std::thread::park_timeout(Duration::from_millis(10));
    }
    run
}

#[test]
fn one_failed_frame_ends_no_run() {
    let long = "x".repeat(250);
    let table = [
        (
            "removes its folder",
            "rm -r \"$to\"; exit 0".to_owned(),
            "removed, moved or closed",
        ),
        (
            "moves its folder",
            "mv \"$to\" elsewhere; exit 0".to_owned(),
            "removed, moved or closed",
        ),
        (
            "puts a link in its place",
            "rm -r \"$to\"; ln -s \"$PWD/precious\" \"$to\"; exit 0".to_owned(),
            "removed, moved or closed",
        ),
        (
            "puts a file in its place",
            "rm -r \"$to\"; echo text >\"$to\"; exit 0".to_owned(),
            "removed, moved or closed",
        ),
        (
            "leaves names that are no text",
            "printf x >\"$to/$(printf 'a\\377b')\"; exit 3".to_owned(),
            "exit code 3",
        ),
        (
            "leaves long names",
            format!("echo x >\"$to/{long}.tmp\"; exit 3"),
            "frame 3",
        ),
        (
            "leaves many files",
            "i=0; while [ $i -lt 5000 ]; do : >\"$to/t$i\"; i=$((i+1)); done; exit 3".to_owned(),
            "exit code 3",
        ),
        (
            "leaves folders",
            "mkdir -p \"$to/a/b/c\"; echo x >\"$to/a/b/c/d\"; exit 3".to_owned(),
            "exit code 3",
        ),
    ];
    for (what, lines, reason) in table {
        let project = project(&lines, "");
        fs::create_dir(project.path("precious")).unwrap();
        project.write("precious/kiln.0003.png", "the only copy");
        let called = project.call(&["run"]).ends(1);
        assert!(
            called.out.contains("rendered        4"),
            "{what}: {}",
            called.out
        );
        assert!(called.out.contains(reason), "{what}: {}", called.out);
        assert_eq!(there(&project).len(), 4, "{what}: {:?}", there(&project));
        assert_eq!(
            project.read("precious/kiln.0003.png"),
            "the only copy",
            "{what}"
        );
        // Nothing is left of it but what was set aside, and the next run is as any other.
        project.write("well", "");
        project.call(&["run"]).ends(0);
        assert_eq!(there(&project).len(), 5, "{what}");
        let left: Vec<String> = fs::read_dir(project.path("out"))
            .unwrap()
            .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
            .filter(|name| name.starts_with('.'))
            .collect();
        assert!(left.is_empty(), "{what}: {left:?}");
        // A few files stay to be looked at, never thousands.
        let aside = fs::read_dir(project.path("out/set-aside"));
        assert!(aside.map_or(0, Iterator::count) <= 100, "{what}");
    }
}

#[test]
fn what_an_engine_puts_in_place_of_its_folder_is_cleared_after_a_kill_too() {
    for instead in ["ln -s \"$PWD/precious\" \"$to\"", "echo text >\"$to\""] {
        let project = project(
            &format!("rm -r \"$to\"; {instead}; touch begun; sleep 600"),
            "",
        );
        fs::create_dir(project.path("precious")).unwrap();
        project.write("precious/kiln.0003.png", "the only copy");
        let mut run = begun(&project);
        run.kill().unwrap();
        run.wait().unwrap();
        project.write("well", "");
        project.call(&["run"]).ends(0);
        assert_eq!(there(&project).len(), 5);
        assert_eq!(project.read("precious/kiln.0003.png"), "the only copy");
        let entries = fs::read_dir(project.path("out")).unwrap().flatten();
        let hidden = entries.filter(|one| one.file_name().as_encoded_bytes().starts_with(b"."));
        assert_eq!(hidden.count(), 0, "{instead}");
    }
}

#[test]
fn a_process_in_a_session_of_its_own_keeps_no_run_from_ending() {
    if !common::needs("setsid") {
        return;
    }
    // A number of seconds that no other process sleeps for.
    let seconds = format!("600.{}", std::process::id());
    for (what, lines) in [
        ("holds the output", "setsid sleep TIME &"),
        (
            "holds the output without a variable",
            "env -i setsid sleep TIME &",
        ),
        (
            "is silent",
            "setsid sleep TIME >/dev/null 2>&1 </dev/null &",
        ),
        (
            "is silent, without a variable",
            "env -i setsid sleep TIME >/dev/null 2>&1 </dev/null &",
        ),
        (
            "prints without end",
            "setsid sh -c 'while :; do echo TIME; sleep 0.01; done' &",
        ),
    ] {
        let project = project(&lines.replace("TIME", &seconds), "");
        let since = Instant::now();
        let called = project.call(&["run"]).ends(0);
        assert!(since.elapsed() < Duration::from_secs(60), "{what}");
        assert_eq!(there(&project).len(), 5, "{what}: {}", called.out);
        let is_it = |process: &fs::DirEntry| {
            let line = fs::read(process.path().join("cmdline")).unwrap_or_default();
            String::from_utf8_lossy(&line).contains(&seconds)
        };
        let left = fs::read_dir("/proc").unwrap().flatten().filter(is_it);
        assert_eq!(left.count(), 0, "{what}: {}{}", called.out, called.err);
    }
}

#[test]
fn a_file_that_is_still_written_is_not_published() {
    if !common::needs("python3") {
        return;
    }
    // The writer outlives the engine by way of another run's process: it is not in the engine's tree.
    let project = project(
        "cp picture.png \"$2\"; echo \"$2\" >asked; while [ ! -e held ]; do sleep 0.02; done; exit 0",
        "",
    );
    project.write(
        "writer.py",
        "import os, time\n\
         while not os.path.exists('asked') or not open('asked').read().endswith('\\n'):\n    time.sleep(0.01)\n\
         file = open(open('asked').read().strip(), 'r+b')\nopen('held', 'w').close()\n\
         while not os.path.exists('end'):\n    time.sleep(0.02)\n",
    );
    let mut writer = std::process::Command::new("python3")
        .arg("writer.py")
        .current_dir(project.path(""))
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let called = project.call(&["run"]).ends(1);
    project.write("end", "");
    writer.wait().unwrap();
    assert!(
        called.out.contains("still has the file open for writing"),
        "{}",
        called.out
    );
    assert_eq!(there(&project).len(), 4);
    project.write("well", "");
    project.call(&["run"]).ends(0);
    assert_eq!(there(&project).len(), 5);
}

#[test]
fn a_supervisor_that_is_killed_and_events_that_nobody_reads_are_no_reason_to_stop() {
    let project = project(
        "for one in /proc/[0-9]*; do tr '\\0' ' ' <$one/cmdline 2>/dev/null | grep -q 'truepath supervise' && \
         [ \"$(sed -n 's/^PPid:.//p' $one/status)\" = \"$PPID\" ] && kill -9 ${one#/proc/}; done; true",
        "",
    );
    project.call(&["run"]).ends(0);
    assert_eq!(there(&project).len(), 5);
    // A pipe of which nobody reads the other end, while it is open and once it is closed.
    let other = self::project("true", "");
    let fifo = other.path("events");
    let made = std::process::Command::new("mkfifo")
        .arg(&fifo)
        .status()
        .unwrap();
    assert!(made.success());
    other.call(&["run", "--events", "events"]).ends(0);
    let (reader, writer) = std::io::pipe().unwrap();
    fs::remove_dir_all(other.path("out")).unwrap();
    let mut run = other
        .command(&["run", "--events", "/dev/stdout"])
        .stdout(writer)
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    drop(reader);
    run.wait().unwrap();
    assert_eq!(there(&other).len(), 5);
}

#[test]
fn logs_have_a_bound_and_keep_what_mentions_frames() {
    // Forty megabytes in frame 3, and a word at the beginning and at the end.
    let project = project(
        "echo the first words\nline=$(head -c 60000 /dev/zero | tr '\\0' x)\n\
         i=0; while [ $i -lt 700 ]; do echo \"$line\"; i=$((i+1)); done\necho the last words",
        "",
    );
    project.call(&["run"]).ends(0);
    let logs = project.path(".truepath/logs/0001");
    let mut largest = String::new();
    for log in fs::read_dir(logs).unwrap().flatten() {
        let text = fs::read_to_string(log.path()).unwrap();
        if text.len() > largest.len() {
            largest = text;
        }
    }
    assert!(largest.len() < 20 << 20, "{} bytes", largest.len());
    assert!(largest.contains("the first words"));
    assert!(largest.contains("the last words"));
    assert!(largest.contains("lines are left out here"));
    assert!(
        largest.contains(" is "),
        "where the frame went stands in it too"
    );
}

#[test]
fn what_is_left_is_shown_with_its_size_and_removed_when_asked() {
    let project = project("echo junk >\"$to/junk.tmp\"; exit 3", "");
    project.call(&["run"]).ends(1);
    let frames = there(&project);
    assert_eq!(frames.len(), 4);
    let shown = project.call(&["clean"]).ends(0).out;
    assert!(shown.contains("set aside    1 file, 5 B"), "{shown}");
    assert!(shown.contains("removed by --set-aside"), "{shown}");
    assert!(shown.contains("removed by --logs"), "{shown}");
    project.call(&["clean", "--logs", "--set-aside"]).ends(0);
    assert!(project.path("out/set-aside").exists());
    project.call(&["clean", "--set-aside", "--apply"]).ends(0);
    assert!(!project.path("out/set-aside").exists());
    assert!(project.path(".truepath/logs/0001").exists());
    project.call(&["clean", "--logs", "--apply"]).ends(0);
    assert!(!project.path(".truepath/logs/0001").exists());
    assert_eq!(there(&project), frames);
    // A folder of somebody else is not reached through a link.
    fs::create_dir(project.path("precious")).unwrap();
    project.write("precious/work.png", "the only copy");
    std::os::unix::fs::symlink(project.path("precious"), project.path("out/set-aside")).unwrap();
    project.call(&["clean", "--set-aside", "--apply"]).ends(0);
    assert_eq!(project.read("precious/work.png"), "the only copy");
    fs::remove_file(project.path("out/set-aside")).unwrap();
    // What a run that was killed left is still to be recovered, and its logs report what is finished.
    let slow = self::project("touch begun; sleep 600", "");
    let mut run = begun(&slow);
    slow.call(&["clean", "--logs", "--set-aside", "--apply"])
        .ends(0);
    assert!(slow.path(".truepath/logs/0001").exists());
    run.kill().unwrap();
    run.wait().unwrap();
    slow.call(&["clean", "--logs", "--set-aside", "--apply"])
        .ends(0);
    assert!(slow.path(".truepath/logs/0001").exists());
}

/// What a wrapper script starts in the background: it writes the picture once the wrapper has ended, or never.
fn background(project: &Project, last: &str) {
    project.write(
        "child.sh",
        &format!(
            "until grep -q '^State:.Z' /proc/$2/status 2>/dev/null; do sleep 0.01; done\n{last}\n"
        ),
    );
}

#[test]
fn a_renderer_that_works_on_in_the_background_is_waited_for() {
    for (what, start) in [
        ("in its group", "sh child.sh \"$2\" $$ & exit 0"),
        (
            "in a session of its own",
            "setsid sh child.sh \"$2\" $$ & exit 0",
        ),
        ("silent", "sh child.sh \"$2\" $$ >/dev/null 2>&1 & exit 0"),
    ] {
        let project = project(&format!("cp rough.png \"$2\"; {start}"), "");
        background(&project, "cp final.png \"$1\"");
        fs::write(project.path("rough.png"), picture(7)).unwrap();
        fs::write(project.path("final.png"), picture(9)).unwrap();
        project.call(&["run"]).ends(0);
        let published = fs::read(project.path("out/kiln.0003.png")).unwrap();
        assert!(published == picture(9), "{what}");
        project.call(&["audit"]).ends(0);
    }
}

#[test]
fn a_renderer_that_works_on_for_ever_is_ended_and_proves_nothing() {
    let project = project("cp picture.png \"$2\"; sh child.sh \"$2\" $$ & exit 0", "");
    background(&project, "while :; do sleep 0.01; done");
    let called = project
        .call_with(&["run"], ("TRUEPATH_HASTE", "100"))
        .ends(1);
    assert!(
        called.out.contains("still works on its pictures"),
        "{}",
        called.out
    );
    assert_eq!(there(&project).len(), 4, "{:?}", there(&project));
}

/// An engine that calls a rough picture finished and, once that has its true name, writes the final one; `end` is how
/// it ends. The second time that it renders a frame, the final picture is there at once.
fn hasty(end: &str) -> Project {
    let script = format!(
        "p=$PWD/p$1.png\ncd \"$HOME_OF_SHOW\"\nif [ $1 = 1 ] && [ ! -e begun ]; then\n: >begun\ncp rough.png \"$p\"\necho \"done p$1.png\"\n\
         while [ ! -e r/dawn.0001.png ]; do sleep 0.02; done\ncp one.png \"$p\"\n{end}\nfi\ncp one.png \"$p\"\necho \"done p$1.png\""
    );
    let project = common::made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\nlog = [{ file = '^done (?P<file>.*)' }]\n",
        &script,
        "frames = \"1-3\"\njobs = 1\nretries = 1\nretry-pause = \"0.01s\"\n",
    );
    let job = project.read("truepath.toml");
    let home = project.path("");
    let env = format!("env = {{ HOME_OF_SHOW = {home:?} }}\n");
    project.write("truepath.toml", &format!("{env}{job}"));
    fs::write(
        project.path("rough.png"),
        common::picture_of(48, 32, png::ColorType::Rgb, 99),
    )
    .unwrap();
    project
}

#[test]
fn a_picture_that_is_written_again_after_it_was_called_finished_counts_and_its_engine_is_not_believed()
 {
    for end in ["exit 0", "exit 3", "kill -KILL $$"] {
        let project = hasty(end);
        let run = project.call(&["run"]).ends(0);
        assert!(
            run.out.contains("too soon made-up wrote ")
                && run
                    .out
                    .contains("r/dawn.0001.png again after it had called it finished"),
            "{end}: {}",
            run.out
        );
        project.call(&["audit"]).ends(0);
        let last = fs::read(project.path("one.png")).unwrap();
        for frame in 1..=3 {
            let path = project.path(&format!("r/dawn.{frame:04}.png"));
            assert!(fs::read(path).unwrap() == last, "{end}: {frame}");
        }
    }
}

/// A project whose engine reports an error at frame 2 of three, and ends with success; `more` is the rest of its profile.
fn with_an_error(more: &str) -> Project {
    common::made_up(
        &format!(
            " }}\narguments = [\"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\nlog = [{{ error = '^ERROR (?P<text>.*)' }}]\n{more}"
        ),
        "if [ $1 = 2 ]; then echo 'ERROR no texture wood.tif'; fi\ncp \"${0%/*}/one.png\" p$1.png",
        "frames = \"1-3\"\njobs = 1\nretries = 0\n",
    )
}

#[test]
fn an_error_of_an_engine_that_ends_with_success_is_reported_by_frame_and_fails_it_where_the_profile_says_so()
 {
    let project = with_an_error("");
    let run = project.call(&["run"]).ends(0);
    assert!(run.out.contains("no texture wood.tif"), "{}", run.out);
    let audit = project.call(&["audit"]).ends(0);
    let remark = "the engine reported an error: no texture wood.tif";
    assert!(audit.out.contains(remark), "{}", audit.out);
    let notes = &project.audit()["deliverables"][0]["notes"];
    assert_eq!(notes[0]["frames"], "2", "{notes}");
    assert_eq!(notes[0]["reason"], remark);

    let project = with_an_error("error-fails = true\n");
    let run = project.call(&["run"]).ends(1);
    assert!(run.out.contains(remark), "{}", run.out);
    let files = project.files("r");
    let published: Vec<_> = files.iter().filter(|name| !name.contains('/')).collect();
    assert_eq!(published, ["dawn.0001.png", "dawn.0003.png"]);
    assert_eq!(files.len(), 3, "the picture is set aside: {files:?}");
}

#[test]
fn a_profile_says_how_long_what_it_leaves_in_the_background_may_work() {
    let profile = |limit: &str| {
        common::made_up(
            &format!(
                " }}\narguments = [\"{{frame}}\"]\noutput-name = \"p{{frame:?}}.png\"\nbackground-limit = \"{limit}\"\n"
            ),
            "cp \"${0%/*}/one.png\" p$1.png\nsh -c 'while :; do sleep 0.01; done' child \"$PWD/p$1.png\" &",
            "frames = \"1\"\nretries = 0\n",
        )
    };
    let run = profile("0.1s").call(&["run"]).ends(1);
    assert!(
        run.out.contains("still works on its pictures"),
        "{}",
        run.out
    );
    let refused = profile("soon").call(&["check"]).ends(2);
    let error = refused.out + &refused.err;
    assert!(error.contains("a time such as `60s` or `5m`"), "{error}");
}
