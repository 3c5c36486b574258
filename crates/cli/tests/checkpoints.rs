//! Frames that are continued from a checkpoint.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::io::Read;

use common::{kiln, made_up, on, signal};
use rustix::process::Signal;

#[test]
fn checkpoints_are_taken_while_it_works_and_the_last_are_kept() {
    let script = "for i in $(seq 1 60); do echo $i >p$1.state; sleep 0.02; done\nexit 5\n";
    let project = made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n\
         checkpoint = { files = \"p{frame:?}.state\", put = \"--go-on\" }\n",
        script,
        "frames = \"1\"\nretries = 0\ncheckpoint = { every = \"0.1s\", keep = 2 }\n",
    );
    project.call(&["run"]).ends(1);
    let kept = project.files(".truepath/checkpoints");
    assert_eq!(kept.len(), 2, "{kept:?}");
    let numbers: Vec<u32> = kept
        .iter()
        .map(|name| name.rsplit('~').next().unwrap().parse().unwrap())
        .collect();
    assert!(numbers[1] > 3, "they were taken all along: {kept:?}");
    // The last of them is what stood there at the end.
    let last = kept.iter().max_by_key(|name| name.len()).unwrap();
    assert!(
        !project
            .read(&format!(".truepath/checkpoints/{last}"))
            .is_empty()
    );
}

#[test]
fn a_checkpoint_that_an_engine_fails_on_is_passed_over() {
    // It gets one part further each time, but for what it writes second, which it cannot read.
    let script = r#"
state=p$1.state
case "$(cat $state 2>/dev/null)" in
  '')     echo first >$state; exit 1 ;;
  first)  if [ -e ../../seen ]; then cp ../../one.png p$1.png; exit 0; fi
          touch ../../seen; echo broken >$state; exit 1 ;;
  broken) echo "cannot read $state"; exit 1 ;;
esac
"#;
    let project = made_up(
        " }\narguments = [\"{frame}\"]\noutput-name = \"p{frame:?}.png\"\n\
         checkpoint = { files = \"p{frame:?}.state\", put = \"--go-on\" }\n",
        script,
        "frames = \"1\"\nsize = \"48x32\"\nretries = 0\n",
    );
    let numbers = || -> Vec<String> {
        let kept = project.files(".truepath/checkpoints");
        kept.iter()
            .map(|name| name.rsplit('~').next().unwrap().to_owned())
            .collect()
    };
    project.call(&["run"]).ends(1);
    assert_eq!(numbers(), ["1"]);
    project.call(&["run"]).ends(1);
    assert_eq!(numbers(), ["1", "2"]);
    // What it fails on is not kept again and again.
    project.call(&["run"]).ends(1);
    assert_eq!(numbers(), ["1", "2"]);
    project
        .call(&["run", "--set", "retries=1", "--set", "retry-pause=0.01s"])
        .ends(0);
    assert_eq!(numbers(), [""; 0]);
}

#[test]
fn the_understudy_goes_on_with_a_frame_after_a_crash() {
    let project = kiln(
        "1",
        "checkpoint = { every = \"0.05s\" }\n",
        "[mishap]\nslow = 2000\nparts = true\n",
    );
    let events = project.path("events.jsonl");
    let mut run = on(
        &project,
        "north",
        &["--events", events.to_str().unwrap()],
        "started",
    );
    while !fs::read_to_string(&events)
        .unwrap_or_default()
        .contains("\"percent\":60")
    {
        std::thread::yield_now();
    }
    signal(&run, Signal::INT);
    let mut printed = String::new();
    run.stdout
        .take()
        .unwrap()
        .read_to_string(&mut printed)
        .unwrap();
    run.wait().unwrap();
    assert!(
        printed.contains("in the middle of frame 1; the next run continues it from its checkpoint"),
        "{printed}"
    );
    let called = project.call(&["run"]).ends(0);
    assert!(called.out.contains("complete"), "{}", called.out);
    assert!(
        called
            .err
            .contains("frame 1 is continued from its checkpoint"),
        "{}",
        called.err
    );
    assert!(called.out.contains("continued"), "{}", called.out);
    let log = fs::read_dir(project.path(".truepath/logs/0002"))
        .unwrap()
        .next()
        .unwrap();
    let log = fs::read_to_string(log.unwrap().path()).unwrap();
    assert!(log.contains("going on from part"), "{log}");
    assert_eq!(project.files(".truepath/checkpoints").len(), 0);
}
