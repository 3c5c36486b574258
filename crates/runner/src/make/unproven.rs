//! Moves pictures aside that nothing proves to be finished: they are never published, and removed once
//! their frame is finished.

use std::io;
use std::path::Path;
use truepath_core::deliverable::DeliverableId;

use truepath_core::frames::Frame;

use crate::disk::{Disk, stamp};
use crate::make::staging_area::StagingArea;
use crate::record::aside::set_aside;
use crate::record::ledger::Unproven;

/// Moves the files of a staging folder aside that are recognised as frames. `hash` gives that of a
/// picture of a deliverable and frame that decodes; `code` is the exit code of a process that ended by
/// itself.
pub(crate) fn move_aside(
    disk: &dyn Disk,
    area: &StagingArea<'_>,
    hash: &dyn Fn(DeliverableId, Frame) -> Option<String>,
    code: Option<i32>,
) -> io::Result<Vec<Unproven>> {
    let mut moved = Vec::new();
    for (file, output, frame) in area.left_over() {
        let output = &area.outputs[output];
        let path = output.deliverable.path(frame);
        let folder = area.folder.parent().unwrap_or(Path::new("/"));
        let name = Path::new(&path).file_name().unwrap_or_default();
        let name = format!("unproven-{}", name.to_string_lossy());
        let why = "nothing proves that it is finished";
        let to = set_aside(disk, &file, folder, &name, why)?;
        if let Some(stamp) = stamp(&to)? {
            moved.push(Unproven {
                path,
                aside: to.display().to_string(),
                stamp,
                hash: hash(output.index, frame),
                fingerprint: output.provenance.fingerprint.clone(),
                code,
            });
        }
    }
    Ok(moved)
}
