//! Claims: marks on what only one of several processes may do, on whatever machine they run.
//!
//! A claim is a small file `NAME.GENERATION` that is written whole under another name and then given
//! its own by a link, so that it is never seen empty and only one process gets it. Taking over from
//! the dead is making the next generation: one winner again. Nothing is found by listing folders,
//! since listings of shared folders lag.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::path::PathBuf;
use std::sync::atomic::{AtomicU32, Ordering};
use std::sync::{Mutex, PoisonError};

use crate::disk::Disk;

/// What stands in a claim: `h 12` is held by session 12, `c 12` was closed by it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Mark {
    /// The session that holds it.
    session: u32,
    /// Whether it has done what it wanted it for.
    closed: bool,
}

impl Mark {
    /// What cannot be read is nobody's, and is never taken over.
    const UNKNOWN: Self = Self {
        session: 0,
        closed: false,
    };

    fn read(bytes: &[u8]) -> Option<Self> {
        let (state, session) = std::str::from_utf8(bytes).ok()?.trim().split_once(' ')?;
        Some(Self {
            session: session.parse().ok()?,
            closed: match state {
                "h" => false,
                "c" => true,
                _ => return None,
            },
        })
    }
}

/// A claim that this process holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Claim {
    name: String,
    generation: u32,
}

/// What came of asking for a claim.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Asked {
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
    session: u32,
    /// Numbers the files that are about to become claims.
    count: AtomicU32,
    /// The last generation that was seen of each name.
    seen: Mutex<HashMap<String, u32>>,
}

impl<'a> Claims<'a> {
    pub(crate) fn new(disk: &'a dyn Disk, folder: PathBuf, session: u32) -> io::Result<Self> {
        disk.create_folders(&folder)?;
        Ok(Self {
            disk,
            folder,
            session,
            count: AtomicU32::new(0),
            seen: Mutex::default(),
        })
    }

    /// Asks for a claim. `is_gone` tells of a session whether it holds nothing any more; with
    /// `again`, what a session at work has closed may be had too.
    pub(crate) fn ask(
        &self,
        name: &str,
        again: bool,
        is_gone: &dyn Fn(u32) -> bool,
    ) -> io::Result<Asked> {
        loop {
            let (generation, mark) = self.last(name)?;
            if let Some(mark) = mark
                && (mark == Mark::UNKNOWN || !is_gone(mark.session))
                && !(mark.closed && again)
            {
                return Ok(match mark.closed {
                    true => Asked::ClosedBy(mark.session),
                    false => Asked::HeldBy(mark.session),
                });
            }
            let claim = Claim {
                name: name.to_owned(),
                generation: generation + 1,
            };
            match self.make(&claim) {
                Ok(()) => {
                    self.remember(name, claim.generation);
                    return Ok(Asked::Ours(claim));
                }
                // Somebody was faster.
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {}
                Err(error) => return Err(error),
            }
        }
    }

    /// Says that what the claim was for is done, well or not.
    pub(crate) fn close(&self, claim: &Claim) -> io::Result<()> {
        // A single byte is never seen half.
        self.disk.write_byte(&self.path(claim), b'c')
    }

    fn path(&self, claim: &Claim) -> PathBuf {
        let Claim { name, generation } = claim;
        self.folder.join(format!("{name}.{generation}"))
    }

    fn make(&self, claim: &Claim) -> io::Result<()> {
        let count = self.count.fetch_add(1, Ordering::Relaxed);
        let whole = self.folder.join(format!("new-{}-{count}", self.session));
        // Nobody knows this name yet.
        self.disk
            .write_new(&whole, format!("h {}\n", self.session).as_bytes())?;
        let made = self.disk.second_name(&whole, &self.path(claim));
        self.disk.remove_file(&whole)?;
        made
    }

    /// The last generation of a claim, 0 where there is none, and what stands in it.
    fn last(&self, name: &str) -> io::Result<(u32, Option<Mark>)> {
        let seen = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
        let mut generation = seen.get(name).copied().unwrap_or(0).max(1);
        drop(seen);
        let mut last = (0, None);
        loop {
            match fs::read(self.folder.join(format!("{name}.{generation}"))) {
                Ok(bytes) => {
                    let mark = Mark::read(&bytes).unwrap_or(Mark::UNKNOWN);
                    last = (generation, Some(mark));
                    generation += 1;
                }
                Err(error) if error.kind() == io::ErrorKind::NotFound => break,
                Err(error) => return Err(error),
            }
        }
        self.remember(name, last.0);
        Ok(last)
    }

    fn remember(&self, name: &str, generation: u32) {
        let mut seen = self.seen.lock().unwrap_or_else(PoisonError::into_inner);
        seen.insert(name.to_owned(), generation);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;

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
                    matches!(asked, Asked::Ours(_)).then_some(session)
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
        let Asked::Ours(claim) = one.ask("licence", false, &nobody).unwrap() else {
            panic!("it was free")
        };
        assert_eq!(
            other.ask("licence", true, &nobody).unwrap(),
            Asked::HeldBy(1)
        );
        one.close(&claim).unwrap();
        assert_eq!(
            other.ask("licence", false, &nobody).unwrap(),
            Asked::ClosedBy(1)
        );
        assert!(matches!(
            other.ask("licence", true, &nobody).unwrap(),
            Asked::Ours(_)
        ));
        assert_eq!(one.ask("licence", true, &nobody).unwrap(), Asked::HeldBy(2));
    }

    #[test]
    fn a_claim_that_cannot_be_read_is_never_taken_over() {
        let folder = tempfile::tempdir().unwrap();
        let claims = Claims::new(&RealDisk, folder.path().to_owned(), 7).unwrap();
        fs::write(folder.path().join("dawn-1-8.1"), "").unwrap();
        let everybody = |_: u32| true;
        let asked = claims.ask("dawn-1-8", true, &everybody).unwrap();
        assert_eq!(asked, Asked::HeldBy(0));
    }
}
