use std::fs::{self, OpenOptions};
use std::io::Write;

use super::*;
use crate::disk::{RealDisk, Stamp};

struct Ledgers(tempfile::TempDir);

impl Ledgers {
    fn new() -> Self {
        Self(tempfile::tempdir().unwrap())
    }

    fn folder(&self) -> &Path {
        self.0.path()
    }

    fn writer(&self, session: u32) -> LedgerWriter {
        LedgerWriter::create(&RealDisk, &path(self.folder(), session)).unwrap()
    }

    fn write(&self, session: u32, lines: &[Line]) {
        self.writer(session).write(lines).unwrap();
    }

    /// Appends bytes as they are, as a torn write or an editor leaves them.
    fn append(&self, session: u32, text: &str) {
        let path = path(self.folder(), session);
        let mut file = OpenOptions::new().append(true).open(path).unwrap();
        file.write_all(text.as_bytes()).unwrap();
    }

    fn read(&self) -> Ledger {
        Ledger::read(self.folder()).unwrap()
    }
}

fn record(frame: u32, hash: char) -> Record {
    Record {
        path: format!("/show/renders/dawn.{frame:04}.png"),
        size: 100,
        modified: 1_700_000_000_000_000_000,
        hash: hash.to_string().repeat(64),
        fingerprint: Some("a".repeat(32)),
        engine: "understudy 1.0".to_owned(),
        machine: "render-7".to_owned(),
        time: "2026-02-03T04:05:06Z".to_owned(),
        run: None,
        unverifiable: None,
        picture: None,
        samples: None,
        error: None,
        proven_by: None,
        kind: None,
    }
}

fn published(frame: u32, hash: char, how: FileOrigin) -> Line {
    Line::Published {
        frame: i64::from(frame),
        how,
        record: record(frame, hash),
    }
}

fn intent(frame: u32, hash: char) -> Line {
    Line::Intent(Intent {
        staged: format!("/show/renders/.staging/f{frame}.png"),
        frame: i64::from(frame),
        replaces: None,
        removed_hash: None,
        record: record(frame, hash),
    })
}

fn staged(process: u32) -> Line {
    Line::Staged(Staged {
        folder: format!("/show/renders/.truepath-0a1b2c3d-0001-{process:04}"),
        process,
        label: "dawn beauty".to_owned(),
        engine: String::new(),
        log: "logs/0001/0001.log".to_owned(),
        time: "2026-02-03T04:05:06Z".to_owned(),
        frames: "1-3".to_owned(),
        members: vec![StagedMember {
            path: "/show/renders/dawn.{frame:04}.png".to_owned(),
            fingerprint: "a".repeat(32),
        }],
        besides: String::new(),
        held: false,
        given: Vec::new(),
    })
}

fn left(process: u32, kept: bool) -> Line {
    Line::Left {
        process,
        took: None,
        used: None,
        kept,
    }
}

fn began(format: u32) -> Line {
    Line::Began(SessionBegan {
        machine: "render-7".to_owned(),
        job: "truepath.toml".to_owned(),
        time: "2026-02-03T04:05:06Z".to_owned(),
        logs: "logs/0001".to_owned(),
        format,
    })
}

#[test]
fn what_was_recorded_last_of_a_file_counts() {
    let ledgers = Ledgers::new();
    ledgers.write(1, &[published(1, '1', FileOrigin::Rendered)]);
    ledgers.write(2, &[published(1, '2', FileOrigin::Adopted)]);
    let ledger = ledgers.read();
    assert_eq!(ledger.last(), 2);
    assert!(ledger.has_recorded(&record(1, '2')));
    assert!(!ledger.has_recorded(&record(1, '1')));
    let known = ledger.published.get(&record(1, '2').path).unwrap();
    assert_eq!(known.stamp.size, 100);
    assert_eq!(known.fingerprint(), Some("a".repeat(32).as_str()));
    // What was taken as it was there is nothing that the run brought.
    assert_eq!(ledger.sessions[&1].brought, 1);
    assert_eq!(ledger.sessions[&2].brought, 0);
}

#[test]
fn a_file_that_was_moved_aside_is_published_no_more() {
    let ledgers = Ledgers::new();
    let aside = Line::Aside {
        path: record(1, '1').path,
        to: "/show/renders/set-aside/dawn.0001.png".to_owned(),
        why: "it is replaced".to_owned(),
    };
    ledgers.write(1, &[published(1, '1', FileOrigin::Rendered), aside]);
    assert!(ledgers.read().published.get(&record(1, '1').path).is_none());
}

#[test]
fn intents_count_until_their_own_file_is_published() {
    let ledgers = Ledgers::new();
    ledgers.write(
        1,
        &[
            intent(1, '1'),
            intent(2, '2'),
            published(1, '1', FileOrigin::Rendered),
            // Of other bytes: it says nothing of the second.
            published(2, '9', FileOrigin::Rendered),
        ],
    );
    let ledger = ledgers.read();
    let open: Vec<i64> = ledger.sessions[&1]
        .intents
        .iter()
        .map(|one| one.frame)
        .collect();
    assert_eq!(open, [2]);
}

#[test]
fn of_a_run_that_has_ended_nothing_is_left_to_recover() {
    let ledgers = Ledgers::new();
    let open = [staged(1), intent(1, '1'), staged(2), left(2, true)];
    ledgers.write(1, &open);
    let before = ledgers.read();
    let session = &before.sessions[&1];
    assert!(!session.ended);
    assert_eq!(
        (
            session.intents.len(),
            session.staged.len(),
            session.kept.len()
        ),
        (1, 1, 1)
    );
    for end in [Line::Ended, Line::Recovered { session: 1 }] {
        let ledgers = Ledgers::new();
        let mut writer = ledgers.writer(1);
        writer.write(&open).unwrap();
        match end {
            Line::Ended => writer.write(&[end]).unwrap(),
            // Another run says it of one that died.
            recovered => ledgers.write(2, &[recovered]),
        }
        let ledger = ledgers.read();
        let session = &ledger.sessions[&1];
        assert!(session.ended);
        assert!(session.intents.is_empty() && session.staged.is_empty() && session.kept.is_empty());
    }
}

#[test]
fn a_staging_folder_is_open_until_its_process_has_left_it() {
    let ledgers = Ledgers::new();
    let succeeded = |process| Line::Succeeded { process };
    ledgers.write(
        1,
        &[
            staged(1),
            succeeded(1),
            staged(2),
            succeeded(2),
            left(1, false),
            left(9, false),
        ],
    );
    let ledger = ledgers.read();
    let session = &ledger.sessions[&1];
    let open: Vec<u32> = session.staged.iter().map(|one| one.process).collect();
    assert_eq!(open, [2]);
    assert_eq!(session.succeeded.iter().copied().collect::<Vec<_>>(), [2]);
}

#[test]
fn a_ledger_that_is_being_written_is_read_on_from_where_it_was() {
    let ledgers = Ledgers::new();
    let mut writer = ledgers.writer(1);
    writer
        .write(&[published(1, '1', FileOrigin::Rendered)])
        .unwrap();
    // Half a line is there already.
    let next = fs::read_to_string(path(ledgers.folder(), 1))
        .unwrap()
        .replace("0001.png", "0002.png");
    ledgers.append(1, &next[..40]);
    let mut ledger = ledgers.read();
    assert_eq!(ledger.sessions[&1].brought, 1);
    assert!(ledger.unsound().is_empty());
    // It turns out to be torn when the next line comes.
    ledgers.append(1, "\n");
    writer
        .write(&[published(3, '3', FileOrigin::Recovered)])
        .unwrap();
    ledgers.write(2, &[Line::Ended]);
    ledger.refresh(ledgers.folder()).unwrap();
    assert_eq!(ledger.sessions[&1].brought, 2);
    assert_eq!(ledger.unsound(), [("ledger/0001.jsonl".to_owned(), 2)]);
    assert!(ledger.sessions[&2].ended);
    // Once more, and nothing counts twice.
    ledger.refresh(ledgers.folder()).unwrap();
    assert_eq!(ledger.sessions[&1].brought, 2);
}

#[test]
fn lines_that_are_edited_or_torn_are_reported_by_number_and_ignored() {
    let ledgers = Ledgers::new();
    let mut writer = ledgers.writer(1);
    let lines = [began(FORMAT), published(1, '1', FileOrigin::Rendered)];
    writer.write(&lines).unwrap();
    let text = fs::read_to_string(path(ledgers.folder(), 1)).unwrap();
    let last = text.lines().last().unwrap();
    // A path that somebody changed, a line of something else, and one that is no text.
    ledgers.append(1, &format!("{}\n", last.replace("0001.png", "0007.png")));
    ledgers.append(1, "a note\n");
    let mut file = OpenOptions::new()
        .append(true)
        .open(path(ledgers.folder(), 1))
        .unwrap();
    file.write_all(b"\xff\xfe\n").unwrap();
    writer
        .write(&[published(2, '2', FileOrigin::Rendered)])
        .unwrap();
    let ledger = ledgers.read();
    assert!(ledger.published.get(&record(7, '1').path).is_none());
    assert!(ledger.has_recorded(&record(1, '1')) && ledger.has_recorded(&record(2, '2')));
    let unsound =
        |line| format!("ledger/0001.jsonl:{line} is no sound line of a ledger, and is ignored");
    assert_eq!(ledger.remarks(), [unsound(3), unsound(4), unsound(5)]);
}

#[test]
fn a_ledger_of_a_newer_format_is_refused() {
    let ledgers = Ledgers::new();
    ledgers.writer(1).write(&[began(FORMAT + 1)]).unwrap();
    let refused = Ledger::read(ledgers.folder()).unwrap_err();
    assert_eq!(refused.kind(), std::io::ErrorKind::Unsupported);
}

#[test]
fn ledgers_are_found_by_number_and_a_gap_ends_them() {
    let ledgers = Ledgers::new();
    assert_eq!(ledgers.read().last(), 0);
    ledgers.write(1, &[published(1, '1', FileOrigin::Rendered)]);
    fs::write(ledgers.folder().join("notes.txt"), "mine").unwrap();
    assert_eq!(ledgers.read().last(), 1);
    // A writer never takes a number that is in use.
    let taken = LedgerWriter::create(&RealDisk, &path(ledgers.folder(), 1));
    let refused = taken.err().unwrap();
    assert_eq!(refused.kind(), std::io::ErrorKind::AlreadyExists);
}

#[test]
fn pictures_that_nothing_proves_are_known_until_they_are_discarded() {
    let ledgers = Ledgers::new();
    let unproven = |frame: u32| Unproven {
        path: record(frame, '1').path,
        aside: format!("/show/renders/set-aside/unproven-dawn.{frame:04}.png"),
        stamp: Stamp {
            size: 100,
            modified: 5,
        },
        hash: None,
        fingerprint: None,
        code: Some(3),
    };
    let discarded = Line::Discarded {
        aside: unproven(1).aside,
    };
    let lines = [
        Line::Unproven(unproven(1)),
        Line::Unproven(unproven(2)),
        discarded,
    ];
    ledgers.write(1, &lines);
    let ledger = ledgers.read();
    assert_eq!(
        ledger.unproven.into_values().collect::<Vec<_>>(),
        [unproven(2)]
    );
}

#[test]
fn what_a_run_publishes_itself_is_known_at_once() {
    let mut ledger = Ledger::default();
    ledger.publish(&record(1, '1'));
    assert!(ledger.has_recorded(&record(1, '1')));
    // Reading on what others did needs no list of all files.
    assert!(
        ledger
            .clone_sessions()
            .published
            .get(&record(1, '1').path)
            .is_none()
    );
}
