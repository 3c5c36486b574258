//! Bundles on machines that share nothing: each is rendered by another user, who may read nothing of ours, in a network of
//! its own that leads nowhere.
#![allow(clippy::unwrap_used, clippy::panic)]

mod common;

use std::fs;
use std::os::unix::fs::{PermissionsExt, chown};
use std::path::{Path, PathBuf};
use std::process::Command;

use common::bundles::{Home, rendered_at_home};
use common::{called, program};

/// A program as another user, in a network of its own.
fn as_user(user: u32, program: &Path) -> Command {
    let mut command = Command::new("unshare");
    command
        .arg("--net")
        .arg("setpriv")
        .arg(format!("--reuid={user}"))
        .arg(format!("--regid={user}"))
        .arg("--clear-groups")
        .arg(program);
    command.env_clear();
    command
}

/// Whether that is allowed here. Where it is not, the test script says so.
fn has_users() -> bool {
    let tried = as_user(12_001, Path::new("/bin/true")).output();
    tried.is_ok_and(|tried| tried.status.success()) || common::left_out("users")
}

fn allow(path: &Path, mode: u32) {
    fs::set_permissions(path, fs::Permissions::from_mode(mode)).unwrap();
}

/// Gives everything in a folder to a user, who alone may read it.
fn give(folder: &Path, user: u32) {
    for entry in fs::read_dir(folder).unwrap().flatten() {
        if entry.file_type().unwrap().is_dir() {
            give(&entry.path(), user);
        } else {
            chown(entry.path(), Some(user), Some(user)).unwrap();
        }
    }
    chown(folder, Some(user), Some(user)).unwrap();
    allow(folder, 0o700);
}

#[test]
fn four_users_without_a_network_bring_the_same_frames_home_as_one() {
    if !has_users() {
        return;
    }
    let home = Home::new("");
    allow(&home.project.path(""), 0o700);
    home.pack(&["--parts", "4"]).ends(0);
    // The program is all that the machines have in common.
    let machines = tempfile::tempdir().unwrap();
    allow(machines.path(), 0o755);
    let copy = machines.path().join("truepath");
    fs::copy(program(), &copy).unwrap();
    allow(&copy, 0o755);
    let mut bundles: Vec<PathBuf> = Vec::new();
    for (number, user) in (1..=4).zip(12_001..) {
        let own = machines.path().join(format!("user{number}"));
        fs::create_dir(&own).unwrap();
        let name = format!("orrery-v003-part{number}of4");
        fs::rename(home.bundle(&name), own.join(&name)).unwrap();
        give(&own, user);
        bundles.push(own.join(name));
    }
    for (bundle, user) in bundles.iter().zip(12_001..) {
        // Nobody else's bundle can be read, nor anything of ours.
        let other = bundles.iter().find(|other| *other != bundle).unwrap();
        for closed in [other.as_path(), &home.project.path("home")] {
            let mut look = as_user(user, Path::new("/bin/ls"));
            assert!(
                !look.arg(closed).output().unwrap().status.success(),
                "{closed:?}"
            );
        }
        // The last one is rendered by its script alone.
        let by_script = user == 12_004;
        let mut run = as_user(
            user,
            if by_script {
                Path::new("/bin/sh")
            } else {
                &copy
            },
        );
        let path = format!("{}:/usr/bin:/bin", machines.path().display());
        run.args(if by_script {
            &["render.sh"][..]
        } else {
            &["run", "--quiet"]
        })
        .current_dir(bundle)
        .env("PATH", path)
        .env("TRUEPATH_MACHINE", format!("user{user}"));
        called(run).ends(0);
    }
    // One is edited on the way.
    let frame = first_frame(&bundles[1]).unwrap();
    fs::write(&frame, b"half a picture").unwrap();
    let there: Vec<&Path> = bundles.iter().map(PathBuf::as_path).collect();
    let gathered = home.gather(&there).ends(1);
    assert!(gathered.out.contains("refused"), "{}", gathered.out);
    home.pack(&["--missing", "--output", "frames"]).ends(0);
    let again = home.render("orrery-v003-part1of1", "home");
    home.gather(&[&again]).ends(0);
    assert_eq!(home.frames(), rendered_at_home());
    let why = home
        .call(&["why", "../out/dawn/dawn_v003.0001.png"])
        .ends(0);
    assert!(
        why.out.contains("on user12001 by understudy"),
        "{}",
        why.out
    );
    // What came home belongs to us, like all that we make.
    let own = fs::metadata(home.project.path("home/show/truepath.toml")).unwrap();
    for frame in home.frames().keys() {
        let file = fs::metadata(home.project.path(&format!("home/out/{frame}"))).unwrap();
        use std::os::unix::fs::MetadataExt;
        assert_eq!(file.uid(), own.uid(), "{frame}");
    }
}

/// The first picture in a folder or below it.
fn first_frame(folder: &Path) -> Option<PathBuf> {
    let entries = fs::read_dir(folder).unwrap().flatten();
    let mut entries: Vec<PathBuf> = entries.map(|entry| entry.path()).collect();
    entries.sort();
    let is_picture = |path: &&PathBuf| path.extension().is_some_and(|end| end == "png");
    let here = entries.iter().find(is_picture).cloned();
    let mut folders = entries.iter().filter(|path| path.is_dir());
    here.or_else(|| folders.find_map(|path| first_frame(path)))
}
