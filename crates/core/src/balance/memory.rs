//! Whether one more process fits into the memory that is free.

use std::collections::BTreeMap;

/// Part of the free memory that is left free, for what this program and the system need.
const RESERVE: f64 = 0.05;

/// What processes are known to need, by what they make.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Memory {
    known: BTreeMap<String, u64>,
}

impl Memory {
    /// A process that made this needed so many bytes at most.
    pub fn add(&mut self, label: &str, bytes: u64) {
        if bytes > 0 {
            let known = self.known.entry(label.to_owned()).or_default();
            *known = bytes.max(*known);
        }
    }

    /// Bytes that the largest process that made this needed; none where none was measured.
    #[must_use]
    pub fn known(&self, label: &str) -> Option<u64> {
        self.known.get(label).copied()
    }

    /// Bytes that a process needs: as the largest that made the same, else as the largest of all; none while nothing
    /// is known.
    #[must_use]
    pub fn need(&self, label: &str) -> Option<u64> {
        let largest = || self.known.values().max();
        self.known.get(label).or_else(largest).copied()
    }

    /// Whether a process that makes `label` fits into `free` bytes beside others, each with what it makes and what it
    /// has taken so far: they will take more, up to what they are known to need. Where nothing is known, none fits
    /// beside another.
    #[must_use]
    pub fn fits(&self, label: &str, free: u64, at_work: &[(String, u64)]) -> bool {
        if at_work.is_empty() {
            return true;
        }
        let Some(need) = self.need(label) else {
            return false;
        };
        let to_come: u64 = at_work
            .iter()
            .map(|(label, taken)| self.need(label).unwrap_or(*taken).saturating_sub(*taken))
            .sum();
        let usable = (free as f64 * (1.0 - RESERVE)) as u64;
        need.saturating_add(to_come) <= usable
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_process_fits_beside_what_the_others_will_still_take() {
        let mut memory = Memory::default();
        assert!(memory.fits("dawn", 10, &[]));
        let at_work = |taken: u64| vec![("dawn".to_owned(), taken)];
        assert!(
            !memory.fits("dawn", u64::MAX, &at_work(0)),
            "nothing is known"
        );
        memory.add("dawn", 4_000);
        assert!(memory.fits("dawn", 10_000, &at_work(1_000)));
        // It has taken 1,000 of 4,000, so that 3,000 of the 7,000 are its own.
        assert!(!memory.fits("dawn", 7_000, &at_work(1_000)));
        assert!(memory.fits("dawn", 7_400, &at_work(1_000)));
        // Another shot is taken to be as large as the largest.
        memory.add("eclipse", 9_000);
        assert_eq!(memory.need("transit"), Some(9_000));
        assert_eq!(memory.need("dawn"), Some(4_000));
    }
}
