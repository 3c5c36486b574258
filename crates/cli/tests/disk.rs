//! A disk that fills while frames are written.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use common::{Project, scene};

/// A small file system; it goes when this is dropped.
struct Small(PathBuf);

impl Small {
    /// Mounts one of so many kilobytes, where this is allowed.
    fn mount(path: PathBuf, kilobytes: u32) -> Option<Self> {
        fs::create_dir_all(&path).unwrap();
        let size = format!("size={kilobytes}k");
        let mounted = Command::new("mount")
            .args(["-t", "tmpfs", "-o", &size, "tmpfs"])
            .arg(&path)
            .output();
        if mounted.is_ok_and(|output| output.status.success()) {
            return Some(Self(path));
        }
        common::left_out("mount");
        None
    }
}

impl Drop for Small {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("--lazy").arg(&self.0).status();
    }
}

/// Frames of about 100 kB each, which do not compress.
fn project(frames: &str, more: &str) -> Project {
    let project = Project::new(&format!(
        "scene = \"kiln.toml\"\nframes = \"{frames}\"\nengine = \"understudy\"\nsize = \"128x96\"\n\
         bits = 16\nretries = 0\npath = \"small/renders/{{shot}}.{{frame:04}}.png\"\n{more}"
    ));
    project.write("kiln.toml", &scene(""));
    project
}

fn whole(project: &Project) -> usize {
    let audit = project.audit();
    let one = &audit["deliverables"][0];
    assert_eq!(one["broken"].as_array().unwrap().len(), 0, "{audit}");
    usize::try_from(one["valid"].as_u64().unwrap()).unwrap()
}

fn size_of_a_frame() -> u64 {
    let project = project("1", "");
    project.call(&["run"]).ends(0);
    fs::metadata(project.path("small/renders/kiln.0001.png"))
        .unwrap()
        .len()
}

/// Takes so much room, or all there is.
fn fill(path: &Path, kilobytes: u64) {
    let _ = fs::write(path, vec![1; usize::try_from(kilobytes * 1024).unwrap()]);
}

#[test]
fn a_run_stops_before_the_disk_is_full_and_goes_on_when_there_is_room() {
    let frame = size_of_a_frame();
    let project = project("1-30", "chunk = 1\n");
    let room = frame * 14 / 1024;
    let Some(_small) = Small::mount(project.path("small"), u32::try_from(room).unwrap()) else {
        return;
    };
    let scene_text = scene("[mishap]\nslow = 100\n");
    project.write("kiln.toml", &scene_text);
    let called = project.call(&["run"]).ends(1);
    assert!(
        called.out.contains("stopped"),
        "{}\n{}",
        called.out,
        called.err
    );
    assert!(called.out.contains("are free below"), "{}", called.out);
    let done = whole(&project);
    assert!((5..14).contains(&done), "{done}");
    // Room is made: the frames go elsewhere, and the rest fits.
    let bigger = format!("remount,size={}k", frame * 60 / 1024);
    let path = project.path("small");
    let status = Command::new("mount")
        .args(["-o", &bigger])
        .arg(&path)
        .status()
        .unwrap();
    assert!(status.success());
    project.call(&["run", "--jobs", "1"]).ends(0);
    assert_eq!(whole(&project), 30);
}

#[test]
fn a_disk_that_is_full_all_at_once_breaks_nothing() {
    let frame = size_of_a_frame();
    // The state is on the small disk too: neither frame nor ledger can be written.
    let project = project("1-12", "state = \"small/state\"\n");
    let Some(_small) = Small::mount(
        project.path("small"),
        u32::try_from(frame * 16 / 1024).unwrap(),
    ) else {
        return;
    };
    for taken in [11, 13, 15] {
        fill(&project.path("small/ballast"), frame * taken / 1024);
        let called = project.call(&["run", "--jobs", "1"]);
        assert!(
            matches!(called.code, Some(1 | 3)),
            "{:?} {}",
            called.code,
            called.err
        );
        assert!(whole(&project) < 12);
    }
    fs::remove_file(project.path("small/ballast")).unwrap();
    project.call(&["run", "--jobs", "1"]).ends(0);
    assert_eq!(whole(&project), 12);
    let hidden = fs::read_dir(project.path("small/renders"))
        .unwrap()
        .flatten();
    let hidden = hidden.filter(|entry| entry.file_name().to_string_lossy().starts_with('.'));
    assert_eq!(hidden.count(), 0);
}
