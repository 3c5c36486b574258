//! Claims: marks on what only one of several processes may do, on whatever machine they run.
//!
//! A claim is a file `NAME.GENERATION` that says whose it is. A run writes that down once, whole, under
//! a name of its own; a claim is a link to it, so that it is never seen empty and only one run gets
//! it. `NAME.GENERATION.closed` says that the work is done. Taking over from the dead is making the
//! next generation: one winner again. Nothing is found by listing folders, since listings of shared
//! folders lag.

use std::collections::{HashMap, HashSet};
use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Mutex;

use crate::disk::Disk;
use crate::lock::lock;
use crate::system::has_no_links;
use truepath_media::read_text;

/// Whose a claim is: a session, from 1.
type Holder = u32;
/// What cannot be read is nobody's, and is never taken over.
const UNKNOWN: Holder = 0;

/// A claim that this process holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Claim {
    name: String,
    generation: u32,
}

/// The answer to a request for a claim.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum ClaimResult {
    /// It is ours.
    Ours(Claim),
    /// This session holds it.
    HeldBy(u32),
    /// This session, which is still at work, has done with it.
    ClosedBy(u32),
}

/// The claims of a job.
pub(crate) struct Claims<'a> {
    disk: &'a dyn Disk,
    folder: PathBuf,
    session: Holder,
    /// The last generation that was seen of each name.
    seen: Mutex<HashMap<String, u32>>,
    own: Mutex<OwnClaims>,
}

/// What a run holds.
#[derive(Default)]
struct OwnClaims {
    /// The file that its claims are links to.
    written: Option<PathBuf>,
    /// How many such files it has begun: file systems take only so many links to one.
    files: u32,
    held: HashSet<PathBuf>,
}

impl<'a> Claims<'a> {
    pub(crate) fn new(disk: &'a dyn Disk, folder: PathBuf, session: Holder) -> io::Result<Self> {
        disk.create_folders(&folder)?;
        Ok(Self {
            disk,
            folder,
            session,
            seen: Mutex::default(),
            own: Mutex::default(),
        })
    }

    /// Asks for a claim. `is_gone` says of a session whether it holds nothing any more; with
    /// `again`, what a session at work has closed may be had too.
    pub(crate) fn ask(
        &self,
        name: &str,
        again: bool,
        is_gone: &dyn Fn(Holder) -> bool,
    ) -> io::Result<ClaimResult> {
        loop {
            let last = self.last(name)?;
            if let Some((claim, holder)) = &last
                && (*holder == UNKNOWN || !is_gone(*holder))
            {
                let closed = is_there(&closed(&self.path(claim)))?;
                if !(closed && again) {
                    return Ok(if closed {
                        ClaimResult::ClosedBy(*holder)
                    } else {
                        ClaimResult::HeldBy(*holder)
                    });
                }
            }
            let claim = Claim {
                name: name.to_owned(),
                generation: 1 + last.map_or(0, |(claim, _)| claim.generation),
            };
            match self.make(&claim) {
                Ok(()) => {
                    self.remember(&claim);
                    return Ok(ClaimResult::Ours(claim));
                }
                // Somebody was faster.
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
                Err(error) => return Err(error),
            }
        }
    }

    /// Says that what the claim was for is done, well or not.
    pub(crate) fn close(&self, claim: &Claim) -> io::Result<()> {
        let mut own = lock(&self.own);
        let path = self.path(claim);
        match self.link(&mut own, &closed(&path)) {
            // Only its holder closes a claim: the answer of a file server was lost.
            Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(error),
            _ => {}
        }
        own.held.remove(&path);
        Ok(())
    }

    fn path(&self, claim: &Claim) -> PathBuf {
        let Claim { name, generation } = claim;
        self.folder.join(format!("{name}.{generation}"))
    }

    fn make(&self, claim: &Claim) -> io::Result<()> {
        let mut own = lock(&self.own);
        let path = self.path(claim);
        match self.link(&mut own, &path) {
            // The answer of a file server may be lost, and the link is there all the same.
            Err(error)
                if error.kind() == io::ErrorKind::AlreadyExists
                    && !own.held.contains(&path)
                    && holder(&path)? == Some(self.session)
                    // What another thread has made and closed since is over.
                    && !is_there(&closed(&path))? => {}
            made => made?,
        }
        own.held.insert(path);
        Ok(())
    }

    /// Gives what this run says of itself another name.
    fn link(&self, own: &mut OwnClaims, path: &Path) -> io::Result<()> {
        if let Some(written) = &own.written {
            match self.disk.second_name(written, path) {
                Err(error) if error.kind() == io::ErrorKind::TooManyLinks => {}
                Err(error) if has_no_links(&error) => return self.rename_folder(own, path),
                made => return made,
            }
        }
        own.files += 1;
        let written = self
            .folder
            .join(format!("of-{}-{}", self.session, own.files));
        self.disk
            .write_new(&written, format!("{}\n", self.session).as_bytes())?;
        let made = self.disk.second_name(&written, path);
        own.written = Some(written);
        match made {
            Err(error) if has_no_links(&error) => self.rename_folder(own, path),
            made => made,
        }
    }

    /// On a file system that knows no second names a claim is a folder that holds what the file would: a folder never
    /// takes the name of one that holds anything.
    fn rename_folder(&self, own: &mut OwnClaims, path: &Path) -> io::Result<()> {
        if is_there(path)? {
            return Err(io::ErrorKind::AlreadyExists.into());
        }
        own.files += 1;
        let folder = self
            .folder
            .join(format!("of-{}-{}", self.session, own.files));
        self.disk.create_new_folder(&folder)?;
        let holder = format!("{}\n", self.session);
        self.disk
            .write_new(&folder.join(HOLDER), holder.as_bytes())?;
        match self.disk.rename_over(&folder, path) {
            Ok(()) => Ok(()),
            Err(error) => {
                self.disk.remove_tree(&folder)?;
                let is_taken = is_there(path)?;
                Err(if is_taken {
                    io::ErrorKind::AlreadyExists.into()
                } else {
                    error
                })
            }
        }
    }

    /// The last generation of a claim, and whose it is.
    fn last(&self, name: &str) -> io::Result<Option<(Claim, Holder)>> {
        let seen = lock(&self.seen).get(name).copied();
        let mut claim = Claim {
            name: name.to_owned(),
            generation: seen.unwrap_or(1),
        };
        let mut last = None;
        while let Some(holder) = holder(&self.path(&claim))? {
            last = Some((claim.clone(), holder));
            claim.generation += 1;
        }
        if let Some((claim, _)) = &last {
            self.remember(claim);
        }
        Ok(last)
    }

    fn remember(&self, claim: &Claim) {
        lock(&self.seen).insert(claim.name.clone(), claim.generation);
    }
}

/// What the file in a claim that is a folder is called.
const HOLDER: &str = "holder";

/// Whose a claim is; none where there is none.
fn holder(path: &Path) -> io::Result<Option<Holder>> {
    let text = match read_text(path) {
        Err(error) if error.kind() == io::ErrorKind::IsADirectory => read_text(&path.join(HOLDER)),
        text => text,
    };
    match text {
        Ok(text) => Ok(Some(text.trim().parse().unwrap_or(UNKNOWN))),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        // Not even text.
        Err(error) if error.kind() == io::ErrorKind::InvalidData => Ok(Some(UNKNOWN)),
        Err(error) => Err(error),
    }
}

fn closed(path: &Path) -> PathBuf {
    let mut name = path.as_os_str().to_owned();
    name.push(".closed");
    name.into()
}

fn is_there(path: &Path) -> io::Result<bool> {
    match fs::symlink_metadata(path) {
        Ok(_) => Ok(true),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
        Err(error) => Err(error),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicU32, Ordering};

    use crate::disk::RealDisk;
    use crate::disk::faulty::{Fault, FaultyDisk};

    #[test]
    fn one_of_many_gets_a_claim_and_one_takes_it_over() {
        let folder = tempfile::tempdir().unwrap();
        for round in 1..20 {
            // In every round the session that had it is gone, and eight others want it.
            let winners: Vec<u32> = std::thread::scope(|scope| {
                let ask = |session: u32| {
                    let claims = Claims::new(&RealDisk, folder.path().to_owned(), session).unwrap();
                    let gone = |one: u32| one < round * 100;
                    let asked = claims.ask("dawn-1-8", false, &gone).unwrap();
                    matches!(asked, ClaimResult::Ours(_)).then_some(session)
                };
                let asking: Vec<_> = (0..8)
                    .map(|one| scope.spawn(move || ask(round * 100 + one)))
                    .collect();
                let all = asking.into_iter().map(|one| one.join().unwrap());
                all.flatten().collect()
            });
            assert_eq!(winners.len(), 1, "round {round}: {winners:?}");
        }
    }

    #[test]
    fn what_is_closed_is_had_again_only_where_that_is_meant() {
        let folder = tempfile::tempdir().unwrap();
        let of = |session| Claims::new(&RealDisk, folder.path().to_owned(), session).unwrap();
        let (one, other) = (of(1), of(2));
        let nobody = |_: u32| false;
        let ClaimResult::Ours(claim) = one.ask("licence", false, &nobody).unwrap() else {
            panic!("it was free")
        };
        assert_eq!(
            other.ask("licence", true, &nobody).unwrap(),
            ClaimResult::HeldBy(1)
        );
        one.close(&claim).unwrap();
        assert_eq!(
            other.ask("licence", false, &nobody).unwrap(),
            ClaimResult::ClosedBy(1)
        );
        assert!(matches!(
            other.ask("licence", true, &nobody).unwrap(),
            ClaimResult::Ours(_)
        ));
        assert_eq!(
            one.ask("licence", true, &nobody).unwrap(),
            ClaimResult::HeldBy(2)
        );
    }

    #[test]
    fn file_systems_that_take_few_links_and_lose_answers_do_no_harm() {
        // Takes three links to a file; of every second one the answer is lost.
        let (links, files) = (AtomicU32::new(0), AtomicU32::new(0));
        let server = FaultyDisk::new(move |operation, _| match operation {
            "second_name" if links.fetch_add(1, Ordering::Relaxed) % 4 == 3 => {
                Some(Fault::Refused(io::ErrorKind::TooManyLinks))
            }
            // It was asked again, and the name was taken by then.
            "second_name" if files.fetch_add(1, Ordering::Relaxed) % 2 == 1 => Some(Fault::Twice),
            _ => None,
        });
        let folder = tempfile::tempdir().unwrap();
        let of = |session| Claims::new(&server, folder.path().to_owned(), session).unwrap();
        let (one, other) = (of(1), of(2));
        let nobody = |_: u32| false;
        for number in 0..20 {
            let name = format!("chunk-{number}");
            let asked = one.ask(&name, false, &nobody).unwrap();
            let ClaimResult::Ours(claim) = asked else {
                panic!("{name}: {asked:?}")
            };
            // Another thread of the same run does not get it as well.
            assert_eq!(
                one.ask(&name, false, &nobody).unwrap(),
                ClaimResult::HeldBy(1)
            );
            assert_eq!(
                other.ask(&name, false, &nobody).unwrap(),
                ClaimResult::HeldBy(1)
            );
            one.close(&claim).unwrap();
            // A thread that looked before it was closed does not take it for its own.
            let made = one.make(&claim).unwrap_err();
            assert_eq!(made.kind(), io::ErrorKind::AlreadyExists);
            assert_eq!(
                other.ask(&name, false, &nobody).unwrap(),
                ClaimResult::ClosedBy(1)
            );
        }
    }

    #[test]
    fn file_systems_without_second_names_give_each_claim_to_one_run() {
        let refused = || Some(Fault::Refused(io::ErrorKind::PermissionDenied));
        let disk = FaultyDisk::new(move |operation, _| {
            (operation == "second_name").then(refused).flatten()
        });
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path();
        for round in 1..10 {
            let winners: u32 = std::thread::scope(|scope| {
                let disk = &disk;
                let ask = move |session: u32| {
                    let claims = Claims::new(disk, path.to_owned(), session).unwrap();
                    let gone = |one: u32| one < round * 100;
                    let asked = claims.ask("dawn-1-8", false, &gone).unwrap();
                    let ClaimResult::Ours(claim) = asked else {
                        return 0;
                    };
                    // Others see whose it is, and later that it is done.
                    let other = Claims::new(disk, path.to_owned(), session + 50).unwrap();
                    let held = other.ask("dawn-1-8", true, &gone).unwrap();
                    assert_eq!(held, ClaimResult::HeldBy(session));
                    claims.close(&claim).unwrap();
                    let closed = other.ask("dawn-1-8", false, &gone).unwrap();
                    assert_eq!(closed, ClaimResult::ClosedBy(session));
                    1
                };
                let asking: Vec<_> = (0..8)
                    .map(|one| scope.spawn(move || ask(round * 100 + one)))
                    .collect();
                asking.into_iter().map(|one| one.join().unwrap()).sum()
            });
            assert_eq!(winners, 1, "round {round}");
        }
    }

    #[test]
    fn a_claim_that_cannot_be_read_is_never_taken_over() {
        let folder = tempfile::tempdir().unwrap();
        let claims = Claims::new(&RealDisk, folder.path().to_owned(), 7).unwrap();
        fs::write(folder.path().join("dawn-1-8.1"), "").unwrap();
        let everybody = |_: u32| true;
        let asked = claims.ask("dawn-1-8", true, &everybody).unwrap();
        assert_eq!(asked, ClaimResult::HeldBy(0));
    }
}
