use std::fs;
use std::sync::atomic::{AtomicBool, Ordering};

use super::*;
use crate::disk::faulty::{Fault, FaultyDisk};
use crate::disk::{RealDisk, content_hash};
use crate::record::ledger::Ledger;
use crate::sample::{names, provenance};

/// A folder of frames with a staging folder, and a ledger beside it.
struct Frames {
    folder: tempfile::TempDir,
}

impl Frames {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        for name in ["renders", "renders/.staging", "ledger"] {
            fs::create_dir(folder.path().join(name)).unwrap();
        }
        Self { folder }
    }

    fn path(&self, relative: &str) -> PathBuf {
        self.folder.path().join(relative)
    }

    fn publisher(&self, disk: &dyn Disk) -> Publisher {
        let path = self.path("ledger/0001.jsonl");
        Publisher::new(LedgerWriter::create(disk, &path).unwrap())
    }

    /// A verified file with this content, that is to be the frame.
    fn verified(&self, frame: Frame, content: &str) -> VerifiedFile {
        let staged = self.path(&format!("renders/.staging/f{frame}.png"));
        fs::write(&staged, content).unwrap();
        VerifiedFile {
            record: record(&staged, &self.true_name(frame), &provenance()).unwrap(),
            replaces: None,
            removed_hash: None,
            how: FileOrigin::Rendered,
            staged,
            frame,
        }
    }

    fn true_name(&self, frame: Frame) -> PathBuf {
        self.path(&format!("renders/dawn.{frame:04}.png"))
    }

    fn content(&self, frame: Frame) -> String {
        fs::read_to_string(self.true_name(frame)).unwrap()
    }

    fn ledger(&self) -> Ledger {
        Ledger::read(&self.path("ledger")).unwrap()
    }

    fn is_recorded(&self, frame: Frame) -> bool {
        let path = self.true_name(frame).display().to_string();
        self.ledger().published.get(&path).is_some()
    }
}

fn publish_one(disk: &dyn Disk, frames: &Frames, file: VerifiedFile) -> PublishResult {
    let publisher = frames.publisher(disk);
    publisher.publish(disk, &|| true, vec![file]).pop().unwrap()
}

#[test]
fn a_file_is_synced_and_intended_before_it_has_its_true_name() {
    let frames = Frames::new();
    let order = FaultyDisk::new(|_, _| None);
    let publisher = frames.publisher(&order);
    let files = vec![frames.verified(1, "one"), frames.verified(2, "two")];
    let published = publisher.publish(&order, &|| true, files);
    assert!(published.iter().all(Result::is_ok), "{published:?}");
    assert_eq!([frames.content(1), frames.content(2)], ["one", "two"]);
    assert!(frames.is_recorded(1) && frames.is_recorded(2));
    assert!(names(&frames.path("renders/.staging")).is_empty());
    // One sync of the folder is enough for both.
    assert_eq!(
        order.asked(),
        [
            "create_log",
            "sync_folder",
            "sync_file",
            "sync_file",
            "rename_new",
            "rename_new",
            "sync_folder"
        ]
    );
    assert!(publisher.publish(&order, &|| true, Vec::new()).is_empty());
}

#[test]
fn a_file_that_is_there_is_never_replaced_unasked() {
    let frames = Frames::new();
    fs::write(frames.true_name(1), "somebody's").unwrap();
    let file = frames.verified(1, "one");
    let staged = file.staged.clone();
    let published = publish_one(&RealDisk, &frames, file);
    let Err(PublishError::Taken(path)) = published else {
        panic!("{published:?}")
    };
    assert_eq!(path, frames.true_name(1).display().to_string());
    assert_eq!(frames.content(1), "somebody's");
    assert_eq!(fs::read_to_string(staged).unwrap(), "one");
    assert!(!frames.is_recorded(1));
}

#[test]
fn a_run_that_is_taken_for_dead_publishes_nothing_more() {
    let frames = Frames::new();
    let publisher = frames.publisher(&RealDisk);
    let stands = AtomicBool::new(true);
    let asks = || stands.load(Ordering::Relaxed);
    let publish = |file| publisher.publish(&RealDisk, &asks, vec![file]).pop();
    assert!(publish(frames.verified(1, "one")).unwrap().is_ok());
    stands.store(false, Ordering::Relaxed);
    let fenced = publish(frames.verified(2, "two")).unwrap();
    assert!(matches!(fenced, Err(PublishError::Fenced)), "{fenced:?}");
    assert!(!frames.true_name(2).exists());
    assert!(frames.path("renders/.staging/f2.png").exists());
}

#[test]
fn a_file_that_cannot_be_synced_stays_and_the_others_go_on() {
    let frames = Frames::new();
    let disk = FaultyDisk::new(|operation, path| {
        let is_it = operation == "sync_file" && path.ends_with("f1.png");
        is_it.then_some(Fault::Refused(io::ErrorKind::Other))
    });
    let publisher = frames.publisher(&disk);
    let files = vec![frames.verified(1, "one"), frames.verified(2, "two")];
    let published = publisher.publish(&disk, &|| true, files);
    assert!(matches!(published[0], Err(PublishError::Disk(_))));
    assert!(published[1].is_ok());
    assert!(!frames.true_name(1).exists() && !frames.is_recorded(1));
    assert_eq!(frames.content(2), "two");
}

#[test]
fn without_a_line_in_the_ledger_nothing_gets_its_true_name() {
    let frames = Frames::new();
    let full = Fault::Refused(io::ErrorKind::StorageFull);
    let disk = FaultyDisk::at("append and sync", full);
    let published = publish_one(&disk, &frames, frames.verified(1, "one"));
    assert!(matches!(published, Err(PublishError::Disk(_))));
    assert!(!frames.true_name(1).exists());

    // The name was taken, and the second line could not be written: the first shows it to the next run.
    let frames = Frames::new();
    let published = publish_one(
        &FaultyDisk::at("append", full),
        &frames,
        frames.verified(1, "one"),
    );
    assert!(matches!(published, Err(PublishError::Disk(_))));
    assert_eq!(frames.content(1), "one");
    let intents = &frames.ledger().sessions[&1].intents;
    assert_eq!(intents.len(), 1);
    let mut writer = LedgerWriter::create(&RealDisk, &frames.path("ledger/0002.jsonl")).unwrap();
    record_carried_out(&RealDisk, &mut writer, intents[0].clone()).unwrap();
    assert!(frames.is_recorded(1));
}

#[test]
fn from_another_file_system_a_copy_takes_the_name_whole() {
    let crosses = |operation: &str, path: &Path| {
        let is_it = operation == "rename_new" && path.ends_with("f1.png");
        is_it.then_some(Fault::Refused(io::ErrorKind::CrossesDevices))
    };
    let frames = Frames::new();
    let file = frames.verified(1, "one");
    publish_one(&FaultyDisk::new(crosses), &frames, file).unwrap();
    assert_eq!(frames.content(1), "one");
    assert_eq!(
        names(&frames.path("renders")),
        [".staging", "dawn.0001.png"]
    );
    assert!(names(&frames.path("renders/.staging")).is_empty());
    assert!(frames.is_recorded(1));

    // A copy that ends half leaves nothing, and the picture stays where it is.
    for fault in [
        Fault::Refused(io::ErrorKind::StorageFull),
        Fault::Done(io::ErrorKind::StorageFull),
    ] {
        let frames = Frames::new();
        let disk = FaultyDisk::new(move |operation, path| match operation {
            "copy_new" => Some(fault),
            _ => crosses(operation, path),
        });
        let published = publish_one(&disk, &frames, frames.verified(1, "one"));
        assert!(matches!(published, Err(PublishError::Disk(_))));
        assert_eq!(names(&frames.path("renders")), [".staging"]);
        assert!(frames.path("renders/.staging/f1.png").exists());
    }
}

/// A verified file that takes the place of one that is there.
fn replacing(frames: &Frames, replaces: Replaces) -> VerifiedFile {
    VerifiedFile {
        replaces: Some(replaces),
        removed_hash: content_hash(&frames.true_name(1)).ok(),
        ..frames.verified(1, "new")
    }
}

#[test]
fn what_is_replaced_is_removed_only_where_it_is_what_it_was() {
    let frames = Frames::new();
    fs::write(frames.true_name(1), "old").unwrap();
    let published = publish_one(&RealDisk, &frames, replacing(&frames, Replaces::Remove));
    assert_eq!(published.unwrap().aside, None);
    assert_eq!(frames.content(1), "new");
    assert_eq!(
        names(&frames.path("renders")),
        [".staging", "dawn.0001.png"]
    );

    // Somebody has put another file there meanwhile.
    let frames = Frames::new();
    fs::write(frames.true_name(1), "old").unwrap();
    let file = replacing(&frames, Replaces::Remove);
    fs::write(frames.true_name(1), "somebody's").unwrap();
    let published = publish_one(&RealDisk, &frames, file);
    let aside = published.unwrap().aside.unwrap();
    assert_eq!(fs::read_to_string(aside).unwrap(), "somebody's");
    assert_eq!(frames.content(1), "new");

    // Somebody has edited it by hand, as long and as old as it was.
    let frames = Frames::new();
    fs::write(frames.true_name(1), "old").unwrap();
    let file = replacing(&frames, Replaces::Remove);
    let time = fs::metadata(frames.true_name(1))
        .unwrap()
        .modified()
        .unwrap();
    fs::write(frames.true_name(1), "own").unwrap();
    let edited = fs::File::options()
        .write(true)
        .open(frames.true_name(1))
        .unwrap();
    edited.set_modified(time).unwrap();
    drop(edited);
    let published = publish_one(&RealDisk, &frames, file);
    let aside = published.unwrap().aside.unwrap();
    assert_eq!(fs::read_to_string(aside).unwrap(), "own");
}

#[test]
fn what_is_to_be_kept_is_set_aside_whatever_the_file_system_can() {
    for kind in [
        None,
        Some(io::ErrorKind::Unsupported),
        Some(io::ErrorKind::InvalidInput),
    ] {
        let frames = Frames::new();
        fs::write(frames.true_name(1), "old").unwrap();
        let disk = FaultyDisk::new(move |operation, _| {
            let fault = kind.map(Fault::Refused);
            fault.filter(|_| operation == "exchange")
        });
        let file = replacing(&frames, Replaces::Keep);
        publish_one(&disk, &frames, file).unwrap();
        assert_eq!(frames.content(1), "new");
        let aside = frames.path("renders/set-aside/dawn.0001.png");
        assert_eq!(fs::read_to_string(aside).unwrap(), "old", "{kind:?}");
    }
    // Nothing to replace any more.
    let frames = Frames::new();
    let file = replacing(&frames, Replaces::Keep);
    publish_one(&RealDisk, &frames, file).unwrap();
    assert_eq!(frames.content(1), "new");
    assert!(!frames.path("renders/set-aside").exists());
}

#[test]
fn what_is_replaced_stays_until_the_ledger_records_the_new_one() {
    let frames = Frames::new();
    fs::write(frames.true_name(1), "old").unwrap();
    let count = std::sync::atomic::AtomicU32::new(0);
    let disk = FaultyDisk::new(move |operation, _| {
        let is_second =
            operation == "append and sync" && count.fetch_add(1, Ordering::Relaxed) == 1;
        is_second.then_some(Fault::Refused(io::ErrorKind::StorageFull))
    });
    let file = replacing(&frames, Replaces::Remove);
    let staged = file.staged.clone();
    assert!(publish_one(&disk, &frames, file).is_err());
    assert_eq!(frames.content(1), "new");
    // An exchange has put it there.
    assert_eq!(fs::read_to_string(staged).unwrap(), "old");
}

#[test]
fn threads_that_publish_at_once_get_the_results_of_their_own_files() {
    let frames = Frames::new();
    let publisher = frames.publisher(&RealDisk);
    std::thread::scope(|scope| {
        for thread in 0..6 {
            let (frames, publisher) = (&frames, &publisher);
            scope.spawn(move || {
                for lot in 0..5 {
                    let first = thread * 100 + lot * 10;
                    let files: Vec<_> = (first..first + 3)
                        .map(|frame| frames.verified(frame, &frame.to_string()))
                        .collect();
                    let results = publisher.publish(&RealDisk, &|| true, files);
                    let paths: Vec<String> = results
                        .into_iter()
                        .map(|result| result.unwrap().record.path)
                        .collect();
                    let own = (first..first + 3).map(|frame| frames.true_name(frame));
                    let own: Vec<String> = own.map(|path| path.display().to_string()).collect();
                    assert_eq!(paths, own);
                }
            });
        }
    });
    let all = (0..6).flat_map(|thread| (0..5).map(move |lot| thread * 100 + lot * 10));
    for frame in all.flat_map(|first| first..first + 3) {
        assert_eq!(frames.content(frame), frame.to_string());
        assert!(frames.is_recorded(frame));
    }
}

#[test]
fn a_thread_that_panics_while_it_publishes_keeps_nobody_waiting() {
    let frames = Frames::new();
    let publisher = frames.publisher(&RealDisk);
    let files = |frame: Frame| vec![frames.verified(frame, "a picture")];
    std::thread::scope(|scope| {
        let (first, second) = (files(1), files(2));
        let panics = || -> bool {
            // The other one waits for this by now.
            while lock(&publisher.waiting).ready.is_empty() {
                std::thread::yield_now();
            }
            panic!("a mistake of the program");
        };
        let publisher = &publisher;
        let leader = scope.spawn(move || publisher.publish(&RealDisk, &panics, first));
        let other = scope.spawn(move || {
            while !lock(&publisher.waiting).at_work {
                std::thread::yield_now();
            }
            publisher.publish(&RealDisk, &|| true, second)
        });
        assert!(leader.join().is_err());
        assert!(other.join().unwrap().iter().all(Result::is_ok));
    });
    assert!(frames.is_recorded(2) && !frames.is_recorded(1));
}
