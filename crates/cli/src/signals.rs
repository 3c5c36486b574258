//! Signals that ask the program to stop.

use std::sync::atomic::{AtomicU8, Ordering};
use std::sync::{Arc, OnceLock};

use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};

use crate::error::CommandError;

/// How often somebody asked the program to stop; the program listens from the first call on.
///
/// An interrupt asks once more each time. To be terminated is to stop at once. A terminal that
/// closes ends nothing.
pub(crate) fn listen() -> Result<&'static AtomicU8, CommandError> {
    static ASKED: OnceLock<Arc<AtomicU8>> = OnceLock::new();
    let outside = |error| CommandError::outside("signals")(error);
    if let Some(known) = ASKED.get() {
        return Ok(known);
    }
    let mut signals =
        signal_hook::iterator::Signals::new([SIGINT, SIGTERM, SIGHUP]).map_err(outside)?;
    let asked = ASKED.get_or_init(Arc::default);
    let heard = Arc::clone(asked);
    std::thread::spawn(move || {
        for signal in signals.forever() {
            match signal {
                SIGINT => drop(heard.fetch_add(1, Ordering::Relaxed)),
                SIGTERM => heard.store(2, Ordering::Relaxed),
                _ => {}
            }
        }
    });
    Ok(asked)
}
