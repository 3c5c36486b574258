//! Before anything is rendered: state, recovery, and what is there already.

use std::path::Path;

use truepath_core::deliverable::{Deliverable, Expansion};
use truepath_core::frames::{Frame, FrameSet};

use super::engines::{machine, name_and_version};
use super::work::Work;
use super::{Event, Options, Report, RunError, Watch, state_folder};
use crate::Loaded;
use crate::fingerprint::Fingerprints;
use crate::inventory::{There, look};
use crate::ledger::{How, Ledger, Line};
use crate::publish::{Credits, record};
use crate::recover::recover;
use crate::session::{Session, State};
use crate::staging;

/// Everything that rendering needs, and the frames that are missing of each deliverable.
pub(super) fn prepare<'a>(
    loaded: &'a Loaded,
    expansion: &'a Expansion,
    options: &'a Options<'a>,
    watch: &'a mut dyn Watch,
) -> Result<(Work<'a>, Vec<FrameSet>), RunError> {
    let folder = state_folder(loaded);
    let state = State::new(folder.clone());
    let session = Session::begin(options.disk, &state)?;
    let known = Ledger::read(&state.ledgers()).map_err(RunError::disk(&state.ledgers()))?;
    let credits = credits(loaded, expansion)?;
    let mut work = Work {
        loaded,
        expansion,
        options,
        watch,
        report: Report {
            logs: session.logs.clone(),
            ..Report::default()
        },
        session,
        credits,
        known,
        state: folder,
        to_remove: Vec::new(),
        processes: 0,
    };
    work.pick_up()?;
    let mut missing = Vec::new();
    for (index, deliverable) in expansion.deliverables.iter().enumerate() {
        work.report.wanted += deliverable.common.chosen.count();
        // Whether a movie is there as it should be shows when its frames are.
        missing.push(if deliverable.is_put_together() {
            deliverable.common.chosen.clone()
        } else {
            work.take_stock(index, deliverable)?
        });
    }
    work.watch.see(&Event::Begun {
        wanted: work.report.wanted,
        there: work.report.kept,
    });
    Ok((work, missing))
}

fn credits(loaded: &Loaded, expansion: &Expansion) -> Result<Vec<Credits>, RunError> {
    let mut fingerprints = Fingerprints::default();
    let machine = machine();
    let mut engines: Vec<(String, String)> = Vec::new();
    let mut credits = Vec::new();
    for deliverable in &expansion.deliverables {
        let profile = &deliverable.common.engine;
        let engine = match engines.iter().find(|(name, _)| *name == profile.name) {
            Some((_, known)) => known.clone(),
            None => {
                let engine = name_and_version(profile, &loaded.folder);
                engines.push((profile.name.clone(), engine.clone()));
                engine
            }
        };
        if deliverable.is_put_together() {
            credits.push(Credits {
                engine,
                machine: machine.clone(),
                fingerprint: None,
            });
            continue;
        }
        let fingerprint = fingerprints
            .of(deliverable)
            .map_err(|error| RunError::Scene {
                path: deliverable
                    .common
                    .scene
                    .as_ref()
                    .map_or_else(String::new, |scene| scene.path.clone()),
                error,
            })?;
        credits.push(Credits {
            engine,
            machine: machine.clone(),
            fingerprint: Some(fingerprint),
        });
    }
    Ok(credits)
}

impl Work<'_> {
    /// Takes what a run that was killed left behind.
    fn pick_up(&mut self) -> Result<(), RunError> {
        let ledger = &mut self.session.ledger;
        let recovered = recover(
            self.options.disk,
            &self.known,
            ledger,
            self.expansion,
            &self.credits,
        )?;
        for folder in &recovered.busy {
            let remark = format!("somebody still writes in {folder}, which an earlier run left");
            self.watch.see(&Event::Remark(&remark));
        }
        for to in &recovered.aside {
            self.watch.see(&Event::Aside {
                what: "an unfinished file of an earlier run",
                to,
            });
        }
        self.report.recovered = recovered.records.len() as u64;
        for record in recovered.records {
            self.known.published.insert(record.path.clone(), record);
        }
        Ok(())
    }

    /// Looks at what is there of a deliverable, takes what is good, sets aside what is broken, and
    /// gives what is missing.
    fn take_stock(
        &mut self,
        index: usize,
        deliverable: &Deliverable,
    ) -> Result<FrameSet, RunError> {
        let credits = self.credits[index].clone();
        let chosen = &deliverable.common.chosen;
        let fingerprint = credits.fingerprint.as_deref();
        let mut missing: Vec<Frame> = Vec::new();
        let mut stale: Vec<Frame> = Vec::new();
        for (frame, there) in look(deliverable, chosen, &self.known, fingerprint, false) {
            let path = deliverable.path(frame);
            let file = Path::new(&path);
            match there {
                There::Missing => {
                    missing.push(frame);
                    continue;
                }
                There::Broken(reason) => {
                    self.make_room(&path, &reason)?;
                    missing.push(frame);
                    continue;
                }
                There::AsRecorded => {}
                There::OtherSettings => stale.push(frame),
                There::Unrecorded => {
                    self.adopt(file, frame)?;
                }
            }
            self.report.kept += 1;
        }
        if !stale.is_empty() {
            self.report
                .stale
                .push((index, FrameSet::from_frames(stale)));
        }
        Ok(FrameSet::from_frames(missing))
    }

    pub(super) fn set_aside(
        &mut self,
        file: &Path,
        why: &str,
    ) -> Result<std::path::PathBuf, RunError> {
        let folder = file.parent().unwrap_or(Path::new("/"));
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let disk = self.options.disk;
        let to = staging::set_aside(disk, file, folder, &name).map_err(RunError::disk(file))?;
        let line = Line::Aside {
            path: file.display().to_string(),
            to: to.display().to_string(),
            why: why.to_owned(),
        };
        self.session
            .ledger
            .write(&line)
            .map_err(RunError::disk(file))?;
        Ok(to)
    }

    /// Sets aside what is in the way, and says so.
    pub(super) fn make_room(&mut self, path: &str, why: &str) -> Result<(), RunError> {
        let to = self.set_aside(Path::new(path), why)?;
        let what = format!("{path}: {why}");
        self.watch.see(&Event::Aside {
            what: &what,
            to: &to,
        });
        Ok(())
    }

    /// Takes a file that nobody recorded: nobody knows what made it, and the ledger says so.
    pub(super) fn adopt(&mut self, file: &Path, frame: i64) -> Result<(), RunError> {
        let unknown = Credits::of_nobody();
        let record = record(file, file, &unknown).map_err(RunError::disk(file))?;
        let how = How::Adopted;
        let line = Line::Published { frame, how, record };
        self.session
            .ledger
            .write(&line)
            .map_err(RunError::disk(file))?;
        self.report.adopted += 1;
        Ok(())
    }
}
