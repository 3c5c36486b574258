use std::cell::RefCell;
use std::fs;

use truepath_core::picture::Size;

use super::*;
use crate::sample::{Project, picture, sized_picture};

/// Of the project's three frames, in two passes, with a staging folder.
fn area(project: &Project) -> StagingArea<'_> {
    let folder = project.path("renders/staging");
    fs::create_dir(&folder).unwrap();
    let profile = &project.deliverable(0).common.engine;
    StagingArea::new(folder, &project.members(), "1-3".parse().unwrap(), profile)
}

/// Gives each file its true name, as a publisher does.
fn rename_all(files: Vec<VerifiedFile>) -> Vec<PublishResult> {
    let publish = |file: VerifiedFile| {
        let to = PathBuf::from(&file.record.path);
        if to.exists() {
            return Err(PublishError::Taken(file.record.path));
        }
        fs::rename(&file.staged, to)?;
        Ok(PublishedFile {
            record: file.record,
            aside: None,
        })
    };
    files.into_iter().map(publish).collect()
}

const SUCCESS: Evidence<'_> = Evidence {
    named: &[],
    in_order: false,
    success: true,
    log_goes_on: false,
};

fn collected(area: &mut StagingArea<'_>, evidence: Evidence<'_>) -> Vec<(usize, Frame)> {
    let collected = area
        .collect(&rename_all, evidence, false)
        .unwrap()
        .collected;
    collected
        .iter()
        .map(|one| (one.deliverable.place(), one.frame))
        .collect()
}

fn names(project: &Project) -> Vec<String> {
    let mut names = project.names("renders");
    names.retain(|name| name != "staging");
    names
}

#[test]
fn files_are_known_by_pass_and_frame_and_strange_ones_are_left_alone() {
    let project = Project::new();
    let area = area(&project);
    assert!(area.is_predictable());
    let name = |output, frame| staged(&area, output, frame).display().to_string();
    // By its name alone, or with whatever folders the engine gives.
    assert!(area.expects(&name(0, 1)));
    assert!(area.expects(&name_of(&name(1, 3))));
    for other in [
        name(0, 4),
        name(0, 1).replace(".png", ".exr"),
        name(0, 1).replace("beauty", "normal"),
        "notes.txt".to_owned(),
    ] {
        assert!(!area.expects(&other), "{other}");
    }
}

/// Where the engine writes a frame of an output.
fn staged(area: &StagingArea<'_>, output: usize, frame: Frame) -> PathBuf {
    let name = area.outputs[output].name.as_ref().unwrap();
    area.folder.join(name.path(frame))
}

/// Writes a whole picture as the engine does.
fn write(area: &StagingArea<'_>, output: usize, frame: Frame) -> PathBuf {
    let path = staged(area, output, frame);
    picture(&path, 0.5);
    path
}

/// Writes a picture that the clock of the file system shows to be later than another one: it ticks every few
/// milliseconds.
fn write_after(area: &StagingArea<'_>, frame: Frame, before: Frame) {
    let changed = |path: &Path| crate::disk::changed_at(path).unwrap();
    let before = changed(&staged(area, 0, before));
    while changed(&write(area, 0, frame)) <= before {}
}

#[test]
fn without_evidence_nothing_is_published() {
    let project = Project::new();
    let mut area = area(&project);
    write(&area, 0, 1);
    assert!(collected(&mut area, Evidence::default()).is_empty());
    assert!(names(&project).is_empty());
    assert!(!area.is_whole());
}

#[test]
fn what_the_engine_names_as_final_is_published_and_nothing_else() {
    let project = Project::new();
    let mut area = area(&project);
    let named = [write(&area, 0, 2).display().to_string()];
    write(&area, 0, 1);
    let evidence = Evidence {
        named: &named,
        ..Evidence::default()
    };
    assert_eq!(collected(&mut area, evidence), [(0, 2)]);
    // Named twice, it is published once.
    assert!(collected(&mut area, evidence).is_empty());
    assert_eq!(area.missing(&area.outputs[0]).to_string(), "1,3");
}

#[test]
fn of_an_engine_that_works_in_order_a_later_frame_proves_the_earlier_ones() {
    let project = Project::new();
    let mut area = area(&project);
    let in_order = Evidence {
        in_order: true,
        ..Evidence::default()
    };
    write(&area, 0, 1);
    assert!(collected(&mut area, in_order).is_empty());
    area.begun = Some(2);
    assert_eq!(collected(&mut area, in_order), [(0, 1)]);
    write(&area, 0, 2);
    assert_eq!(area.last_begun(), Some(2));
    assert!(collected(&mut area, in_order).is_empty());
    // The picture of a later frame is there, and was written later.
    write_after(&area, 3, 2);
    assert_eq!(collected(&mut area, in_order), [(0, 2)]);
    assert_eq!(area.last_begun(), Some(3));
}

#[test]
fn files_are_not_ahead_of_a_log_that_reports_samples() {
    let project = Project::new();
    let mut area = area(&project);
    let at_work = Evidence {
        in_order: true,
        log_goes_on: true,
        ..Evidence::default()
    };
    write(&area, 0, 1);
    write(&area, 0, 2);
    // Lines about the first may still have to be read.
    assert!(collected(&mut area, at_work).is_empty());
    area.begun = Some(2);
    assert_eq!(collected(&mut area, at_work), [(0, 1)]);
    // Once all of it is read, files prove as much as ever.
    write_after(&area, 3, 2);
    assert!(collected(&mut area, at_work).is_empty());
    let at_the_end = Evidence {
        log_goes_on: false,
        ..at_work
    };
    assert_eq!(collected(&mut area, at_the_end), [(0, 2)]);
}

#[test]
fn a_success_proves_all_that_is_whole_and_of_the_right_kind() {
    let project = Project::new();
    let mut area = area(&project);
    for frame in 1..=3 {
        write(&area, 0, frame);
        write(&area, 1, frame);
    }
    // Half written, empty, and of another size.
    let half = write(&area, 1, 1);
    let bytes = fs::read(&half).unwrap();
    fs::write(&half, &bytes[..bytes.len() / 2]).unwrap();
    fs::write(write(&area, 1, 2), "").unwrap();
    let other = Size {
        width: 8,
        height: 2,
    };
    sized_picture(&write(&area, 1, 3), other, 0.5);
    assert_eq!(collected(&mut area, SUCCESS), [(0, 1), (0, 2), (0, 3)]);
    let wrong: Vec<bool> = area.outputs[1]
        .flaws
        .values()
        .map(|flaw| flaw.is_wrong_kind)
        .collect();
    assert_eq!(wrong, [false, false, true]);
    assert_eq!(names(&project).len(), 3);
    assert_eq!(area.wrong_kind(), None);
    // What was found bad is looked at again when it has changed, and not before.
    assert!(collected(&mut area, SUCCESS).is_empty());
    fs::write(&half, bytes).unwrap();
    assert_eq!(collected(&mut area, SUCCESS), [(1, 1)]);
    assert!(!area.outputs[1].flaws.contains_key(&1));
}

#[test]
fn pictures_of_another_kind_from_the_first_on_are_no_chance() {
    let project = Project::new();
    let mut area = area(&project);
    let other = Size {
        width: 8,
        height: 2,
    };
    for frame in 1..=2 {
        sized_picture(&write(&area, 0, frame), other, 0.5);
    }
    assert!(collected(&mut area, SUCCESS).is_empty());
    assert_eq!(area.wrong_kind(), None, "two may be chance");
    sized_picture(&write(&area, 0, 3), other, 0.5);
    assert!(collected(&mut area, SUCCESS).is_empty());
    let reason = area.wrong_kind().unwrap();
    assert!(reason.contains("8x2") && reason.contains("4x2"), "{reason}");
}

#[test]
fn a_file_that_appeared_under_a_true_name_stays_and_is_reported() {
    let project = Project::new();
    let mut area = area(&project);
    let there = project.deliverable(0).path(1);
    fs::write(&there, "somebody's").unwrap();
    write(&area, 0, 1);
    assert!(collected(&mut area, SUCCESS).is_empty());
    assert_eq!(fs::read(&there).unwrap(), b"somebody's");
    let reason = &area.outputs[0].flaws[&1].reason;
    assert!(reason.contains("appeared under its name"), "{reason}");
    assert_eq!(area.left_over().len(), 1);
}

#[test]
fn a_run_that_is_fenced_off_collects_nothing() {
    let project = Project::new();
    let mut area = area(&project);
    write(&area, 0, 1);
    let asked = RefCell::new(0);
    let publish = |files: Vec<VerifiedFile>| {
        *asked.borrow_mut() += files.len();
        files.iter().map(|_| Err(PublishError::Fenced)).collect()
    };
    let error = area.collect(&publish, SUCCESS, false).err();
    assert!(matches!(error, Some(CollectError::Fenced)));
    assert_eq!(*asked.borrow(), 1);
    assert!(area.outputs[0].done.is_empty());
}

#[test]
fn twins_of_published_files_are_known_by_their_bytes() {
    let project = Project::new();
    let area = area(&project);
    let twin = write(&area, 0, 1);
    fs::copy(&twin, project.deliverable(0).path(1)).unwrap();
    picture(&write(&area, 0, 2), 0.1);
    picture(Path::new(&project.deliverable(0).path(2)), 0.9);
    write(&area, 0, 3);
    assert_eq!(area.twins().unwrap(), [twin]);
}
