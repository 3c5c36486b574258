//! Each way in which a file on disk can be wrong, reported by frame and reason.
#![allow(clippy::unwrap_used)]

mod common;

use std::fs;

use common::{Project, job, kiln, scene};

/// Six frames rendered as 8-bit rgba.
fn rendered() -> Project {
    let project = kiln("1-6", "channels = \"rgba\"\nbits = 8", "");
    project.call(&["run"]).ends(0);
    project
}

fn frame(project: &Project, frame: u32) -> std::path::PathBuf {
    project.path(&format!("renders/kiln.{frame:04}.png"))
}

/// Frame 4 of the same scene, rendered in another way, put in the place of frame 4. With the
/// extension may stand another size.
fn replaced_by(more: &str, extension: &str) -> String {
    let project = rendered();
    let (extension, size) = extension.split_once(':').unwrap_or((extension, "48x32"));
    let other = Project::new(
        &job("4", more)
            .replace(".png", extension)
            .replace("48x32", size),
    );
    other.write("kiln.toml", &scene(""));
    other.call(&["run"]).ends(0);
    fs::copy(
        other.path(&format!("renders/kiln.0004{extension}")),
        frame(&project, 4),
    )
    .unwrap();
    reason(&project)
}

fn reason(project: &Project) -> String {
    let called = project.call(&["audit", "--format", "json"]).ends(1).json();
    let account = &called["deliverables"][0];
    assert_eq!(account["valid"], 5);
    assert_eq!(account["broken"][0]["frames"], "4", "{account}");
    account["broken"][0]["reason"].as_str().unwrap().to_owned()
}

#[test]
fn zero_bytes() {
    let project = rendered();
    fs::write(frame(&project, 4), "").unwrap();
    assert_eq!(reason(&project), "it is empty (0 bytes)");
}

#[test]
fn truncated() {
    let project = rendered();
    let bytes = fs::read(frame(&project, 4)).unwrap();
    for length in [bytes.len() - 1, bytes.len() / 2, 40] {
        fs::write(frame(&project, 4), &bytes[..length]).unwrap();
        assert!(reason(&project).contains("cut short or damaged"));
    }
}

#[test]
fn damaged_in_the_middle() {
    let project = rendered();
    let mut bytes = fs::read(frame(&project, 4)).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 0xff;
    fs::write(frame(&project, 4), bytes).unwrap();
    assert!(reason(&project).contains("cut short or damaged"));
}

#[test]
fn no_picture_at_all() {
    let project = rendered();
    fs::write(frame(&project, 4), "not a picture").unwrap();
    assert!(reason(&project).contains("of no known format"));
    fs::remove_file(frame(&project, 4)).unwrap();
    fs::create_dir(frame(&project, 4)).unwrap();
    assert!(reason(&project).contains("something else than a file"));
}

#[test]
fn of_another_size_or_of_other_channels_bits_or_format() {
    assert_eq!(
        replaced_by("channels = \"rgba\"\npasses = []\n", ".png:32x32"),
        "its size is 32x32, not 48x32"
    );
    assert_eq!(
        replaced_by("channels = \"rgb\"\nbits = 8", ".png"),
        "its set of channels is rgb, not rgba"
    );
    assert_eq!(
        replaced_by("channels = \"rgba\"\nbits = 16", ".png"),
        "its depth is 16, not 8"
    );
    assert_eq!(
        replaced_by("channels = \"rgba\"", ".exr"),
        "it is no png file, but exr by its content"
    );
}

#[test]
fn a_byte_that_flips_on_the_disk_is_found() {
    let project = kiln("1-2", "compression = \"none\"\n", "");
    let job = project.read("truepath.toml").replace(".png", ".exr");
    project.write("truepath.toml", &job);
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(0);
    let path = project.path("renders/kiln.0002.exr");
    let time = fs::metadata(&path).unwrap().modified().unwrap();
    let mut bytes = fs::read(&path).unwrap();
    // In the middle of the pixels, which are whole as far as anybody can know.
    let middle = bytes.len() - 100;
    bytes[middle] ^= 1;
    fs::write(&path, bytes).unwrap();
    let file = fs::File::options().write(true).open(&path).unwrap();
    file.set_modified(time).unwrap();
    let audit = project.audit();
    assert_eq!(audit["deliverables"][0]["changed"][0]["frames"], "2");
    // By size and time it is as recorded: a run reads it only when it is asked to.
    let shown = project.call(&["audit"]).ends(1).out;
    assert!(
        shown.contains("not the bytes that were published"),
        "{shown}"
    );
    project.call(&["run"]).ends(0);
    project.call(&["audit"]).ends(1);
    let shown = project.call(&["run", "--verify-all"]).ends(1).out;
    assert!(!shown.contains("by size and time"), "{shown}");
    assert!(shown.contains("changed kiln · frames: frame 2"), "{shown}");
    // It is rendered again when the user says so, and what was there is kept.
    project
        .call(&["run", "--verify-all", "--rerender-stale"])
        .ends(0);
    project.call(&["audit"]).ends(0);
    assert_eq!(project.files("renders/set-aside"), ["kiln.0002.exr"]);
}

#[test]
fn missing_and_foreign_are_reported_as_ranges() {
    let project = rendered();
    for number in [2, 3, 5] {
        fs::remove_file(frame(&project, number)).unwrap();
    }
    for number in [7, 8, 9, 20] {
        fs::copy(frame(&project, 1), frame(&project, number)).unwrap();
    }
    let audit = project.audit();
    assert_eq!(audit["deliverables"][0]["missing"], "2-3,5");
    assert_eq!(audit["deliverables"][0]["foreign"], "7-9,20");
    let text = project.call(&["audit"]).ends(1).out;
    assert!(
        text.contains("missing  kiln · frames: frames 2-3,5"),
        "{text}"
    );
    assert!(
        text.contains("foreign  kiln · frames: frames 7-9,20"),
        "{text}"
    );
}

#[test]
fn an_audit_changes_nothing() {
    let project = rendered();
    fs::write(frame(&project, 4), "").unwrap();
    let before = project.files("");
    let ledgers = fs::read_dir(project.path(".truepath/ledger"))
        .unwrap()
        .count();
    project.call(&["audit"]).ends(1);
    assert_eq!(project.files(""), before);
    assert_eq!(
        fs::read_dir(project.path(".truepath/ledger"))
            .unwrap()
            .count(),
        ledgers
    );
}
