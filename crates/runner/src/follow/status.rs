//! How far the runs of a job are, on whatever machine: by their ledgers and signs of life, and by the
//! size and time of the files that are there.

use std::collections::HashMap;
use std::io;

use jiff::Timestamp;
use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::file_state::FileState;
use truepath_core::forecast::{Forecast, FrameTimes};
use truepath_core::frames::FrameSet;
use truepath_core::strip::States;

use crate::Loaded;
pub use crate::follow::at_work::RunAtWork;
use crate::look::fingerprint::Fingerprints;
use crate::look::inventory::{FilesFound, Inventory, all_frames, look_briefly};
use crate::look::stale::{WhyStale, why_stale};
use crate::make::run::dead_after;
use crate::record::ledger::{Failed, Ledger, SessionRecord};
use crate::record::presence::{Sessions, State};
use crate::record::value_key::InputValues;

/// How far a deliverable is.
#[derive(Debug, Clone, Default)]
pub struct Row {
    /// Its frames.
    pub states: States,
    /// Bytes of those that are there.
    pub bytes: u64,
    /// Why frames failed.
    pub failed: Vec<Failed>,
    /// Frames that are not the files that were published: what differs, and frames.
    pub changed: Vec<(String, FrameSet)>,
    /// What is wrong with broken files.
    pub broken: Vec<(String, FrameSet)>,
    /// Frames that this program cannot decode: reason and frames.
    pub unverifiable: Vec<(String, FrameSet)>,
    /// Files that the ledger does not know and that were not opened.
    pub not_looked_into: FrameSet,
    /// Why stale frames are stale.
    pub why_stale: Vec<WhyStale>,
}

impl Row {
    /// Files that are not there, or not as they should be.
    #[must_use]
    pub fn missing(&self) -> FrameSet {
        let States { wanted, done, .. } = &self.states;
        wanted.difference(done).unwrap_or_default()
    }

    /// Files that are neither there nor failed.
    fn to_do(&self) -> FrameSet {
        let states = &self.states;
        let settled = [&states.done, &states.failed];
        settled.iter().fold(states.wanted.clone(), |left, known| {
            left.difference(known).unwrap_or(left)
        })
    }
}

/// A run at work.
#[derive(Debug, Clone)]
pub struct Machine {
    /// The number of the run.
    pub session: u32,
    /// Its machine.
    pub machine: String,
    /// How many processes it starts at once.
    pub jobs: usize,
    /// Why it starts so many at once, where that follows from what is measured.
    pub why: Option<String>,
    /// What it waits for, where it starts nothing for the moment.
    pub waits: Option<String>,
    /// Files that it brought.
    pub brought: u64,
    /// Files per second, lately.
    pub rate: Option<f64>,
}

/// How far the runs of a job are.
#[derive(Debug, Clone, Default)]
pub struct Status {
    /// A row for each deliverable, in their order.
    pub rows: Vec<Row>,
    /// Processes at work.
    pub running: Vec<RunAtWork>,
    /// Runs at work.
    pub machines: Vec<Machine>,
    /// Seconds of one process for all that is still to do, where anything is known of it.
    pub expected: Option<f64>,
    /// Runs that died and are not yet recovered.
    pub dead: Vec<u32>,
    /// Lines of ledgers that are not sound and are ignored: the ledger, and the line from 1.
    pub unsound: Vec<(String, u64)>,
    /// What is wrong with the ledgers, as sentences.
    pub remarks: Vec<String>,
}

impl Status {
    /// Files that are wanted, and that are valid.
    #[must_use]
    pub fn files(&self) -> (u64, u64) {
        let wanted = self.rows.iter().map(|row| row.states.wanted.count()).sum();
        (
            wanted,
            self.rows.iter().map(|row| row.states.done.count()).sum(),
        )
    }

    /// Whether all that is wanted is valid. Nothing wanted is never complete.
    #[must_use]
    pub fn is_complete(&self) -> bool {
        let (wanted, valid) = self.files();
        wanted > 0 && valid >= wanted
    }

    /// Wanted files that are there and not valid, by their states.
    #[must_use]
    pub fn not_valid(&self) -> [(FileState, u64); 4] {
        let sum = |of: fn(&States) -> &FrameSet| -> u64 {
            self.rows.iter().map(|row| of(&row.states).count()).sum()
        };
        [
            (FileState::Stale, sum(|states| &states.stale)),
            (FileState::Changed, sum(|states| &states.changed)),
            (FileState::Broken, sum(|states| &states.broken)),
            (FileState::Unverifiable, sum(|states| &states.unverifiable)),
        ]
    }

    /// Files per second, of all runs at work.
    #[must_use]
    pub fn rate(&self) -> Option<f64> {
        let rates: Vec<f64> = self.machines.iter().filter_map(|one| one.rate).collect();
        (!rates.is_empty()).then(|| rates.iter().sum())
    }

    /// Seconds until all is there: by what its frames take, else at the pace of late.
    #[must_use]
    pub fn left(&self) -> Option<f64> {
        let jobs: usize = self.machines.iter().map(|one| one.jobs).sum();
        if let Some(expected) = self.expected.filter(|_| jobs > 0) {
            return Some(expected / jobs as f64);
        }
        let (wanted, done) = self.files();
        let rate = self.rate().filter(|rate| *rate > 0.0)?;
        Some(wanted.saturating_sub(done) as f64 / rate)
    }
}

/// Looks at the runs of a job; asked again, only what is new is read.
pub struct Follower<'l> {
    loaded: &'l Loaded,
    expansion: &'l Expansion,
    ledger: Ledger,
    sessions: Sessions,
    inventory: Inventory<'l>,
    /// What makes them, by name.
    inputs: Vec<InputValues>,
}

impl<'l> Follower<'l> {
    /// Follows the runs of a job.
    #[must_use]
    pub fn new(loaded: &'l Loaded, expansion: &'l Expansion) -> Self {
        let mut fingerprints = Fingerprints::new(loaded);
        let inventory = Inventory::new(loaded, expansion, &mut fingerprints);
        let inputs = expansion.deliverables.iter();
        Self {
            inventory,
            inputs: inputs
                .map(|one| fingerprints.recorded_inputs(one))
                .collect(),
            loaded,
            expansion,
            ledger: Ledger::default(),
            sessions: Sessions::of(&loaded.state_folder(), dead_after(loaded)),
        }
    }

    /// Seconds for a file of each deliverable, where something like it was ever made.
    #[must_use]
    pub fn expected(&self) -> Vec<Option<FrameTimes>> {
        self.ledger.experience.expected(self.expansion)
    }

    /// How far they are now.
    ///
    /// # Errors
    /// When the state folder cannot be read.
    pub fn look(&mut self) -> io::Result<Status> {
        self.ledger.refresh(&self.loaded.state_folder().ledgers())?;
        let mut status = Status::default();
        let mut live: Vec<(&SessionRecord, String)> = Vec::new();
        for (number, record) in self
            .ledger
            .sessions
            .iter()
            .filter(|(_, record)| !record.ended)
        {
            match self.sessions.state(*number)? {
                State::Ended => {}
                State::Dead => status.dead.push(*number),
                State::Live(card) => {
                    let chosen = self.ledger.chosen.get(&card.machine);
                    status.machines.push(Machine {
                        session: *number,
                        machine: card.machine.clone(),
                        jobs: card
                            .jobs
                            .unwrap_or_else(|| chosen.map_or(1, |one| one.processes)),
                        why: chosen
                            .filter(|_| card.jobs.is_none())
                            .map(|one| one.why.clone()),
                        waits: record.waits.clone(),
                        brought: record.brought,
                        rate: rate(record),
                    });
                    live.push((record, card.machine));
                }
            }
        }
        status.running = self.at_work(&live);
        let live: Vec<&SessionRecord> = live.iter().map(|(record, _)| *record).collect();
        status.rows = self.rows(&live);
        status.unsound = self.ledger.unsound();
        status.remarks = self.ledger.remarks();
        if !status.machines.is_empty() {
            let expected = self.ledger.experience.expected(self.expansion);
            let to_do: Vec<FrameSet> = status.rows.iter().map(Row::to_do).collect();
            let forecast = Forecast::new(&expected, &to_do, 1);
            let under_way = status.running.iter().map(|one| one.under_way(&forecast));
            let under_way: f64 = under_way.sum();
            let expected = forecast.left(0.0);
            status.expected = expected.map(|seconds| (seconds - under_way).max(0.0));
        }
        Ok(status)
    }

    /// What the processes of live runs are at, each run with its machine.
    fn at_work(&self, live: &[(&SessionRecord, String)]) -> Vec<RunAtWork> {
        if live.iter().all(|(record, _)| record.staged.is_empty()) {
            return Vec::new();
        }
        let all = DeliverableId::with_each(&self.expansion.deliverables);
        let places = all
            .map(|(place, one)| (one.pattern.sketch(), place))
            .collect();
        let processes = live.iter().flat_map(|(record, machine)| {
            record.staged.iter().map(move |staged| (staged, machine))
        });
        processes
            .map(|(staged, machine)| RunAtWork::new(staged, machine, self.expansion, &places))
            .collect()
    }

    fn rows(&self, live: &[&SessionRecord]) -> Vec<Row> {
        // By path, since the ledger does not know deliverables.
        let mut running: HashMap<&str, Vec<&str>> = HashMap::new();
        for staged in live.iter().flat_map(|record| &record.staged) {
            for member in &staged.members {
                running
                    .entry(&member.path)
                    .or_default()
                    .push(&staged.frames);
            }
        }
        let mut failed: HashMap<&str, Vec<&Failed>> = HashMap::new();
        for one in self
            .ledger
            .sessions
            .values()
            .flat_map(|record| &record.failed)
        {
            failed.entry(&one.path).or_default().push(one);
        }
        let sets = |texts: Option<&Vec<&str>>| {
            let parsed = texts.into_iter().flatten();
            let parsed: Vec<FrameSet> = parsed.filter_map(|text| text.parse().ok()).collect();
            FrameSet::union_of(&parsed)
        };
        let row = |(index, one): (DeliverableId, &Deliverable)| {
            let wanted = &one.common.frames.selected;
            let path = one.pattern.sketch();
            let seen: FilesFound = look_briefly(self.inventory.of(index), &self.ledger);
            let done = &seen.valid;
            let changed = all_frames(&seen.changed);
            let why_stale = if seen.stale.is_empty() {
                Vec::new()
            } else {
                why_stale(one, &seen.stale, &self.ledger, &self.inputs[index])
            };
            let at_work = sets(running.get(path.as_str()));
            // What failed once and came after all did not fail.
            let mut reasons = Vec::new();
            let mut bad = FrameSet::empty();
            for one in failed.get(path.as_str()).into_iter().flatten().rev() {
                let frames: FrameSet = one.frames.parse().unwrap_or_default();
                let left = [done, &seen.stale, &changed, &at_work, &bad]
                    .iter()
                    .fold(frames, |left, known| left.difference(known).unwrap_or(left));
                let left = left.intersection(wanted).unwrap_or(left);
                if !left.is_empty() {
                    bad = bad.union(&left).unwrap_or(bad);
                    reasons.push(Failed {
                        frames: left.to_string(),
                        ..(**one).clone()
                    });
                }
            }
            Row {
                states: States {
                    running: at_work.intersection(wanted).unwrap_or_default(),
                    wanted: wanted.clone(),
                    done: seen.valid,
                    stale: seen.stale,
                    changed,
                    broken: all_frames(&seen.broken),
                    unverifiable: all_frames(&seen.unverifiable),
                    failed: bad,
                },
                bytes: seen.bytes,
                failed: reasons,
                changed: seen.changed,
                broken: seen.broken,
                unverifiable: seen.unverifiable,
                not_looked_into: seen.not_looked_into,
                why_stale,
            }
        };
        DeliverableId::with_each(&self.expansion.deliverables)
            .map(row)
            .collect()
    }
}

/// Files per second that a run brought lately, by the clock of its machine.
fn rate(record: &SessionRecord) -> Option<f64> {
    let last = record.recent.back()?;
    let came = record.recent.len() as u64;
    // Files of several processes may come in one instant: the first ones took since the run began.
    let (first, came) = if came == record.brought {
        let began = record.began.as_ref()?;
        (began.time.parse::<Timestamp>().ok()?, came)
    } else {
        (*record.recent.front()?, came - 1)
    };
    let seconds = last.duration_since(first).as_secs_f64();
    (seconds > 0.0).then(|| came as f64 / seconds)
}
