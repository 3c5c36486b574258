//! Files in the folders of frames that nobody wants.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::PathBuf;

use truepath_core::deliverable::{Deliverable, DeliverableId, Expansion};
use truepath_core::frames::{Frame, FrameSet};

use super::Audit;
use crate::record::aside::ASIDE;

/// Looks through the folders of the chosen deliverables for files that nobody wants.
pub(super) fn foreign(audit: &mut Audit, chosen: &Expansion, all: &Expansion) -> io::Result<()> {
    let neighbours = by_folder(all);
    let owners = by_folder(chosen);
    let mut frames: Vec<Vec<Frame>> = vec![Vec::new(); chosen.deliverables.len()];
    let mut others: BTreeMap<(PathBuf, String), Vec<Frame>> = BTreeMap::new();
    for (folder, owners) in &owners {
        let entries = match fs::read_dir(folder) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => continue,
            entries => entries?,
        };
        for entry in entries {
            let entry = entry?;
            let name = entry.file_name().to_string_lossy().into_owned();
            if name.starts_with('.') || name == ASIDE || entry.file_type()?.is_dir() {
                continue;
            }
            let path = format!("{folder}/{name}");
            let neighbours = neighbours.get(folder).map_or(&[][..], Vec::as_slice);
            let wanted = neighbours.iter().any(|(_, one)| {
                one.pattern.read(&path).is_some_and(|frame| {
                    frame.is_none_or(|frame| one.common.frames.files.value.contains(frame))
                })
            });
            if wanted {
                continue;
            }
            let owner = owners
                .iter()
                .find_map(|(index, one)| Some((*index, one.pattern.read(&path)??)));
            match owner {
                Some((index, frame)) => frames[index].push(frame),
                None => {
                    let (shape, frame) = shape(&name);
                    others
                        .entry((PathBuf::from(folder), shape))
                        .or_default()
                        .extend(frame);
                }
            }
        }
    }
    for (account, frames) in audit.accounts.iter_mut().zip(frames) {
        account.foreign = FrameSet::from_frames(frames);
    }
    audit.strangers = others
        .into_iter()
        .map(|((folder, shape), frames)| (folder, shape, FrameSet::from_frames(frames)))
        .collect();
    Ok(())
}

/// Deliverables with their indices, by the folders that they write to.
fn by_folder(expansion: &Expansion) -> BTreeMap<String, Vec<(DeliverableId, &Deliverable)>> {
    let mut folders: BTreeMap<String, Vec<(DeliverableId, &Deliverable)>> = BTreeMap::new();
    for (index, deliverable) in DeliverableId::with_each(&expansion.deliverables) {
        for folder in deliverable.folders(&deliverable.common.frames.files.value) {
            folders
                .entry(folder)
                .or_default()
                .push((index, deliverable));
        }
    }
    folders
}

/// A name with `#` for each digit of its last number, and the number.
fn shape(name: &str) -> (String, Option<Frame>) {
    let stem = name.rfind('.').filter(|dot| *dot > 0).unwrap_or(name.len());
    let is_digit = u8::is_ascii_digit;
    let bytes = &name.as_bytes()[..stem];
    let Some(last) = bytes.iter().rposition(is_digit) else {
        return (name.to_owned(), None);
    };
    let first = bytes[..last]
        .iter()
        .rposition(|byte| !is_digit(byte))
        .map_or(0, |before| before + 1);
    let Ok(frame) = name[first..=last].parse() else {
        return (name.to_owned(), None);
    };
    let hashes = "#".repeat(last + 1 - first);
    (
        format!("{}{hashes}{}", &name[..first], &name[last + 1..]),
        Some(frame),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_a_shape_and_a_frame() {
        assert_eq!(
            shape("kiln_v3.0012.png"),
            ("kiln_v3.####.png".to_owned(), Some(12))
        );
        assert_eq!(shape("notes.txt"), ("notes.txt".to_owned(), None));
        assert_eq!(shape(".m4a"), (".m#a".to_owned(), Some(4)));
    }
}
