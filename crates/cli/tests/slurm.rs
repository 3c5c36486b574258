//! Scripts for a cluster, on a real one of one node.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::sync::{Mutex, MutexGuard, PoisonError};

use common::{Project, needs};

/// Only one at a time.
static ALONE: Mutex<()> = Mutex::new(());

/// A cluster of one node; it ends when this is dropped.
struct Cluster {
    folder: tempfile::TempDir,
    _alone: MutexGuard<'static, ()>,
}

impl Cluster {
    fn script() -> &'static str {
        concat!(env!("CARGO_MANIFEST_DIR"), "/../../scripts/cluster")
    }

    /// Starts it, where the programs are here and this is root.
    fn start() -> Option<Self> {
        if !needs("sbatch") || !needs("munged") {
            return None;
        }
        let alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
        let folder = tempfile::tempdir().unwrap();
        let output = Command::new(Self::script())
            .arg("start")
            .arg(folder.path())
            .output()
            .unwrap();
        assert!(
            output.status.success(),
            "{}",
            String::from_utf8_lossy(&output.stderr)
        );
        Some(Self {
            folder,
            _alone: alone,
        })
    }

    fn command(&self, program: &str) -> Command {
        let mut command = Command::new(program);
        command.env("SLURM_CONF", self.folder.path().join("slurm.conf"));
        command
    }

    /// Hands a script in and waits until all of it is done: a job that waits for all others ends
    /// when they have.
    fn run(&self, project: &Project, script: &str) {
        let output = self
            .command("sh")
            .arg(project.path(script))
            .current_dir(project.path(""))
            .output()
            .unwrap();
        assert!(
            output.status.success(),
            "{}",
            String::from_utf8_lossy(&output.stderr)
        );
        let printed = String::from_utf8_lossy(&output.stdout).into_owned();
        let last = printed.lines().last().unwrap();
        let job = last.split([' ', ',']).nth(2).unwrap();
        let after = format!("--dependency=afterany:{job}");
        let waited = self
            .command("sbatch")
            .args(["--wait", "--output=/dev/null", &after, "--wrap", "true"])
            .output()
            .unwrap();
        assert!(
            waited.status.success(),
            "{}",
            String::from_utf8_lossy(&waited.stderr)
        );
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        let _ = Command::new(Self::script())
            .arg("stop")
            .arg(self.folder.path())
            .status();
    }
}

const JOB: &str = r#"[project]
engine = "copier"
fps = 24
size = "64x64"
slurm = { partition = "render", time = "10m", max-tasks = 2 }
[shot.dawn]
scene = "dawn.toml"
frames = "1-40"
[output.frames]
path = "r/{shot}.{frame:04}.png"
color = { pixels = "display" }
chunk = 4
[output.movie]
path = "r/{shot}.mp4"
movie = { from = "frames", codec = "mjpeg", container = "mkv" }
"#;

#[test]
fn an_array_ends_complete_and_only_what_failed_is_rendered_again() {
    let Some(cluster) = Cluster::start() else {
        return;
    };
    let project = Project::new(&JOB.replace("r/{shot}.mp4", "r/{shot}.mkv"));
    project.write("dawn.toml", include_str!("../../../demo/scenes/dawn.toml"));
    // The understudy, with a list of what it was asked for, and one frame that fails at first.
    let wrapper = format!(
        "#!/bin/sh\necho \"$3\" >>{list}\ncase $3 in --frames=17-20) [ -f {fails} ] && exit 9 ;; esac\nexec {program} \"$@\"\n",
        list = project.path("list").display(),
        fails = project.path("fails").display(),
        program = common::program(),
    );
    project.write("wrapper", &wrapper);
    project.write("fails", "");
    Command::new("chmod")
        .arg("+x")
        .arg(project.path("wrapper"))
        .status()
        .unwrap();
    let profile = include_str!("../../../engines/understudy.toml")
        .replace("name = \"understudy\"", "name = \"copier\"")
        .replace("{self}", "./wrapper");
    project.write("engines/copier.toml", &profile);
    let words = ["commands", "--as", "slurm", "--to", "night.sh"];
    project.call(&words).ends(0);
    cluster.run(&project, "night.sh");
    let frames = project
        .files("r")
        .iter()
        .filter(|name| name.ends_with(".png"))
        .count();
    assert_eq!(frames, 36);
    let logs = project.files("r/truepath-logs");
    assert!(logs.iter().any(|name| name.contains("17-20")), "{logs:?}");
    // The movie waits for its frames.
    assert!(!project.path("r/dawn.mkv").exists());
    assert_eq!(project.read("list").lines().count(), 10);
    std::fs::remove_file(project.path("fails")).unwrap();
    cluster.run(&project, "night.sh");
    let list = project.read("list");
    assert_eq!(list.lines().count(), 11);
    assert_eq!(list.lines().last(), Some("--frames=17-20"));
    assert!(project.path("r/dawn.mkv").is_file());
    project.call(&["audit"]).ends(0);
}

#[test]
fn a_run_on_a_cluster_goes_on_without_the_terminal_that_handed_it_in() {
    let Some(cluster) = Cluster::start() else {
        return;
    };
    let job = JOB
        .replace("r/{shot}.mp4", "r/{shot}.mkv")
        .replace("copier", "understudy")
        .replace("fps = 24", "fps = 24\nretries = 0");
    let project = Project::new(&job);
    let scene = include_str!("../../../demo/scenes/dawn.toml");
    project.write(
        "dawn.toml",
        &format!("{scene}\n[mishap]\nslow = 30\nfail-at = 17\n"),
    );
    let run = || {
        let mut command = project.command(&["run", "--verbose", "--on", "slurm"]);
        command.env("SLURM_CONF", cluster.folder.path().join("slurm.conf"));
        command
    };
    let mut first = run()
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(first.stderr.take().unwrap()).lines();
    let handed = lines.find(|line| line.as_ref().unwrap().contains("handed to the cluster"));
    assert!(handed.is_some());
    first.kill().unwrap();
    first.wait().unwrap();
    // The next call finds the tasks at work, waits for them, and submits what is missing.
    let second = run().output().unwrap();
    let (out, err) = (
        String::from_utf8_lossy(&second.stdout).into_owned(),
        String::from_utf8_lossy(&second.stderr).into_owned(),
    );
    assert_eq!(second.status.code(), Some(1), "{out}\n{err}");
    assert!(err.contains("is at work on this already"), "{err}");
    // What failed is reported with the engine's reason, and that of the cluster.
    assert!(out.contains("the scene fails at frame 17"), "{out}");
    assert!(err.contains("FAILED"), "{err}");
    // What was there was rendered once.
    let mut wrote = common::wrote(&project);
    assert_eq!(wrote.len(), 39, "{wrote:?}");
    wrote.dedup();
    assert_eq!(wrote.len(), 39);
    // FixedFile, the cluster is handed the rest alone.
    project.write("dawn.toml", &format!("{scene}\n[mishap]\nslow = 30\n"));
    let third = run().args(["--rerender-stale"]).output().unwrap();
    let err = String::from_utf8_lossy(&third.stderr).into_owned();
    assert_eq!(third.status.code(), Some(0), "{err}");
    assert!(project.path("r/dawn.mkv").is_file());
}
