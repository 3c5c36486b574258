//! A file system that knows neither second names of files nor renaming without replacing: exFAT, as on cards and portable
//! disks.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::PathBuf;
use std::process::{Command, Stdio};

use common::{Called, Project, called, job, scene};

/// A show on an exFAT disk, which is a file that is mounted in a project.
struct Disk {
    project: Project,
    device: String,
}

/// What a program prints; none where it fails or is not there.
fn system(program: &str, arguments: &[&str]) -> Option<String> {
    let ended = Command::new(program).args(arguments).output().ok()?;
    let printed = String::from_utf8_lossy(&ended.stdout).trim().to_owned();
    ended.status.success().then_some(printed)
}

impl Disk {
    /// One with a job of twelve frames; none where it cannot be mounted.
    fn mount(more: &str) -> Option<Self> {
        let disk = Self::mount_empty();
        let Some(disk) = disk else {
            common::left_out("exfat");
            return None;
        };
        disk.project.write("show/truepath.toml", &job("1-12", more));
        disk.project
            .write("show/kiln.toml", &scene("[mishap]\nslow = 5\n"));
        Some(disk)
    }

    fn mount_empty() -> Option<Self> {
        let project = Project::empty();
        let (image, show) = (project.path("disk.img"), project.path("show"));
        fs::create_dir(&show).unwrap();
        let file = fs::File::create(&image).unwrap();
        file.set_len(64 << 20).unwrap();
        let (image, folder) = (image.to_str()?, show.to_str()?);
        system("mkfs.exfat", &[image])?;
        let device = system("losetup", &["--find", "--show", image])?;
        let disk = Self { project, device };
        system("mount.exfat-fuse", &[&disk.device, folder])?;
        Some(disk)
    }

    fn show(&self) -> PathBuf {
        self.project.path("show")
    }

    fn command(&self, arguments: &[&str]) -> Command {
        let mut command = self.project.command(arguments);
        command.current_dir(self.show());
        command
    }

    fn call(&self, arguments: &[&str]) -> Called {
        called(self.command(arguments))
    }

    /// All files but those that are kept of runs that ended.
    fn files(&self) -> Vec<String> {
        let found = system("find", &[self.show().to_str().unwrap(), "-type", "f"]).unwrap();
        let show = format!("{}/", self.show().display());
        let mut names: Vec<String> = found
            .lines()
            .map(|name| name.replacen(&show, "", 1))
            .filter(|name| !name.starts_with(".truepath"))
            .collect();
        names.sort();
        names
    }
}

impl Drop for Disk {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg(self.show()).status();
        let _ = Command::new("losetup")
            .args(["--detach", &self.device])
            .status();
    }
}

fn expected() -> Vec<String> {
    let frames = (1..=12).map(|frame| format!("renders/kiln.{frame:04}.png"));
    let mut all = vec!["kiln.toml".to_owned()];
    all.extend(frames);
    all.push("truepath.toml".to_owned());
    all
}

#[test]
fn several_runs_side_by_side_and_killed() {
    let Some(disk) = Disk::mount("jobs = 2\ndead-after = \"1s\"\n") else {
        return;
    };
    // Killed again and again, each time a little later.
    for milliseconds in (1..10).map(|step| step * 15) {
        let mut run = disk
            .command(&["run", "--quiet"])
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::park_timeout(std::time::Duration::from_millis(milliseconds));
        run.kill().unwrap();
        run.wait().unwrap();
    }
    let runs: Vec<_> = (0..3)
        .map(|number| {
            disk.command(&["run", "--quiet"])
                .env("TRUEPATH_MACHINE", format!("node-{number}"))
                .stdout(Stdio::null())
                .spawn()
                .unwrap()
        })
        .collect();
    for mut run in runs {
        assert!(run.wait().unwrap().success());
    }
    disk.call(&["audit"]).ends(0);
    assert_eq!(disk.files(), expected());
}

#[test]
fn frames_that_are_replaced_are_kept_aside_and_names_are_changed() {
    let Some(disk) = Disk::mount("") else {
        return;
    };
    disk.call(&["run"]).ends(0);
    disk.call(&["run", "--set", "existing=replace"]).ends(0);
    disk.call(&["audit"]).ends(0);
    let aside = disk.files();
    let aside = aside
        .iter()
        .filter(|name| name.contains("/set-aside/kiln."));
    assert_eq!(aside.count(), 12, "it cannot exchange two names");
    disk.call(&["clean", "--set-aside", "--apply"]).ends(0);
    assert_eq!(disk.files(), expected());
    let names = [
        "rename",
        "renders/kiln.{frame:04}.png",
        "renders/oven.{frame:04}.png",
    ];
    disk.call(&[&names[..], &["--apply"]].concat()).ends(0);
    disk.call(&["rename", "--undo"]).ends(0);
    disk.call(&["audit"]).ends(0);
    let taken = [
        "rename",
        "renders/kiln.0001.png",
        "renders/kiln.0002.png",
        "--apply",
    ];
    assert_ne!(disk.call(&taken).code, Some(0));
    assert_eq!(disk.files(), expected());
}
