//! The real disk with faults where a test wants them.

use std::fs::File;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use super::{Append, Disk, RealDisk, Rewriter};
use crate::lock::lock;

/// What happens at an operation.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Fault {
    /// The disk refuses.
    Refused(io::ErrorKind),
    /// It is done, and the answer is an error: what a file server does whose answer is lost.
    Done(io::ErrorKind),
    /// It is done twice, and the second answer counts: what a client does that hears nothing.
    Twice,
}

/// Says which fault an operation meets, by its name and the path that it changes.
type Choice = dyn Fn(&str, &Path) -> Option<Fault> + Send + Sync;

/// The real disk, with faults, which remembers what was asked of it.
pub(crate) struct FaultyDisk {
    choice: Arc<Choice>,
    asked: Arc<Mutex<Vec<(&'static str, PathBuf)>>>,
}

impl FaultyDisk {
    pub(crate) fn new(
        choice: impl Fn(&str, &Path) -> Option<Fault> + Send + Sync + 'static,
    ) -> Self {
        Self {
            choice: Arc::new(choice),
            asked: Arc::default(),
        }
    }

    /// One where every operation of this name meets a fault.
    pub(crate) fn at(operation: &'static str, fault: Fault) -> Self {
        Self::new(move |name, _| (name == operation).then_some(fault))
    }

    /// The operations so far, by name.
    pub(crate) fn asked(&self) -> Vec<&'static str> {
        lock(&self.asked).iter().map(|(name, _)| *name).collect()
    }

    fn act<T>(
        &self,
        name: &'static str,
        path: &Path,
        operation: impl Fn() -> io::Result<T>,
    ) -> io::Result<T> {
        lock(&self.asked).push((name, path.to_owned()));
        match (self.choice)(name, path) {
            None => operation(),
            Some(Fault::Refused(kind)) => Err(kind.into()),
            Some(Fault::Done(kind)) => operation().and(Err(kind.into())),
            Some(Fault::Twice) => operation().and_then(|_| operation()),
        }
    }
}

/// Hands each operation on to the real disk, under its name.
macro_rules! operations {
    ($($name:ident($changed:ident: $type:ty $(, $other:ident: $other_type:ty)*) -> $result:ty;)*) => {
        $(fn $name(&self, $changed: $type $(, $other: $other_type)*) -> io::Result<$result> {
            self.act(stringify!($name), $changed, || RealDisk.$name($changed $(, $other)*))
        })*
    };
}

impl Disk for FaultyDisk {
    operations! {
        create_folders(folder: &Path) -> ();
        create_new_folder(folder: &Path) -> ();
        sync_file(path: &Path) -> ();
        sync_folder(folder: &Path) -> ();
        rename_new(from: &Path, to: &Path) -> ();
        rename_over(from: &Path, to: &Path) -> ();
        copy_new(from: &Path, to: &Path) -> ();
        exchange(one: &Path, other: &Path) -> ();
        second_name(from: &Path, to: &Path) -> ();
        write_whole(path: &Path, bytes: &[u8]) -> ();
        write_new(path: &Path, bytes: &[u8]) -> ();
        create_locked(path: &Path, bytes: &[u8]) -> File;
        copy_permissions(from: &Path, to: &Path) -> ();
        remove_folder(folder: &Path) -> ();
        remove_file(path: &Path) -> ();
        remove_tree(folder: &Path) -> ();
    }

    fn link(&self, target: &str, name: &Path) -> io::Result<()> {
        self.act("link", name, || RealDisk.link(target, name))
    }

    fn create_log(&self, path: &Path) -> io::Result<Box<dyn Append>> {
        let log = self.act("create_log", path, || RealDisk.create_log(path))?;
        Ok(Box::new(FaultyLog {
            log,
            path: path.to_owned(),
            choice: Arc::clone(&self.choice),
        }))
    }

    fn rewriter(&self, path: &Path) -> Rewriter {
        RealDisk.rewriter(path)
    }
}

struct FaultyLog {
    log: Box<dyn Append>,
    path: PathBuf,
    choice: Arc<Choice>,
}

impl Append for FaultyLog {
    fn append(&mut self, bytes: &[u8], sync: bool) -> io::Result<()> {
        match (self.choice)(if sync { "append and sync" } else { "append" }, &self.path) {
            None | Some(Fault::Twice) => self.log.append(bytes, sync),
            Some(Fault::Refused(kind)) => Err(kind.into()),
            Some(Fault::Done(kind)) => self.log.append(bytes, sync).and(Err(kind.into())),
        }
    }
}
