//! One overview of all that is to be made.

use crate::at_least_one::AtLeastOne;
use crate::deliverable::{Deliverable, DeliverableKind, Expansion};
use crate::job::PlacedText;
use crate::pass::is_data;
use crate::picture::rule_of_thumb;

/// What is known of the files of a deliverable that are there already.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct FilesDone {
    /// Files that the ledger has.
    pub done: u64,
    /// Their bytes.
    pub bytes: u64,
}

/// A thing to make: an output of a shot, variant, view and camera, with its passes.
#[derive(Debug, Clone)]
pub struct OverviewLine<'a> {
    /// Its deliverables, one a pass.
    pub deliverables: AtLeastOne<&'a Deliverable>,
    /// Files that are wanted.
    pub files: u64,
    /// Files that the ledger has.
    pub done: u64,
    /// Seconds of its frames one after another, when the frames per second are known.
    pub seconds: Option<f64>,
    /// Bytes of all its files; none when the size is the scene's.
    pub bytes: Option<u64>,
    /// Whether the bytes come from files that are there already.
    pub measured: bool,
}

/// The overview, in the order in which things are made. `progress` gives what is there of the
/// deliverable with an index.
#[must_use]
pub fn overview<'a>(
    expansion: &'a Expansion,
    progress: &dyn Fn(usize) -> FilesDone,
) -> Vec<OverviewLine<'a>> {
    let mut lines: Vec<OverviewLine<'_>> = Vec::new();
    for (index, deliverable) in expansion.deliverables.iter().enumerate() {
        let common = &deliverable.common;
        let wanted = common.frames.selected.count();
        let there = progress(index);
        let measured = (there.bytes * wanted).checked_div(there.done);
        let bytes = measured.or_else(|| thumb(deliverable).map(|bytes| bytes * wanted));
        match lines.last_mut() {
            Some(line) if std::sync::Arc::ptr_eq(&line.deliverables.first().common, common) => {
                line.deliverables.push(deliverable);
                line.files += wanted;
                line.done += there.done;
                line.bytes = line.bytes.zip(bytes).map(|(one, other)| one + other);
                line.measured &= measured.is_some();
            }
            _ => {
                let frames = match deliverable.kind {
                    DeliverableKind::Movie(_) => common.frames.shot.count(),
                    DeliverableKind::Sequence | DeliverableKind::Still => wanted,
                };
                let fps = common
                    .fps
                    .filter(|_| deliverable.kind != DeliverableKind::Still);
                lines.push(OverviewLine {
                    deliverables: AtLeastOne::one(deliverable),
                    files: wanted,
                    done: there.done,
                    seconds: fps.map(|fps| fps.seconds(frames)),
                    bytes,
                    measured: measured.is_some(),
                });
            }
        }
    }
    lines
}

/// Bytes of one file of a deliverable by a rule of thumb.
fn thumb(deliverable: &Deliverable) -> Option<u64> {
    let picture = &deliverable.picture;
    let size = picture.file_size()?;
    let common = &deliverable.common;
    if let DeliverableKind::Movie(movie) = &deliverable.kind {
        let frames = common.frames.shot.count();
        if let (Some(rate), Some(fps)) = (&movie.rate, common.fps) {
            return Some((rate.value as f64 * fps.seconds(frames) / 8.0) as u64);
        }
        let quality = movie.quality.as_ref().map(|quality| quality.value.as_str());
        let codec = movie.codec.as_ref()?.value;
        return Some(crate::movie::rule_of_thumb(codec, quality, size, frames));
    }
    let planes = deliverable.planes.iter().map(|plane| {
        rule_of_thumb(
            picture.format,
            size,
            picture.channels.as_ref().map(|channels| channels.value),
            picture.bits.as_ref().map(|bits| bits.value),
            picture.compression.as_ref().map(|one| one.value.as_str()),
            PlacedText::text_of(plane.pass.as_ref()).is_some_and(is_data),
        )
    });
    Some(planes.sum())
}
