//! What runs have found about clips: whether they may be split over several processes.

use std::io;

use truepath_core::deliverable::Expansion;

use crate::Loaded;
use crate::look::fingerprint::Fingerprints;

/// Takes over what runs have found about the clips of which neither job nor profile says whether they may be split.
///
/// # Errors
/// When the state of the job cannot be read.
pub fn take_found(loaded: &Loaded, expansion: &mut Expansion) -> io::Result<()> {
    if !expansion
        .deliverables
        .iter()
        .any(|one| one.is_split_unknown())
    {
        return Ok(());
    }
    let ledger = loaded.read_ledger(&loaded.state_folder().ledgers())?;
    if !ledger.splits.is_empty() {
        let mut fingerprints = Fingerprints::new(loaded);
        expansion.take_found(&mut |deliverable| {
            // A scene that cannot be read is reported by whoever needs it.
            fingerprints.of(deliverable).ok()?;
            ledger
                .splits
                .get(&fingerprints.split_key(deliverable))
                .cloned()
        });
    }
    loaded.keep_ledger(ledger);
    Ok(())
}
