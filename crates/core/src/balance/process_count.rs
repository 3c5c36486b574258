//! How many processes work at once: as many as keep all cores busy. More than there are cores where an engine
//! waits, fewer where one process fills several. Where other programs keep the cores busy, no more than there are cores.

/// Cores are busy from this part of them on.
const BUSY: f64 = 0.9;
/// At most so many processes for each core.
const MOST_PER_CORE: usize = 8;
/// After so many measures it is tried again whether more help: other frames are rendered by then.
const TRIED_AGAIN: u32 = 8;
/// A measure counts when this part of the allowed processes was at work on average.
const OCCUPIED: f64 = 0.7;
/// More processes must keep this part of a core more busy ...
const LEAST_GAIN: f64 = 0.05;
/// ... or, where they hardly use one since they wait, use this part of the time that so many more would use.
const LEAST_PART_OF_GAIN: f64 = 0.4;
/// Cores that stand idle for less than this part of the time have no room for more work.
const FULL: f64 = 0.1;
/// So many measures in a row show that they do not: what is rendered differs from one to the next.
const MEASURES: u32 = 3;

/// What was measured over some seconds.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Measured {
    /// How many.
    pub seconds: f64,
    /// Seconds of processor time that all engines used in them.
    pub cpu: f64,
    /// Seconds for which processes were at work, added up over all of them.
    pub at_work: f64,
    /// Seconds for which cores of this machine stood idle, added up over all of them; none where that is not known.
    pub idle: Option<f64>,
}

/// How many processes work at once.
#[derive(Debug, Clone, PartialEq)]
pub struct ProcessCount {
    cores: usize,
    now: usize,
    /// Before the last increase: how many there were, and how many cores they kept busy.
    before: Option<(usize, f64)>,
    /// More than this did not help.
    most: usize,
    /// Measures until it is tried again whether more help.
    holding: u32,
    /// Measures in a row that showed no gain.
    without_gain: u32,
    /// Why it is as it is, as a sentence.
    why: String,
}

impl ProcessCount {
    /// One process to begin with, which is measured.
    #[must_use]
    pub fn unknown(cores: usize) -> Self {
        let cores = cores.max(1);
        Self {
            cores,
            now: 1,
            before: None,
            most: cores * MOST_PER_CORE,
            holding: 0,
            without_gain: 0,
            why: "the first process is measured".to_owned(),
        }
    }

    /// What an earlier run found to be right.
    #[must_use]
    pub fn learned(cores: usize, now: usize) -> Self {
        let all = Self::unknown(cores);
        Self {
            now: now.clamp(1, all.most),
            why: "an earlier run kept the cores busy with so many".to_owned(),
            ..all
        }
    }

    /// How many now.
    #[must_use]
    pub fn now(&self) -> usize {
        self.now
    }

    /// The most that there will ever be.
    #[must_use]
    pub fn most(&self) -> usize {
        self.cores * MOST_PER_CORE
    }

    /// Why, as a sentence.
    #[must_use]
    pub fn why(&self) -> &str {
        &self.why
    }

    /// Takes in what was measured; whether the number changes. `has_threads` says whether processes are given a
    /// number of threads, so that each can do with one core.
    pub fn measured(&mut self, measured: Measured, has_threads: bool) -> bool {
        let Measured {
            seconds,
            cpu,
            at_work,
            idle,
        } = measured;
        let is_telling = seconds > 0.0 && at_work >= OCCUPIED * seconds * self.now as f64;
        if !is_telling {
            return false;
        }
        self.holding = self.holding.saturating_sub(1);
        if self.holding == 0 {
            self.most = self.cores * MOST_PER_CORE;
        }
        let cores = self.cores as f64;
        let busy = cpu / seconds;
        let is_full = idle.is_some_and(|idle| idle < FULL * cores * seconds);
        if is_full && busy < BUSY * cores && self.now > self.cores {
            self.now = self.cores;
            self.before = None;
            self.why = format!("other programs keep the {cores} cores busy");
            return true;
        }
        if let Some((count, known)) = self.before {
            let expected = known * (self.now as f64 / count as f64 - 1.0);
            if busy <= known + LEAST_GAIN.min(LEAST_PART_OF_GAIN * expected) {
                self.without_gain += 1;
                if self.without_gain < MEASURES {
                    return false;
                }
                self.now = count;
                self.most = count;
                self.holding = TRIED_AGAIN;
                self.before = None;
                self.why = format!("more do not keep more cores busy than {busy:.1} of {cores}");
                return true;
            }
            self.before = None;
        }
        self.without_gain = 0;
        let each = (cpu / at_work).max(0.01);
        // A first process that was given all cores says how many it fills, and with one thread each it fills one.
        let each = if has_threads { each.min(1.0) } else { each };
        if busy >= BUSY * cores && !(has_threads && self.now == 1) {
            self.why = format!("they keep {busy:.1} of {cores} cores busy");
            return false;
        }
        // What is left of a core by a little less than all of it is no room for one more.
        let wanted = ((cores / each) - 0.15).ceil().max(1.0) as usize;
        // One process says little of many, so that their number grows step by step.
        let step = if self.now == 1 {
            self.cores.max(2)
        } else {
            self.now * 2
        };
        let room = match is_full {
            false => self.most,
            true if each <= 1.0 => self.most.min(self.cores),
            true => self.now,
        };
        let next = wanted.min(step).min(room);
        if next <= self.now {
            return false;
        }
        if self.now > 1 {
            self.before = Some((self.now, busy));
        }
        self.why = format!("each keeps {each:.1} of {cores} cores busy");
        self.now = next;
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is measured over a second of processes that would each use so much of a core.
    fn second(count: &ProcessCount, cores: f64, each: f64) -> Measured {
        let now = count.now() as f64;
        Measured {
            seconds: 1.0,
            cpu: (now * each).min(cores),
            at_work: now,
            idle: Some((cores - now * each).max(0.0)),
        }
    }

    fn settled(cores: usize, each: f64, has_threads: bool) -> usize {
        let mut count = ProcessCount::unknown(cores);
        for _ in 0..20 {
            let measured = second(&count, cores as f64, each);
            count.measured(measured, has_threads);
        }
        count.now()
    }

    #[test]
    fn all_cores_become_busy() {
        // One thread each; one process that fills all; half of the machine; engines that wait.
        assert_eq!(settled(8, 1.0, true), 8);
        assert_eq!(settled(8, 8.0, false), 1);
        assert_eq!(settled(8, 4.0, false), 2);
        assert_eq!(settled(2, 0.2, true), 10);
        assert_eq!(settled(2, 0.6, true), 4);
        assert_eq!(settled(2, 0.5, false), 4);
        assert_eq!(settled(1, 1.0, false), 1);
        // Engines that hardly do anything but wait.
        assert_eq!(settled(2, 0.01, false), 16);
        // One that uses no processor time at all gives no sign that more of them help.
        assert!(settled(2, 0.0, false) <= 4);
    }

    #[test]
    fn beside_busy_programs_of_others_there_are_no_more_than_cores() {
        // Two of them on two cores, and ours share what is left.
        for learned in [1, 2, 16] {
            let mut count = match learned {
                1 => ProcessCount::unknown(2),
                learned => ProcessCount::learned(2, learned),
            };
            for _ in 0..20 {
                let now = count.now() as f64;
                let measured = Measured {
                    seconds: 1.0,
                    cpu: 2.0 * now / (now + 2.0),
                    at_work: now,
                    idle: Some(0.02),
                };
                count.measured(measured, true);
            }
            assert_eq!(count.now(), 2, "{learned}");
        }
        // One process that fills all cores by itself does not become two.
        let mut count = ProcessCount::unknown(8);
        let measured = Measured {
            seconds: 1.0,
            cpu: 4.0,
            at_work: 1.0,
            idle: Some(0.1),
        };
        count.measured(measured, false);
        assert_eq!(count.now(), 1);
    }

    #[test]
    fn there_are_no_more_where_more_do_not_help() {
        // The disk is what they wait for: half a core is all they ever use.
        let mut count = ProcessCount::unknown(4);
        let mut seen = Vec::new();
        for _ in 0..24 {
            let measured = Measured {
                seconds: 1.0,
                cpu: 0.5,
                at_work: count.now() as f64,
                idle: Some(3.5),
            };
            count.measured(measured, false);
            seen.push(count.now());
        }
        // It is tried again now and then, and taken back.
        assert!(seen.iter().all(|now| *now <= 8), "{seen:?}");
        assert!(
            seen.iter().filter(|now| **now == 4).count() > 12,
            "{seen:?}"
        );
    }

    #[test]
    fn more_that_harm_are_taken_back() {
        // They get into each other's way: two keep a core busy, more of them less.
        let mut count = ProcessCount::unknown(4);
        for _ in 0..11 {
            let now = count.now() as f64;
            let measured = Measured {
                seconds: 1.0,
                cpu: if now > 4.0 { 0.4 } else { 0.5 * now },
                at_work: now,
                idle: None,
            };
            count.measured(measured, true);
        }
        assert_eq!(count.now(), 4);
    }

    #[test]
    fn what_was_measured_while_most_stood_idle_says_nothing() {
        let mut count = ProcessCount::learned(4, 4);
        let idle = Measured {
            seconds: 1.0,
            cpu: 0.2,
            at_work: 1.0,
            idle: None,
        };
        assert!(!count.measured(idle, false));
        assert_eq!(count.now(), 4);
    }
}
