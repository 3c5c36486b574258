//! Jobs of a queue that write the same files: the second one would take or replace what the first has made.

use std::path::{Path, PathBuf};

use truepath_core::collide::collisions;
use truepath_core::deliverable::Deliverable;
use truepath_core::finding::count;
use truepath_core::queue::Queue;
use truepath_runner::hand_over::queue::job_of;

use crate::job_arguments::JobArguments;

/// What jobs of a queue that are on write at the same paths, as sentences. Parts of one job file share their work; what
/// cannot be loaded is reported elsewhere.
pub(in crate::commands) fn clashes(path: &Path, queue: &Queue) -> Vec<String> {
    let mut jobs: Vec<PathBuf> = Vec::new();
    let mut files: Vec<(PathBuf, Deliverable)> = Vec::new();
    for entry in queue.entries.iter().filter(|entry| entry.is_on) {
        let job = job_of(path, entry);
        let real = job.canonicalize().unwrap_or_else(|_| job.clone());
        if jobs.contains(&real) {
            continue;
        }
        jobs.push(real);
        if let Ok(chosen) = JobArguments::default().of_job(job.clone()).load_latest() {
            let deliverables = chosen.chosen.deliverables.into_iter();
            files.extend(deliverables.map(|one| (job.clone(), one)));
        }
    }
    let sequences: Vec<_> = files
        .iter()
        .map(|(_, one)| (&one.pattern, &one.common.frames.files.value))
        .collect();
    let mut sentences = Vec::new();
    for collision in collisions(&sequences) {
        let mut named: Vec<String> = Vec::new();
        for member in &collision.members {
            let name = files[*member].0.display().to_string();
            if !named.contains(&name) {
                named.push(name);
            }
        }
        // One job by itself is checked by its own rules.
        if let [first, .., last] = &named[..] {
            sentences.push(format!(
                "{first} and {last} write {} under the same names, such as {}",
                count(collision.lost, "file", "files"),
                collision.example
            ));
        }
    }
    sentences
}
