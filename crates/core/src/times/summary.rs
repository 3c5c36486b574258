//! Sums of processes by what they have in common.

use super::{EndedProcess, median};
use crate::frames::Frame;

/// What processes are put together by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GroupBy {
    /// The shot.
    Shot,
    /// The output.
    Output,
    /// The pass or passes of the process.
    Pass,
    /// The machine.
    Machine,
    /// The engine, with its version.
    Engine,
    /// What it made, in words: shot, output, variant, view, camera and pass.
    Label,
    /// The single frame of it.
    Frame,
}

/// What the processes of one group took.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TimesRow {
    /// What they have in common.
    pub name: String,
    /// Frames that they brought.
    pub frames: u64,
    /// Processes.
    pub processes: u64,
    /// Seconds of the frame in the middle.
    pub median: Option<f64>,
    /// The slowest frame, and its seconds.
    pub slowest: Option<(Frame, f64)>,
    /// Seconds of all processes, one after another.
    pub wall: f64,
    /// Seconds of processor time.
    pub cpu: f64,
    /// Bytes of memory of the largest process; 0 where nobody knows.
    pub memory: u64,
    /// Processes that ended without success.
    pub failed: u64,
}

/// One row a group, in the order in which they were first rendered; frames in their own order.
#[must_use]
pub fn summarize(processes: &[EndedProcess], by: GroupBy) -> Vec<TimesRow> {
    let mut rows: Vec<TimesRow> = Vec::new();
    let mut seconds: Vec<Vec<f64>> = Vec::new();
    let mut add = |name: String, one: &EndedProcess, each: &[(Frame, f64)], part: f64| {
        let at = match rows.iter().position(|row| row.name == name) {
            Some(at) => at,
            None => {
                seconds.push(Vec::new());
                rows.push(TimesRow {
                    name,
                    ..TimesRow::default()
                });
                rows.len() - 1
            }
        };
        let row = &mut rows[at];
        row.processes += 1;
        row.frames += each.len() as u64;
        row.wall += one.wall * part;
        row.cpu += one.cpu * part;
        row.memory = row.memory.max(one.memory);
        row.failed += u64::from(one.failure.is_some());
        for &(frame, took) in each {
            seconds[at].push(took);
            if row.slowest.is_none_or(|(_, known)| took > known) {
                row.slowest = Some((frame, took));
            }
        }
    };
    for one in processes {
        let name = match by {
            GroupBy::Shot => &one.shot,
            GroupBy::Output => &one.output,
            GroupBy::Pass => &one.pass,
            GroupBy::Machine => &one.machine,
            GroupBy::Engine => &one.engine,
            GroupBy::Label => &one.label,
            GroupBy::Frame => {
                let all: f64 = one.each.iter().map(|(_, seconds)| seconds).sum();
                for each in &one.each {
                    // What a process took besides is shared out like its frames.
                    let part = if all > 0.0 {
                        each.1 / all
                    } else {
                        1.0 / one.each.len() as f64
                    };
                    let name = format!("{} {}", one.label, each.0);
                    add(name, one, std::slice::from_ref(each), part);
                }
                continue;
            }
        };
        add(name.clone(), one, &one.each, 1.0);
    }
    for (row, seconds) in rows.iter_mut().zip(seconds) {
        row.median = median(seconds);
    }
    rows
}

#[cfg(test)]
mod tests {
    use super::*;

    fn process(
        shot: &str,
        each: &[(Frame, f64)],
        wall: f64,
        failure: Option<&str>,
    ) -> EndedProcess {
        EndedProcess {
            shot: shot.to_owned(),
            label: shot.to_owned(),
            machine: "dome-1".to_owned(),
            each: each.to_vec(),
            wall,
            cpu: wall * 2.0,
            memory: wall as u64,
            failure: failure.map(str::to_owned),
            ..EndedProcess::default()
        }
    }

    #[test]
    fn a_shot_has_the_sums_of_its_processes_and_the_middle_of_its_frames() {
        let all = [
            process("dawn", &[(1, 2.0), (2, 10.0)], 13.0, None),
            process("eclipse", &[(1, 5.0)], 6.0, None),
            process("dawn", &[], 4.0, Some("the engine ended with exit code 3")),
            process("dawn", &[(3, 3.0)], 3.5, None),
        ];
        let rows = summarize(&all, GroupBy::Shot);
        assert_eq!(rows.len(), 2);
        let dawn = &rows[0];
        assert_eq!((dawn.frames, dawn.processes, dawn.failed), (3, 3, 1));
        assert_eq!(dawn.median, Some(3.0));
        assert_eq!(dawn.slowest, Some((2, 10.0)));
        assert_eq!((dawn.wall, dawn.cpu, dawn.memory), (20.5, 41.0, 13));
        assert_eq!(summarize(&all, GroupBy::Machine).len(), 1);
    }

    #[test]
    fn frames_share_what_their_process_took_besides() {
        let all = [process("dawn", &[(1, 2.0), (2, 6.0)], 16.0, None)];
        let rows = summarize(&all, GroupBy::Frame);
        let walls: Vec<(&str, f64)> = rows.iter().map(|row| (&*row.name, row.wall)).collect();
        assert_eq!(walls, [("dawn 1", 4.0), ("dawn 2", 12.0)]);
        assert_eq!(median(Vec::new()), None);
        assert_eq!(median(vec![4.0, 1.0]), Some(2.5));
    }
}
