use std::fs;
use std::path::Path;

use truepath_core::picture::Size;

use super::brief::look_briefly_at_most;
use super::*;
use crate::look::fingerprint::Fingerprint;
use crate::record::ledger::Ledger;
use crate::sample::{Project, picture, provenance, record_of, sized_picture};

const WIDE: Size = Size {
    width: 8,
    height: 2,
};

/// Looks at the files of a project's first deliverable, which this fingerprint should have made.
fn looker<'p>(project: &'p Project, fingerprint: &str) -> Looker<'p> {
    let first = project.deliverable(0);
    Looker::new(first, &LookAround::of(&project.loaded), &mut |_| {
        Some(Fingerprint::of_any_recipe(fingerprint.to_owned()))
    })
}

/// What is there of frame 1 of a project's first deliverable.
fn seen(project: &Project, ledger: &Ledger, fingerprint: &str, decode: bool) -> FileOnDisk {
    let depth = if decode {
        Depth::Decode
    } else {
        Depth::Unknown
    };
    let looker = looker(project, fingerprint);
    looker.look(1, depth, &ledger.published).found
}

#[test]
fn a_file_is_what_name_ledger_settings_and_bytes_make_it() {
    let project = Project::new();
    let path = project.deliverable(0).path(1);
    let file = Path::new(&path);
    let today = provenance().fingerprint.unwrap();
    let mut ledger = Ledger::default();
    assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Missing);

    picture(file, 0.5);
    assert_eq!(
        seen(&project, &ledger, &today, false),
        FileOnDisk::Unrecorded
    );
    ledger.publish(&record_of(file));
    assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Valid);
    assert_eq!(seen(&project, &ledger, &today, true), FileOnDisk::Valid);
    assert_eq!(
        seen(&project, &ledger, "other settings", false),
        FileOnDisk::Stale
    );

    // The same bytes at another time.
    let old = fs::FileTimes::new().set_modified(std::time::UNIX_EPOCH);
    fs::File::options()
        .write(true)
        .open(file)
        .unwrap()
        .set_times(old)
        .unwrap();
    assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Touched);

    // Another whole picture of the right kind, one of another size, and half of one.
    picture(file, 0.75);
    let changed = seen(&project, &ledger, &today, false);
    assert!(matches!(changed, FileOnDisk::Changed(_)), "{changed:?}");
    sized_picture(file, WIDE, 0.5);
    let broken = seen(&project, &ledger, &today, false);
    assert!(
        matches!(&broken, FileOnDisk::Broken(why) if why.contains("8x2")),
        "{broken:?}"
    );
    fs::write(file, b"\x89PNG").unwrap();
    let broken = seen(&project, &ledger, &today, false);
    assert!(matches!(broken, FileOnDisk::Broken(_)), "{broken:?}");
}

#[test]
fn a_changed_byte_shows_only_when_the_bytes_are_read() {
    let project = Project::new();
    let path = project.deliverable(0).path(1);
    let file = Path::new(&path);
    picture(file, 0.5);
    let today = provenance().fingerprint.unwrap();
    let mut ledger = Ledger::default();
    ledger.publish(&record_of(file));
    let time = fs::metadata(file).unwrap().modified().unwrap();
    // As long as before, with the time of before: what a bad cable or disk does.
    let mut bytes = fs::read(file).unwrap();
    let last = bytes.len() - 20;
    bytes[last] ^= 1;
    fs::write(file, bytes).unwrap();
    let times = fs::FileTimes::new().set_modified(time);
    fs::File::options()
        .write(true)
        .open(file)
        .unwrap()
        .set_times(times)
        .unwrap();
    assert_eq!(seen(&project, &ledger, &today, false), FileOnDisk::Valid);
    assert_ne!(seen(&project, &ledger, &today, true), FileOnDisk::Valid);
}

#[test]
fn a_folder_or_a_link_in_the_place_of_a_frame_is_broken() {
    let project = Project::new();
    let path = project.deliverable(0).path(1);
    fs::create_dir(&path).unwrap();
    let ledger = Ledger::default();
    for decode in [false, true] {
        let broken = seen(&project, &ledger, "", decode);
        assert!(matches!(&broken, FileOnDisk::Broken(_)), "{broken:?}");
    }
}

#[test]
fn a_brief_look_opens_only_so_many_files() {
    let project = Project::new();
    let first = project.deliverable(0);
    for frame in 1..=3 {
        picture(Path::new(&first.path(frame)), 0.5);
    }
    let mut ledger = Ledger::default();
    ledger.publish(&record_of(Path::new(&first.path(2))));
    let looker = looker(&project, &provenance().fingerprint.unwrap());
    let brief = look_briefly_at_most(&looker, &ledger, 1);
    assert_eq!(brief.valid.to_string(), "2");
    assert_eq!(brief.not_looked_into.to_string(), "1,3");
    let size = fs::metadata(first.path(2)).unwrap().len();
    assert_eq!(brief.bytes, size);
    let all = look_briefly_at_most(&looker, &ledger, 2);
    assert_eq!(all.valid.to_string(), "1-3");
    assert!(all.not_looked_into.is_empty());
}

#[test]
fn frames_are_shown_by_reason() {
    let mut reasons = ByReason::default();
    for (reason, frame) in [("cut short", 3), ("8x2", 7), ("cut short", 2)] {
        reasons.add(reason.to_owned(), frame);
    }
    let frames = reasons.frames();
    let shown: Vec<String> = frames
        .iter()
        .map(|(why, set)| format!("{why}: {set}"))
        .collect();
    assert_eq!(shown, ["8x2: 7", "cut short: 2-3"]);
    assert_eq!(all_frames(&frames).to_string(), "2-3,7");
}

#[test]
fn a_file_that_may_not_be_read_is_nobodys_to_judge() {
    let project = Project::new();
    let path = project.deliverable(0).path(1);
    picture(Path::new(&path), 0.5);
    let closed = std::os::unix::fs::PermissionsExt::from_mode(0o000);
    fs::set_permissions(&path, closed).unwrap();
    // The administrator may read all.
    if fs::read(&path).is_err() {
        let found = seen(&project, &Ledger::default(), "", true);
        assert!(matches!(found, FileOnDisk::Unverifiable(_)), "{found:?}");
    }
}
